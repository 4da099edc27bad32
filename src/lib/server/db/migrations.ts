import { gzipSync } from 'node:zlib';
import { sql, type Kysely, type Migration, type MigrationProvider } from 'kysely';

const first: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .createTable('cluster')
      .addColumn('name', 'text', (c) => c.primaryKey())
      .addColumn('place', 'integer', (c) => c.notNull())
      .addColumn('note', 'text', (c) => c.notNull())
      .addColumn('flag', 'text', (c) => c.notNull())
      .addColumn('seed', 'integer', (c) => c.notNull())
      .addColumn('ground', 'text', (c) => c.notNull())
      .execute();
    await db.schema
      .createTable('rehearsal')
      .addColumn('id', 'text', (c) => c.primaryKey())
      .addColumn('cluster', 'text', (c) => c.notNull().references('cluster.name').onDelete('cascade'))
      .addColumn('fork', 'text')
      .addColumn('parent', 'text')
      .addColumn('forked_at_ms', 'integer')
      .addColumn('head_ms', 'integer', (c) => c.notNull())
      .addColumn('frontier_ms', 'integer', (c) => c.notNull())
      .addColumn('revision', 'integer', (c) => c.notNull())
      .execute();
    await db.schema
      .createTable('action')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('rehearsal', 'text', (c) => c.notNull().references('rehearsal.id').onDelete('cascade'))
      .addColumn('sequence', 'integer', (c) => c.notNull())
      .addColumn('at_ms', 'integer', (c) => c.notNull())
      .addColumn('body', 'text', (c) => c.notNull())
      .addColumn('withdrawn', 'integer', (c) => c.notNull().defaultTo(0))
      .addColumn('created_at', 'text', (c) => c.notNull().defaultTo(sql`CURRENT_TIMESTAMP`))
      .addUniqueConstraint('action_in_order', ['rehearsal', 'sequence'])
      .execute();
    await db.schema
      .createTable('snapshot')
      .addColumn('rehearsal', 'text', (c) => c.primaryKey().references('rehearsal.id').onDelete('cascade'))
      .addColumn('actions', 'integer', (c) => c.notNull())
      .addColumn('at_ms', 'integer', (c) => c.notNull())
      .addColumn('engine', 'text', (c) => c.notNull())
      .addColumn('bytes', 'blob', (c) => c.notNull())
      .execute();
    await db.schema
      .createTable('proof')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('rehearsal', 'text', (c) => c.notNull().references('rehearsal.id').onDelete('cascade'))
      .addColumn('namespace', 'text', (c) => c.notNull())
      .addColumn('set_name', 'text', (c) => c.notNull())
      .addColumn('at_ms', 'integer', (c) => c.notNull())
      .addColumn('body', 'text', (c) => c.notNull())
      .addColumn('created_at', 'text', (c) => c.notNull().defaultTo(sql`CURRENT_TIMESTAMP`))
      .execute();
    await db.schema
      .createTable('draft')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('cluster', 'text', (c) => c.notNull().references('cluster.name').onDelete('cascade'))
      .addColumn('name', 'text', (c) => c.notNull())
      .addColumn('text', 'text', (c) => c.notNull())
      .addColumn('updated_at', 'text', (c) => c.notNull().defaultTo(sql`CURRENT_TIMESTAMP`))
      .execute();
  }
};

const trials: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .createTable('trial')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('rehearsal', 'text', (c) => c.notNull().references('rehearsal.id').onDelete('cascade'))
      .addColumn('class_name', 'text', (c) => c.notNull())
      .addColumn('at_ms', 'integer', (c) => c.notNull())
      .addColumn('body', 'text', (c) => c.notNull())
      .addColumn('created_at', 'text', (c) => c.notNull().defaultTo(sql`CURRENT_TIMESTAMP`))
      .execute();
  }
};

