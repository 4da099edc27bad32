import { drawInt, hash32 } from '../../shared';
import { handedOut, placedKey, wouldOverwrite } from './copies';
import { byTime, inSpan, saidIn, spanOf, tableOf, type Kept, type Row } from './series-copies';
import type { Body, Catalogue, FrontMind, Insert, SpanPlace, StoreDisk } from './series-types';
import type { Ask, Engine, Site, MemberState } from './site';
import { counted } from './words';

const hourMs = 3_600_000;
/** Devices are spread over so many spans within an hour. */
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
 * Time-series SQL: one front member takes everything and knows where it lies; rows go into spans by hour and device, each kept by as many
 * store members as copies are asked for. A write counts when every store member that answers has its part, and each span has one at least. With c
 * copies, c - 1 store members may be lost.
 */
export class TimeSeries implements Engine {
  constructor(private readonly copies: number) {}

  front(site: Site): string | undefined {
    return [...new Set([...site.ids, ...site.running])].find((id) => site.part(id) === 'front');
  }
  private stores(site: Site): string[] {
    return [...new Set([...site.ids, ...site.running])].filter((id) => site.part(id) === 'store');
  }
  private contact(site: Site, a: string, b: string): boolean {
    return site.up(a) && site.up(b) && site.reach(a, b);
  }
  private catalogue(site: Site, id: string): Catalogue {
    return site.disk<Catalogue>(id) ?? { tables: {} };
  }
  private wire(site: Site, a: string, b: string): number {
    return drawInt(site.seed, `series|${a}|${b}`, 1, 5);
  }

  private setSpan(site: Site, id: string, table: string, span: string, place: SpanPlace): void {
    const known = this.catalogue(site, id);
    const mine = known.tables[table]!;
    const tables = { ...known.tables, [table]: { ...mine, spans: { ...mine.spans, [span]: place } } };
    site.keep(id, { ...known, tables } satisfies Catalogue);
  }

  changed(site: Site): void {
    const id = this.front(site);
    if (id === undefined || !site.up(id)) return;
    const mind = site.mind<FrontMind>(id);
    if (!mind) {
      site.think(id, { inserts: {} } satisfies FrontMind);
      site.say(id, `knows ${this.stores(site).length} store members, ${Object.keys(this.catalogue(site, id).tables).length} tables`);
    }
    this.plan(site, id);
  }

  /** Copies that lack something, on nodes that answer, are made anew from one that doesn't. */
  private mendable(site: Site, id: string): { table: string; span: string; from: string; to: string }[] {
    return Object.entries(this.catalogue(site, id).tables).flatMap(([table, { spans }]) =>
      Object.entries(spans).flatMap(([span, { nodes, stale }]) => {
        const from = nodes.find((one) => !stale.includes(one) && this.contact(site, id, one) && site.disk<StoreDisk>(one)?.spans[span]);
        const lacking = nodes.filter(
          (one) => this.contact(site, id, one) && (stale.includes(one) || !site.disk<StoreDisk>(one)?.spans[span])
        );
        return from === undefined ? [] : lacking.filter((to) => to !== from).map((to) => ({ table, span, from, to }));
      })
    );
  }

  private plan(site: Site, id: string): void {
    const mind = site.mind<FrontMind>(id)!;
    if (mind.mending !== undefined || !this.mendable(site, id).length) return;
    site.think(id, { ...mind, mending: site.nowMs });
    site.post(id, id, { is: 'mend', nth: site.nowMs } satisfies Body, mendAfterMs);
  }

  arrived(site: Site, to: string, from: string, raw: unknown): void {
    const body = raw as Body;
    switch (body.is) {
      case 'rows': {
        const disk = site.disk<StoreDisk>(to) ?? { spans: {} };
        site.keep(to, { spans: { ...disk.spans, [body.span]: [...(disk.spans[body.span] ?? []), ...body.rows] } } satisfies StoreDisk);
        return site.post(to, from, { is: 'kept', span: body.span, ask: body.ask } satisfies Body, this.wire(site, to, from));
      }
      case 'kept':
        return this.kept(site, to, from, body);
      case 'late':
        return this.late(site, to, body.ask);
      case 'mend': {
        const mind = site.mind<FrontMind>(to)!;
        if (mind.mending !== body.nth) return;
        const { mending: _, ...rest } = mind;
        site.think(to, rest);
        for (const one of this.mendable(site, to)) {
          site.say(to, `has ${one.span} copied from ${one.from} to ${one.to}`);
          site.post(to, one.from, { is: 'copy', span: one.span, to: one.to } satisfies Body, this.wire(site, to, one.from));
        }
        return;
      }
      case 'copy':
        return site.post(
          to,
          body.to,
          { is: 'whole', span: body.span, rows: site.disk<StoreDisk>(to)?.spans[body.span] ?? [] } satisfies Body,
          50
        );
      case 'whole': {
        const disk = site.disk<StoreDisk>(to) ?? { spans: {} };
        site.keep(to, { spans: { ...disk.spans, [body.span]: body.rows } } satisfies StoreDisk);
        const front = this.front(site);
        if (front !== undefined) site.post(to, front, { is: 'mended', span: body.span } satisfies Body, this.wire(site, to, front));
        return;
      }
      case 'forget': {
        const { spans = {} } = site.disk<StoreDisk>(to) ?? {};
        const left = Object.entries(spans).filter(([span]) => tableOf(span) !== body.table || inSpan(span).nth >= body.before);
        return site.keep(to, { spans: Object.fromEntries(left) } satisfies StoreDisk);
      }
      case 'mended':
        return this.mended(site, to, from, body.span);
    }
  }

