import { drawInt, hash32 } from '../../shared';
import type { Ask, Engine, Site, Standing } from './site';

/** A row: when, of what, how much. */
type Row = readonly [timeMs: number, device: string, value: number];

interface ChunkPlace {
  readonly nodes: readonly string[];
  /** Copies that lack something: they aren't read until they have been made anew. */
  readonly stale: readonly string[];
}

interface Catalogue {
  readonly tables: Readonly<{ [table: string]: { readonly copies: number; readonly chunks: Readonly<{ [chunk: string]: ChunkPlace }> } }>;
}

interface DataDisk {
  readonly chunks: Readonly<{ [chunk: string]: readonly Row[] }>;
}

interface Insert {
  readonly table: string;
  readonly count: number;
  /** By chunk: nodes that haven't answered yet, and those that have. */
  readonly open: Readonly<{ [chunk: string]: readonly string[] }>;
  readonly done: Readonly<{ [chunk: string]: readonly string[] }>;
}

interface AccessMind {
  readonly inserts: Readonly<{ [ask: string]: Insert }>;
  readonly mending?: number;
}

type Body =
  | { readonly is: 'rows'; readonly chunk: string; readonly rows: readonly Row[]; readonly ask: string }
  | { readonly is: 'kept'; readonly chunk: string; readonly ask: string }
  | { readonly is: 'late'; readonly ask: string }
  | { readonly is: 'mend'; readonly nth: number }
  | { readonly is: 'copy'; readonly chunk: string; readonly to: string }
  | { readonly is: 'whole'; readonly chunk: string; readonly rows: readonly Row[] }
  | { readonly is: 'mended'; readonly chunk: string };

const hourMs = 3_600_000;
/** Devices are spread over so many chunks within an hour. */
const slices = 4;
const lateMs = 4_000;
const mendAfterMs = 5_000;

/** Rows that a writer sends: made from its ask, so that a reader can count and sum them. */
const rowsOf = (ask: string, count: number): Row[] =>
  Array.from({ length: count }, (_, i): Row => [
    i * 60_000,
    `gauge-${hash32(`${ask}|${i % 24}`) % 12}`,
    (hash32(`${ask}|${i}`) % 10_000) / 100
  ]);

/**
 * Time-series SQL: one access node takes everything and knows where it lies; rows go into chunks by hour and device, each kept by as many
 * data nodes as copies are asked for. A write counts when every data node that answers has its part, and each chunk has one at least. With c
 * copies, c - 1 data nodes may be lost.
 */
export class TimeSeries implements Engine {
  constructor(private readonly copies: number) {}

  access = (site: Site): string | undefined => [...new Set([...site.ids, ...site.running])].find((id) => site.part(id) === 'access');
  private dataNodes = (site: Site): string[] => [...new Set([...site.ids, ...site.running])].filter((id) => site.part(id) === 'data');
  private contact = (site: Site, a: string, b: string): boolean => site.up(a) && site.up(b) && site.reach(a, b);
  private catalogue = (site: Site, id: string): Catalogue => site.disk<Catalogue>(id) ?? { tables: {} };
  private wire = (site: Site, a: string, b: string): number => drawInt(site.seed, `series|${a}|${b}`, 1, 5);

  private setChunk(site: Site, id: string, table: string, chunk: string, place: ChunkPlace): void {
    const known = this.catalogue(site, id);
    const mine = known.tables[table]!;
    site.keep(id, { tables: { ...known.tables, [table]: { ...mine, chunks: { ...mine.chunks, [chunk]: place } } } } satisfies Catalogue);
  }

  changed(site: Site): void {
    const id = this.access(site);
    if (id === undefined || !site.up(id)) return;
    const mind = site.mind<AccessMind>(id);
    if (!mind) {
      site.think(id, { inserts: {} } satisfies AccessMind);
      site.say(id, `knows ${this.dataNodes(site).length} data nodes, ${Object.keys(this.catalogue(site, id).tables).length} tables`);
    }
    this.plan(site, id);
  }