const draftFiles: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .alterTable('draft')
      .addColumn('files', 'text', (c) => c.notNull().defaultTo('[]'))
      .execute();
    await db.schema.alterTable('draft').addColumn('state', 'integer').execute();
    await sql`UPDATE draft SET files = json_array(json_object('name', 'draft.yaml', 'text', text))`.execute(db);
    await db.schema.alterTable('draft').dropColumn('text').execute();
    await db.schema
      .createTable('draft_state')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('draft', 'integer', (c) => c.notNull().references('draft.id').onDelete('cascade'))
      .addColumn('parent', 'integer')
      .addColumn('files', 'blob', (c) => c.notNull())
      .addColumn('lines', 'integer', (c) => c.notNull())
      .addColumn('cause', 'text', (c) => c.notNull())
      .addColumn('at', 'text', (c) => c.notNull())
      .execute();
    await db.schema.createIndex('draft_state_of').on('draft_state').column('draft').execute();
    await db.schema
      .createTable('draft_sent')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('draft', 'integer', (c) => c.notNull().references('draft.id').onDelete('cascade'))
      .addColumn('rehearsal', 'text', (c) => c.notNull().references('rehearsal.id').onDelete('cascade'))
      .addColumn('at_ms', 'integer', (c) => c.notNull())
      .addColumn('files', 'blob', (c) => c.notNull())
      .addColumn('at', 'text', (c) => c.notNull())
      .execute();
  }
};

const dumps: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .alterTable('cluster')
      .addColumn('kind', 'text', (c) => c.notNull().defaultTo('standin'))
      .execute();
    await db.schema
      .createTable('dump')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('cluster', 'text', (c) => c.notNull())
      .addColumn('complete', 'integer', (c) => c.notNull().defaultTo(0))
      .addColumn('taken_ms', 'integer', (c) => c.notNull().defaultTo(0))
      .addColumn('objects', 'integer', (c) => c.notNull().defaultTo(0))
      .addColumn('summary', 'text', (c) => c.notNull().defaultTo('{}'))
      .addColumn('read_at', 'text', (c) => c.notNull())
      .execute();
    await db.schema
      .createTable('dump_part')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('dump', 'integer', (c) => c.notNull().references('dump.id').onDelete('cascade'))
      .addColumn('bytes', 'blob', (c) => c.notNull())
      .execute();
    await db.schema.createIndex('dump_part_of').on('dump_part').column('dump').execute();
  }
};

const dumpScope: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .alterTable('dump')
      .addColumn('corrections', 'text', (c) => c.notNull().defaultTo('[]'))
      .execute();
  }
};

/** Sums over what rows say, revisions of drafts, first states of drafts that had none, who may what, and who did what. */
const standsFast: Migration = {
  async up(db: Kysely<unknown>) {
    for (const table of ['action', 'cluster', 'draft', 'proof', 'rehearsal', 'trial'])
      await db.schema
        .alterTable(table)
        .addColumn('sum', 'text', (c) => c.notNull().defaultTo(''))
        .execute();
    await db.schema
      .alterTable('draft')
      .addColumn('revision', 'integer', (c) => c.notNull().defaultTo(1))
      .execute();
    await sql`DELETE FROM snapshot`.execute(db);
    await db.schema
      .alterTable('snapshot')
      .addColumn('last_action', 'integer', (c) => c.notNull().defaultTo(0))
      .execute();
    const { rows } = await sql<{ id: number; files: string; updated_at: string }>`
      SELECT id, files, updated_at FROM draft WHERE state IS NULL`.execute(db);
    for (const { id, files, updated_at } of rows) {
      const texts = (JSON.parse(files) as { text: string }[]).map((one) => one.text);
      const lines = texts.reduce((sum, text) => sum + (text.trim() ? text.trimEnd().split('\n').length : 0), 0);
      const state = await sql<{ id: number }>`
        INSERT INTO draft_state (draft, parent, files, lines, cause, at)
        VALUES (${id}, NULL, ${gzipSync(files)}, ${lines}, 'begun', ${updated_at}) RETURNING id`.execute(db);
      await sql`UPDATE draft SET state = ${state.rows[0]!.id} WHERE id = ${id}`.execute(db);
    }
    await db.schema
      .createTable('account')
      .addColumn('name', 'text', (c) => c.primaryKey())
      .addColumn('role', 'text', (c) => c.notNull())
      .addColumn('password', 'text', (c) => c.notNull())
      .addColumn('made_at', 'text', (c) => c.notNull())
      .addColumn('ended_at', 'text')
      .execute();
    await db.schema
      .createTable('session')
      .addColumn('hash', 'text', (c) => c.primaryKey())
      .addColumn('account', 'text', (c) => c.notNull().references('account.name').onDelete('cascade'))
      .addColumn('made_at', 'integer', (c) => c.notNull())
      .addColumn('seen_at', 'integer', (c) => c.notNull())
      .execute();
    await db.schema
      .createTable('token')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('name', 'text', (c) => c.notNull())
      .addColumn('role', 'text', (c) => c.notNull())
      .addColumn('hash', 'text', (c) => c.notNull().unique())
      .addColumn('made_by', 'text', (c) => c.notNull())
      .addColumn('made_at', 'text', (c) => c.notNull())
      .addColumn('ends_at', 'text', (c) => c.notNull())
      .addColumn('ended_at', 'text')
      .execute();
    await db.schema
      .createTable('deed')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('at', 'text', (c) => c.notNull())
      .addColumn('who', 'text', (c) => c.notNull())
      .addColumn('what', 'text', (c) => c.notNull())
      .addColumn('cluster', 'text')
      .addColumn('rehearsal', 'text')
      .addColumn('draft', 'integer')
      .addColumn('detail', 'text', (c) => c.notNull().defaultTo(''))
      .execute();
  }
};