  /** A copy counts again only when it has what the others have by then: rows may have come while it was made. */
  private mended(site: Site, id: string, node: string, span: string): void {
    const table = tableOf(span);
    const place = this.catalogue(site, id).tables[table]?.spans[span];
    if (!place) return;
    const count = (one: string) => site.disk<StoreDisk>(one)?.spans[span]?.length ?? 0;
    const source = place.nodes.find((one) => !place.stale.includes(one));
    const busy = Object.values(site.mind<FrontMind>(id)!.inserts).some((one) => one.open[span]?.length);
    if (source !== undefined && count(source) === count(node) && !busy)
      this.setSpan(site, id, table, span, { ...place, stale: place.stale.filter((one) => one !== node) });
    this.plan(site, id);
  }

  private setInsert(site: Site, id: string, ask: string, insert: Insert | undefined): void {
    const mind = site.mind<FrontMind>(id)!;
    const { [ask]: _, ...rest } = mind.inserts;
    site.think(id, { ...mind, inserts: insert ? { ...rest, [ask]: insert } : rest });
  }

  private kept(site: Site, id: string, node: string, { span, ask }: Body & { is: 'kept' }): void {
    const insert = site.mind<FrontMind>(id)?.inserts[ask];
    if (!insert) return;
    const open = { ...insert.open, [span]: (insert.open[span] ?? []).filter((one) => one !== node) };
    const done = { ...insert.done, [span]: [...(insert.done[span] ?? []), node] };
    this.setInsert(site, id, ask, { ...insert, open, done });
    if (Object.values(open).every((one) => !one.length)) this.close(site, id, ask);
  }

  /** Nodes that don't answer in time hold stale copies from here on. */
  private late(site: Site, id: string, ask: string): void {
    if (site.mind<FrontMind>(id)?.inserts[ask]) this.close(site, id, ask);
  }

  private close(site: Site, id: string, ask: string): void {
    const { open, done, says, count } = site.mind<FrontMind>(id)!.inserts[ask]!;
    this.setInsert(site, id, ask, undefined);
    let missing: string | undefined;
    for (const span of Object.keys(open)) {
      // Somebody may have dropped the table meanwhile.
      const place = this.catalogue(site, id).tables[tableOf(span)]?.spans[span];
      if (!place) continue;
      const fresh = (done[span] ?? []).filter((one) => !place.stale.includes(one));
      if (!fresh.length) missing ??= span;
      const stale = [...new Set([...place.stale, ...open[span]!])];
      if (stale.length !== place.stale.length && fresh.length) {
        site.say(id, `${open[span]!.join(', ')} didn't answer: its copy of ${span} is stale`, true);
        this.setSpan(site, id, tableOf(span), span, { ...place, stale });
      }
    }
    if (missing !== undefined) return site.answer(ask, { outcome: 'unknown', by: id, says: `no store member has answered for ${missing}` });
    site.answer(ask, { outcome: 'acknowledged', by: id, says: says ?? `${count} rows in ${Object.keys(open).length} spans`, count });
    this.plan(site, id);
  }

  private place(site: Site, id: string, table: string, span: string): SpanPlace | undefined {
    const known = this.catalogue(site, id).tables[table]!;
    const old = known.spans[span];
    if (old) return old;
    const nodes = this.stores(site).filter((one) => this.contact(site, id, one));
    if (nodes.length < known.copies) return undefined;
    const first = hash32(span) % nodes.length;
    const place: SpanPlace = { nodes: Array.from({ length: known.copies }, (_, i) => nodes[(first + i) % nodes.length]!), stale: [] };
    this.setSpan(site, id, table, span, place);
    return place;
  }