  /** Copies that lack something, on nodes that answer, are made anew from one that doesn't. */
  private mendable(site: Site, id: string): { table: string; chunk: string; from: string; to: string }[] {
    return Object.entries(this.catalogue(site, id).tables).flatMap(([table, { chunks }]) =>
      Object.entries(chunks).flatMap(([chunk, { nodes, stale }]) => {
        const from = nodes.find((one) => !stale.includes(one) && this.contact(site, id, one) && site.disk<DataDisk>(one)?.chunks[chunk]);
        const lacking = nodes.filter(
          (one) => this.contact(site, id, one) && (stale.includes(one) || !site.disk<DataDisk>(one)?.chunks[chunk])
        );
        return from === undefined ? [] : lacking.filter((to) => to !== from).map((to) => ({ table, chunk, from, to }));
      })
    );
  }

  private plan(site: Site, id: string): void {
    const mind = site.mind<AccessMind>(id)!;
    if (mind.mending !== undefined || !this.mendable(site, id).length) return;
    site.think(id, { ...mind, mending: site.nowMs });
    site.post(id, id, { is: 'mend', nth: site.nowMs } satisfies Body, mendAfterMs);
  }

  arrived(site: Site, to: string, from: string, raw: unknown): void {
    const body = raw as Body;
    switch (body.is) {
      case 'rows': {
        const disk = site.disk<DataDisk>(to) ?? { chunks: {} };
        site.keep(to, { chunks: { ...disk.chunks, [body.chunk]: [...(disk.chunks[body.chunk] ?? []), ...body.rows] } } satisfies DataDisk);
        return site.post(to, from, { is: 'kept', chunk: body.chunk, ask: body.ask } satisfies Body, this.wire(site, to, from));
      }
      case 'kept':
        return this.kept(site, to, from, body);
      case 'late':
        return this.late(site, to, body.ask);
      case 'mend': {
        const mind = site.mind<AccessMind>(to)!;
        if (mind.mending !== body.nth) return;
        const { mending: _, ...rest } = mind;
        site.think(to, rest);
        for (const one of this.mendable(site, to)) {
          site.say(to, `has ${one.chunk} copied from ${one.from} to ${one.to}`);
          site.post(to, one.from, { is: 'copy', chunk: one.chunk, to: one.to } satisfies Body, this.wire(site, to, one.from));
        }
        return;
      }
      case 'copy':
        return site.post(
          to,
          body.to,
          { is: 'whole', chunk: body.chunk, rows: site.disk<DataDisk>(to)?.chunks[body.chunk] ?? [] } satisfies Body,
          50
        );
      case 'whole': {
        const disk = site.disk<DataDisk>(to) ?? { chunks: {} };
        site.keep(to, { chunks: { ...disk.chunks, [body.chunk]: body.rows } } satisfies DataDisk);
        const access = this.access(site);
        if (access !== undefined) site.post(to, access, { is: 'mended', chunk: body.chunk } satisfies Body, this.wire(site, to, access));
        return;
      }
      case 'mended':
        return this.mended(site, to, from, body.chunk);
    }
  }

  /** A copy counts again only when it has what the others have by then: rows may have come while it was made. */
  private mended(site: Site, id: string, node: string, chunk: string): void {
    const table = chunk.slice(0, chunk.indexOf('@'));
    const place = this.catalogue(site, id).tables[table]?.chunks[chunk];
    if (!place) return;
    const count = (one: string) => site.disk<DataDisk>(one)?.chunks[chunk]?.length ?? 0;
    const source = place.nodes.find((one) => !place.stale.includes(one));
    const busy = Object.values(site.mind<AccessMind>(id)!.inserts).some((one) => one.open[chunk]?.length);
    if (source !== undefined && count(source) === count(node) && !busy)
      this.setChunk(site, id, table, chunk, { ...place, stale: place.stale.filter((one) => one !== node) });
    this.plan(site, id);
  }