/** Drills that were run. */
const drills: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .createTable('drill')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('rehearsal', 'text', (c) => c.notNull().references('rehearsal.id').onDelete('cascade'))
      .addColumn('namespace', 'text', (c) => c.notNull())
      .addColumn('workload', 'text', (c) => c.notNull())
      .addColumn('fault', 'text', (c) => c.notNull())
      .addColumn('state', 'text', (c) => c.notNull())
      .addColumn('at_ms', 'integer', (c) => c.notNull())
      .addColumn('body', 'text', (c) => c.notNull())
      .addColumn('created_at', 'text', (c) => c.notNull())
      .addColumn('sum', 'text', (c) => c.notNull())
      .execute();
    await db.schema.createIndex('drill_of_rehearsal').on('drill').column('rehearsal').execute();
  }
};

/** Actions that join clusters are found without reading all others. */
const joins: Migration = {
  async up(db: Kysely<unknown>) {
    await sql`CREATE INDEX action_joins ON action (rehearsal) WHERE substr(body, 1, 14) = '{"type":"join"'`.execute(db);
  }
};

/** What the reader says of dumps that belong together. */
const dumpsJoined: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .createTable('dump_joined')
      .addColumn('cluster', 'text', (c) => c.primaryKey())
      .addColumn('body', 'text', (c) => c.notNull())
      .execute();
  }
};

/** Sizings that are kept by name. */
const sizings: Migration = {
  async up(db: Kysely<unknown>) {
    await db.schema
      .createTable('sizing')
      .addColumn('id', 'integer', (c) => c.primaryKey().autoIncrement())
      .addColumn('cluster', 'text', (c) => c.notNull().references('cluster.name').onDelete('cascade'))
      .addColumn('name', 'text', (c) => c.notNull())
      .addColumn('body', 'text', (c) => c.notNull())
      .addColumn('updated_at', 'text', (c) => c.notNull())
      .addUniqueConstraint('sizing_name', ['cluster', 'name'])
      .execute();
  }
};

/** All migrations by name, in order. Never change one that has shipped; add another. */
export const migrations: MigrationProvider = {
  getMigrations: async () => ({
    '001-first': first,
    '002-trials': trials,
    '003-draft-files': draftFiles,
    '004-dumps': dumps,
    '005-dump-scope': dumpScope,
    '006-stands-fast': standsFast,
    '007-drills': drills,
    '008-joins': joins,
    '009-dumps-joined': dumpsJoined,
    '010-sizings': sizings
  })
};
