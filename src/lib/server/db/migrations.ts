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

/** All migrations by name, in order. Never change one that has shipped; add another. */
export const migrations: MigrationProvider = { getMigrations: async () => ({ '001-first': first, '002-trials': trials }) };