  private insert(site: Site, { id: ask, op }: Ask, id: string, table: string): void {
    const bySpan = new Map<string, Row[]>();
    const { nth } = this.catalogue(site, id).tables[table]!;
    for (const row of rowsOf(ask, op.count ?? 1)) {
      const span = spanOf(table, nth, `${Math.floor(row[0] / hourMs)}.${hash32(row[1]) % slices}`);
      bySpan.set(span, [...(bySpan.get(span) ?? []), row]);
    }
    this.insertAll(site, ask, id, bySpan, op.count ?? 1);
  }

  /** Rows go to the store members that keep their spans. */
  private insertAll(site: Site, ask: string, id: string, bySpan: ReadonlyMap<string, readonly Row[]>, count: number, says?: string): void {
    const open: Record<string, string[]> = {};
    for (const span of bySpan.keys()) {
      const table = tableOf(span);
      const place = this.place(site, id, table, span);
      const refuse = (says: string) => site.answer(ask, { outcome: 'refused', by: id, says });
      if (!place) return refuse(`${this.catalogue(site, id).tables[table]!.copies} store members are needed for a new span`);
      const live = place.nodes.filter((one) => this.contact(site, id, one));
      const fresh = live.filter((one) => !place.stale.includes(one));
      if (!fresh.length) return refuse(`no store member with a whole copy of ${span} answers`);
      // Copies that don't answer miss these rows for sure; a stale one is made anew as a whole.
      const gone = place.nodes.filter((one) => !live.includes(one));
      const stale = [...new Set([...place.stale, ...gone])];
      if (stale.length !== place.stale.length) this.setSpan(site, id, table, span, { ...place, stale });
      open[span] = fresh;
    }
    if (!bySpan.size) return site.answer(ask, { outcome: 'acknowledged', by: id, says: says ?? 'no rows', count });
    this.setInsert(site, id, ask, { count, open, done: {}, ...(says === undefined ? {} : { says }) });
    for (const [span, nodes] of Object.entries(open))
      for (const one of nodes)
        site.post(id, one, { is: 'rows', span, rows: bySpan.get(span)!, ask } satisfies Body, this.wire(site, id, one));
    site.post(id, id, { is: 'late', ask } satisfies Body, lateMs);
  }

  /** What a span holds, from a store member with a whole copy that answers; undefined where there is none. */
  private readSpan(site: Site, id: string, span: string, { nodes, stale }: SpanPlace): { from: string; rows: readonly Row[] } | undefined {
    const from = nodes.find((one) => !stale.includes(one) && this.contact(site, id, one));
    return from === undefined ? undefined : { from, rows: site.disk<StoreDisk>(from)?.spans[span] ?? [] };
  }

  private copy(site: Site, ask: string, id: string): void {
    const rows: [string, string][] = [];
    let count = 0;
    const { tables } = this.catalogue(site, id);
    for (const [table, { copies, spans }] of Object.entries(tables)) {
      rows.push([placedKey('table', table), JSON.stringify({ copies } satisfies Kept)]);
      for (const [span, place] of Object.entries(spans)) {
        const read = this.readSpan(site, id, span, place);
        if (!read) return site.answer(ask, { outcome: 'refused', by: id, says: `no store member with a whole copy of ${span} answers` });
        count += read.rows.length;
        rows.push([placedKey('span', table, inSpan(span).hours), JSON.stringify([...read.rows].sort(byTime))]);
      }
    }
    const says = `${counted(count, 'row')} in ${counted(Object.keys(tables).length, 'table')}`;
    site.answer(ask, { ...handedOut(id, 'tables', rows, says), count });
  }

  private drop(site: Site, id: string, table: string): void {
    const { [table]: gone, ...tables } = this.catalogue(site, id).tables;
    const nth = (gone!.nth ?? 0) + 1;
    site.keep(id, { tables, dropped: { ...this.catalogue(site, id).dropped, [table]: nth } } satisfies Catalogue);
    // A store member that is away keeps what nobody asks for any more.
    for (const node of new Set(Object.values(gone!.spans).flatMap((one) => one.nodes)))
      if (this.contact(site, id, node)) site.post(id, node, { is: 'forget', table, before: nth } satisfies Body, this.wire(site, id, node));
    site.say(id, `table ${table} dropped`);
  }

  /** A table that holds nothing yet. */
  private made({ dropped }: Catalogue, table: string, copies: number): Catalogue['tables'][string] {
    const nth = dropped && Object.hasOwn(dropped, table) ? dropped[table] : undefined;
    return { copies, spans: {}, ...(nth === undefined ? {} : { nth }) };
  }