  private setInsert(site: Site, id: string, ask: string, insert: Insert | undefined): void {
    const mind = site.mind<AccessMind>(id)!;
    const { [ask]: _, ...rest } = mind.inserts;
    site.think(id, { ...mind, inserts: insert ? { ...rest, [ask]: insert } : rest });
  }

  private kept(site: Site, id: string, node: string, { chunk, ask }: Body & { is: 'kept' }): void {
    const insert = site.mind<AccessMind>(id)?.inserts[ask];
    if (!insert) return;
    const open = { ...insert.open, [chunk]: (insert.open[chunk] ?? []).filter((one) => one !== node) };
    const done = { ...insert.done, [chunk]: [...(insert.done[chunk] ?? []), node] };
    this.setInsert(site, id, ask, { ...insert, open, done });
    if (Object.values(open).every((one) => !one.length)) this.close(site, id, ask);
  }

  /** Nodes that don't answer in time hold stale copies from here on. */
  private late(site: Site, id: string, ask: string): void {
    if (site.mind<AccessMind>(id)?.inserts[ask]) this.close(site, id, ask);
  }

  private close(site: Site, id: string, ask: string): void {
    const { open, done, table, count } = site.mind<AccessMind>(id)!.inserts[ask]!;
    this.setInsert(site, id, ask, undefined);
    let missing: string | undefined;
    for (const chunk of Object.keys(open)) {
      const place = this.catalogue(site, id).tables[table]!.chunks[chunk]!;
      const fresh = (done[chunk] ?? []).filter((one) => !place.stale.includes(one));
      if (!fresh.length) missing ??= chunk;
      const stale = [...new Set([...place.stale, ...open[chunk]!])];
      if (stale.length !== place.stale.length && fresh.length) {
        site.say(id, `${open[chunk]!.join(', ')} didn't answer: its copy of ${chunk} is stale`, true);
        this.setChunk(site, id, table, chunk, { ...place, stale });
      }
    }
    if (missing !== undefined) return site.answer(ask, { outcome: 'unknown', by: id, says: `no data node has answered for ${missing}` });
    site.answer(ask, { outcome: 'acknowledged', by: id, says: `${count} rows in ${Object.keys(open).length} chunks`, count });
    this.plan(site, id);
  }

  private place(site: Site, id: string, table: string, chunk: string): ChunkPlace | undefined {
    const known = this.catalogue(site, id).tables[table]!;
    const old = known.chunks[chunk];
    if (old) return old;
    const nodes = this.dataNodes(site).filter((one) => this.contact(site, id, one));
    if (nodes.length < known.copies) return undefined;
    const first = hash32(chunk) % nodes.length;
    const place: ChunkPlace = { nodes: Array.from({ length: known.copies }, (_, i) => nodes[(first + i) % nodes.length]!), stale: [] };
    this.setChunk(site, id, table, chunk, place);
    return place;
  }

  private insert(site: Site, { id: ask, op }: Ask, id: string, table: string): void {
    const byChunk = new Map<string, Row[]>();
    for (const row of rowsOf(ask, op.count ?? 1)) {
      const chunk = `${table}@${Math.floor(row[0] / hourMs)}.${hash32(row[1]) % slices}`;
      byChunk.set(chunk, [...(byChunk.get(chunk) ?? []), row]);
    }
    const open: Record<string, string[]> = {};
    for (const chunk of byChunk.keys()) {
      const place = this.place(site, id, table, chunk);
      const live = (place?.nodes ?? []).filter((one) => this.contact(site, id, one));
      const fresh = live.filter((one) => !place!.stale.includes(one));
      if (!fresh.length)
        return site.answer(ask, {
          outcome: 'refused',
          by: id,
          says: place
            ? `no data node with a whole copy of ${chunk} answers`
            : `${this.catalogue(site, id).tables[table]!.copies} data nodes are needed for a new chunk`
        });
      // Copies that don't answer miss these rows for sure; a stale one is made anew as a whole.
      const gone = place!.nodes.filter((one) => !live.includes(one));
      const stale = [...new Set([...place!.stale, ...gone])];
      if (stale.length !== place!.stale.length) this.setChunk(site, id, table, chunk, { ...place!, stale });
      open[chunk] = fresh;
    }
    this.setInsert(site, id, ask, { table, count: op.count ?? 1, open, done: {} });
    for (const [chunk, nodes] of Object.entries(open))
      for (const one of nodes)
        site.post(id, one, { is: 'rows', chunk, rows: byChunk.get(chunk)!, ask } satisfies Body, this.wire(site, id, one));
    site.post(id, id, { is: 'late', ask } satisfies Body, lateMs);
  }