  private putBack(site: Site, { id: ask, op }: Ask, id: string): void {
    const refuse = (says: string) => site.answer(ask, { outcome: 'refused', by: id, says });
    const said = saidIn(op.value ?? '');
    if (!said) return refuse('that is no copy of tables');
    const there = Object.keys(this.catalogue(site, id).tables).filter((one) => op.place === undefined || one === op.place);
    if (there.length && !op.count) return refuse(wouldOverwrite(counted(there.length, 'table')));
    // Before anything goes: what can't be made again isn't dropped.
    const nodes = this.stores(site).filter((one) => this.contact(site, id, one)).length;
    const most = Math.max(0, ...said.tables.values());
    if (most > nodes) return refuse(`${most} store members are needed for a new span, ${nodes} answer`);
    for (const table of there) this.drop(site, id, table);
    const known = this.catalogue(site, id);
    const made = Object.fromEntries([...said.tables].map(([table, copies]) => [table, this.made(known, table, copies)]));
    site.keep(id, { ...known, tables: { ...known.tables, ...made } } satisfies Catalogue);
    const spans = new Map(
      [...said.spans].map(([span, rows]) => [spanOf(tableOf(span), made[tableOf(span)]!.nth, inSpan(span).hours), rows])
    );
    const count = [...said.spans.values()].reduce((sum, rows) => sum + rows.length, 0);
    this.insertAll(site, ask, id, spans, count, `${counted(count, 'row')} put back`);
  }

  private query(site: Site, { id: ask }: Ask, id: string, table: string): void {
    let [count, sum] = [0, 0];
    const nodes = new Map<string, number>();
    for (const [span, place] of Object.entries(this.catalogue(site, id).tables[table]!.spans)) {
      const read = this.readSpan(site, id, span, place);
      if (!read) return site.answer(ask, { outcome: 'refused', by: id, says: `no store member with a whole copy of ${span} answers` });
      const { from, rows } = read;
      count += rows.length;
      sum += rows.reduce((all, row) => all + row[2], 0);
      nodes.set(from, (nodes.get(from) ?? 0) + rows.length);
    }
    const rows = [...nodes].sort(([a], [b]) => (a < b ? -1 : 1)).map(([node, n]): [string, string] => [node, `${n} rows`]);
    site.answer(ask, {
      outcome: 'acknowledged',
      by: id,
      says: `${count} rows from ${nodes.size} store members, sum ${sum.toFixed(2)}`,
      count,
      rows,
      checksum: sum.toFixed(2)
    });
  }

  ask(site: Site, ask: Ask): void {
    const { op, member } = ask;
    const id = this.front(site);
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', ...(id === undefined ? {} : { by: id }), says });
    if (id === undefined || !site.up(id) || !site.mind(id)) return refuse('the front member does not answer');
    if (member !== undefined && member !== id) return refuse(`${member} is a store member; only ${id} takes requests`);
    const table = op.place ?? 'readings';
    const known = this.catalogue(site, id).tables;
    if (op.do === 'make-table') {
      if (known[table]) return refuse(`the table ${table} exists already`);
      const all = this.catalogue(site, id);
      site.keep(id, {
        ...all,
        tables: { ...known, [table]: this.made(all, table, Math.max(1, op.count ?? this.copies)) }
      } satisfies Catalogue);
      return site.answer(ask.id, {
        outcome: 'acknowledged',
        by: id,
        says: `table ${table} made, every span kept ${Math.max(1, op.count ?? this.copies)} times`
      });
    }
    if (op.do === 'copy') return this.copy(site, ask.id, id);
    if (op.do === 'put-back') return this.putBack(site, ask, id);
    if (!known[table]) return refuse(`there is no table ${table}`);
    if (op.do === 'drop') {
      this.drop(site, id, table);
      return site.answer(ask.id, { outcome: 'acknowledged', by: id, says: `table ${table} dropped` });
    }
    if (op.do === 'insert') return this.insert(site, ask, id, table);
    if (op.do === 'query') return this.query(site, ask, id, table);
    refuse(`it knows no ${op.do}`);
  }

  standing(site: Site, id: string): MemberState {
    if (!site.up(id)) return { role: '', ready: false, says: 'is down', position: 0 };
    const front = this.front(site);
    if (site.part(id) === 'front') {
      const nodes = this.stores(site).filter((one) => this.contact(site, id, one)).length;
      return {
        role: 'front',
        ready: true,
        says: nodes ? '' : 'no store member answers yet',
        position: Object.keys(this.catalogue(site, id).tables).length
      };
    }
    const mine = Object.values(site.disk<StoreDisk>(id)?.spans ?? {});
    const stale =
      front === undefined
        ? 0
        : Object.values(this.catalogue(site, front).tables)
            .flatMap((one) => Object.values(one.spans))
            .filter((one) => one.stale.includes(id)).length;
    return {
      role: 'store',
      ready: true,
      says: stale ? `${stale} of its spans are stale` : '',
      position: mine.reduce((sum, one) => sum + one.length, 0),
      lag: stale
    };
  }
}