  private query(site: Site, { id: ask }: Ask, id: string, table: string): void {
    let [count, sum] = [0, 0];
    const nodes = new Map<string, number>();
    for (const [chunk, { nodes: all, stale }] of Object.entries(this.catalogue(site, id).tables[table]!.chunks)) {
      const from = all.find((one) => !stale.includes(one) && this.contact(site, id, one));
      if (from === undefined)
        return site.answer(ask, { outcome: 'refused', by: id, says: `no data node with a whole copy of ${chunk} answers` });
      const rows = site.disk<DataDisk>(from)?.chunks[chunk] ?? [];
      count += rows.length;
      sum += rows.reduce((all, row) => all + row[2], 0);
      nodes.set(from, (nodes.get(from) ?? 0) + rows.length);
    }
    const rows = [...nodes].sort(([a], [b]) => (a < b ? -1 : 1)).map(([node, n]): [string, string] => [node, `${n} rows`]);
    site.answer(ask, {
      outcome: 'acknowledged',
      by: id,
      says: `${count} rows from ${nodes.size} data nodes, sum ${sum.toFixed(2)}`,
      count,
      rows,
      checksum: sum.toFixed(2)
    });
  }

  ask(site: Site, ask: Ask): void {
    const { op, member } = ask;
    const id = this.access(site);
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', ...(id === undefined ? {} : { by: id }), says });
    if (id === undefined || !site.up(id) || !site.mind(id)) return refuse('the access node does not answer');
    if (member !== undefined && member !== id) return refuse(`${member} is a data node; only ${id} takes requests`);
    const table = op.place ?? 'readings';
    const known = this.catalogue(site, id).tables;
    if (op.do === 'make-table') {
      if (known[table]) return refuse(`the table ${table} exists already`);
      site.keep(id, { tables: { ...known, [table]: { copies: Math.max(1, op.count ?? this.copies), chunks: {} } } } satisfies Catalogue);
      return site.answer(ask.id, {
        outcome: 'acknowledged',
        by: id,
        says: `table ${table} made, every chunk kept ${Math.max(1, op.count ?? this.copies)} times`
      });
    }
    if (!known[table]) return refuse(`there is no table ${table}`);
    if (op.do === 'insert') return this.insert(site, ask, id, table);
    if (op.do === 'query') return this.query(site, ask, id, table);
    refuse(`it knows no ${op.do}`);
  }

  standing(site: Site, id: string): Standing {
    if (!site.up(id)) return { role: '', ready: false, says: 'is down', position: 0 };
    const access = this.access(site);
    if (site.part(id) === 'access') {
      const nodes = this.dataNodes(site).filter((one) => this.contact(site, id, one)).length;
      return {
        role: 'access',
        ready: true,
        says: nodes ? '' : 'no data node answers yet',
        position: Object.keys(this.catalogue(site, id).tables).length
      };
    }
    const mine = Object.values(site.disk<DataDisk>(id)?.chunks ?? {});
    const stale =
      access === undefined
        ? 0
        : Object.values(this.catalogue(site, access).tables)
            .flatMap((one) => Object.values(one.chunks))
            .filter((one) => one.stale.includes(id)).length;
    return {
      role: 'data',
      ready: true,
      says: stale ? `${stale} of its chunks are stale` : '',
      position: mine.reduce((sum, one) => sum + one.length, 0),
      lag: stale
    };
  }
}
