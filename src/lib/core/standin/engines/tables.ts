import { hash32, majorityOf } from '../../shared';
import { entriesIn, handedOut, namedIn, sumOf, textOfNamed, wouldOverwrite } from './copies';
import { counted } from './words';
import type { Ask, Op, Site, MemberState } from './site';
import { Group, type Record, type Rules } from './group';

/** One cell: what was written last, and at which position. */
export interface Cell {
  readonly value: string;
  readonly version: number;
}

/**
 * Tables (or collections) as `place/key` to cell, in so many slots by a hash of the key: whoever writes one cell makes its slot anew, and
 * shares the others with the tables before.
 */
export type Tables = Readonly<{ [slot: string]: Readonly<{ [key: string]: Cell }> }>;

/** How many slots there are; a matter of speed alone. */
const slots = 128;
const slotOf = (key: string): number => hash32(key) % slots;

/** The cell under a key, as `place/key`. */
export const cellAt = (state: Tables, key: string): Cell | undefined => state[slotOf(key)]?.[key];
/** All cells, slot by slot. */
const cellsOf = (state: Tables): [key: string, cell: Cell][] => Object.values(state).flatMap((slot) => Object.entries(slot));
/** As they were last written, the latest at the end; those of one position by their keys. */
const asWritten = ([a, one]: readonly [string, Cell], [b, two]: readonly [string, Cell]): number =>
  one.version - two.version || (a < b ? -1 : 1);
const countOf = (state: Tables): number => Object.values(state).reduce((sum, slot) => sum + Object.keys(slot).length, 0);
/** Tables of such cells. */
function gathered(cells: readonly (readonly [key: string, cell: Cell])[]): Tables {
  const state: { [slot: string]: { [key: string]: Cell } } = {};
  for (const [key, cell] of cells) (state[slotOf(key)] ??= {})[key] = cell;
  return state;
}

/** A row in one text, `table/key`. */
export const cellKey = ({ place = 'main', key = '' }: Op): string => `${place}/${key}`;

/** Rows that a founder writes, so that there is something to read from the start. */
const foundingRows = 6;

/** Rows that a group begins with, made from its id so that two groups differ. */
export const foundTables = (id: string): Tables =>
  gathered(Array.from({ length: foundingRows }, (_, i) => [`main/${id}-${i}`, { value: `founded-${i}`, version: 0 }] as const));

/** A write over a version that the writer hasn't seen is refused: two members took writes of one row, and the first in the order wins. */
function applyTable(state: Tables, op: Op, { index }: { index: number }): ReturnType<Rules<Tables>['apply']> {
  const key = cellKey(op);
  const old = cellAt(state, key);
  if (op.version !== undefined && (old?.version ?? 0) !== op.version)
    return { refused: `${key} was written at position ${old?.version ?? 0}, after version ${op.version} was read: certification fails` };
  if (op.do === 'drop') {
    const head = `${op.place ?? 'main'}/`;
    const all = cellsOf(state);
    const left = all.filter(([one]) => !one.startsWith(head));
    if (left.length === all.length) return { refused: `there is no ${op.place ?? 'main'}` };
    return { state: gathered(left), version: index };
  }
  if (op.do === 'take') {
    const entries = entriesIn(op.value ?? '');
    if (!entries) return { refused: 'that is no piece of a log' };
    let after = state;
    // They counted where they come from: which versions their writers had seen was looked at there.
    for (const one of entries) if (one.op) after = tablesAfter(after, { ...(one.op as Op), version: undefined } as Op, index);
    return { state: after, version: index };
  }
  if (op.do === 'put-back') {
    if (!namedIn(op.value ?? '')) return { refused: 'that is no copy of tables' };
    const head = op.place === undefined ? '' : `${op.place}/`;
    const cells = cellsOf(state);
    const others = cells.filter(([one]) => !one.startsWith(head));
    const mine = cells.filter(([one, cell]) => cell.version > 0 && one.startsWith(head)).length;
    if (!op.count && mine) return { refused: wouldOverwrite(counted(mine, 'row')) };
    const put = cellsOf(tablesOf(op.value ?? '', index));
    return { state: gathered([...others, ...put]), version: index };
  }
  if (op.do === 'delete') {
    const { [key]: _, ...rest } = state[slotOf(key)] ?? {};
    return { state: { ...state, [slotOf(key)]: rest }, version: index };
  }
  const slot = slotOf(key);
  return { state: { ...state, [slot]: { ...state[slot], [key]: { value: op.value ?? '', version: index } } }, version: index };
}

const sameCells = (a: Tables, b: Tables): boolean => {
  const [ours, theirs] = [cellsOf(a), cellsOf(b)];
  return (
    ours.length === theirs.length &&
    ours.every(([key, { value, version }], i) => {
      const [other, cell] = theirs[i]!;
      return other === key && cell.value === value && cell.version === version;
    })
  );
};

/** What one entry came to, where it was applied first: all members of a group apply the same one to the same tables. */
const once = new WeakMap<Op, { state: Tables; index: number; result: ReturnType<typeof applyTable> }>();

/** As {@link applyTable}; members that hold the same share what it comes to, instead of each making tables of its own. */
function applyShared(state: Tables, op: Op, { index }: { index: number }): ReturnType<typeof applyTable> {
  const known = once.get(op);
  if (known?.index === index && (known.state === state || sameCells(known.state, state))) return known.result;
  const result = applyTable(state, op, { index });
  once.set(op, { state, index, result });
  return result;
}

const namedOf = (state: Tables): [string, string][] => cellsOf(state).map(([key, { value }]) => [key, value]);
/** Tables in one text, as a copy of them keeps them: `[table/key, value]`, sorted. */
export const textOf = (state: Tables): string => textOfNamed(namedOf(state));
/** The tables of such a text, all written at one position; none for a text that is no such. */
export const tablesOf = (text: string, version: number): Tables =>
  gathered((namedIn(text) ?? []).map(([key, value]) => [key, { value, version }] as const));
/** Tables after one more entry of a log. */
export const tablesAfter = (state: Tables, op: Op, index: number): Tables => {
  const after = applyTable(state, op, { index });
  return 'state' in after ? after.state : state;
};
const writes = new Set(['write', 'delete', 'drop', 'put-back', 'take']);

/** Bytes that a member hands over in a second when another takes its whole state (common practice, no source). */
const givingBytesPerSecond = 80_000_000;

const tableRules = (more: Pick<Rules<Tables>, 'words'> & Partial<Rules<Tables>>): Rules<Tables> => ({
  empty: {},
  found: foundTables,
  apply: applyShared,
  counts: (members, have) => have.length >= majorityOf(members.length),
  electors: majorityOf,
  anyTakes: false,
  leavesOnStop: false,
  patienceMs: [3_000, 6_000],
  givingMs: (_, state) => 1_500 + (JSON.stringify(state).length / givingBytesPerSecond) * 1_000,
  ...more
});

/** A group that keeps tables, with reads at any member that may be trusted with them. */
export class TableGroup extends Group<Tables> {
  constructor(
    rules: Rules<Tables>,
    /** Whether a member without a majority still answers reads. */
    private readonly readsAlone: boolean,
    /** Whether a program that has its store open counts as ready, whoever leads. */
    private readonly readyAlone: boolean
  ) {
    super(rules);
  }

  override ask(site: Site, ask: Ask): void {
    const { op, member } = ask;
    if (writes.has(op.do)) return super.ask(site, ask);
    const leads = member === undefined ? this.leader(site) : undefined;
    const id = member ?? leads ?? site.ids.find((one) => site.up(one));
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', ...(id === undefined ? {} : { by: id }), says });
    if (id === undefined || !site.up(id)) return refuse(`${id ?? 'nobody'} doesn't answer`);
    const record = this.record(site, id);
    if (!record || !this.belongs(site, id)) return refuse('it has not joined yet');
    if (!this.readsAlone && !this.standing(site, id).ready) return refuse(this.standing(site, id).says);
    // Who has only just begun to lead may lack what counted before. Source: Ongaro's dissertation, section 6.4.
    if (id === leads && !this.surelyLeads(site, id)) return refuse('it has just begun to lead, and does not know yet what counts');
    if (op.do === 'log') return this.log(site, ask, id, record);
    this.read(site, ask, id, record);
  }

  /** What counts and was written after a position, entry by entry; from then on the log is kept for whoever asked. */
  private log(site: Site, { id: ask, op }: Ask, id: string, record: Record<Tables>): void {
    const { base, applied, log } = record;
    const from = op.version ?? 0;
    if (from < base.index)
      return site.answer(ask, {
        outcome: 'refused',
        by: id,
        says: `its log begins after position ${base.index}; ${from} is gone`,
        version: base.index
      });
    const rows = log
      .filter((one) => one.index > from && one.index <= applied)
      .map((one): [string, string] => [String(one.index), JSON.stringify({ atMs: one.atMs, op: one.op })]);
    this.keep(site, id, { takenUpTo: from });
    site.answer(ask, {
      outcome: 'acknowledged',
      by: id,
      says: `its log from ${from} to ${applied}`,
      rows,
      count: rows.length,
      version: applied,
      checksum: sumOf(textOf(record.state))
    });
  }

  private read(site: Site, { id: ask, op }: Ask, id: string, { state, applied }: Record<Tables>): void {
    switch (op.do) {
      case 'read': {
        const cell = cellAt(state, cellKey(op));
        const says = cell ? `written at position ${cell.version}` : `nothing under ${cellKey(op)}; it has read up to position ${applied}`;
        return site.answer(ask, {
          outcome: 'acknowledged',
          by: id,
          says,
          ...(cell ? { rows: [[op.key ?? '', cell.value]], version: cell.version } : { rows: [], version: 0 })
        });
      }
      case 'list': {
        const head = `${op.place ?? 'main'}/`;
        const rows = cellsOf(state)
          .filter(([key]) => key.startsWith(head))
          .sort(asWritten)
          .map(([key, { value }]): [string, string] => [key.slice(head.length), value]);
        return site.answer(ask, {
          outcome: 'acknowledged',
          by: id,
          says: `${counted(rows.length, 'row')} at position ${applied}`,
          rows: rows.slice(-200),
          count: rows.length
        });
      }
      case 'copy': {
        const says = `${counted(countOf(state), 'row')} at position ${applied}`;
        return site.answer(ask, handedOut(id, 'tables', namedOf(state), says, applied));
      }
      case 'members': {
        const known = this.members(site, id) ?? [];
        return site.answer(ask, {
          outcome: 'acknowledged',
          by: id,
          says: `sees ${known.length} members`,
          count: known.length,
          rows: known.map((one) => [
            one,
            one === this.heard(site, id) || (this.mind(site, id)?.role === 'leader' && one === id) ? 'leads' : ''
          ])
        });
      }
      default:
        return site.answer(ask, { outcome: 'refused', by: id, says: `it knows no ${op.do}` });
    }
  }

  override standing(site: Site, id: string): MemberState {
    const mine = super.standing(site, id);
    // Whoever comes back lacks what was written meanwhile: reads may not be led to it before it has that.
    if (!this.readsAlone && mine.ready && mine.leader !== id && !this.mind(site, id)!.whole)
      return { ...mine, role: 'joining', ready: false, says: `catches up with ${mine.leader}` };
    if (!this.readyAlone || mine.ready || !site.up(id)) return mine;
    return { ...mine, ready: this.record(site, id) !== undefined && this.belongs(site, id) };
  }
}

/**
 * Multi-primary SQL: any member takes writes; they are put into one order, and count when every member that is still heard from has
 * them, and a majority at least. A write that would overwrite what its writer hadn't seen is refused. Survives as many members as leave a majority.
 */
export const multiPrimarySql = (): TableGroup =>
  new TableGroup(
    tableRules({
      anyTakes: true,
      leavesOnStop: true,
      counts: (members, have, present) => have.length >= majorityOf(members.length) && present.every((one) => have.includes(one)),
      words: { leader: 'primary', follower: 'primary', alone: 'no majority' }
    }),
    false,
    false
  );

/**
 * Primary-standby SQL: the primary alone takes writes; a commit waits for so many standbys. So many members have to agree on a new
 * primary that one of them surely has every acknowledged commit. With no synchronous standby, what the standbys lacked is lost with the primary.
 * @param synchronous standbys that a commit waits for, 0 or more
 */
export const primaryStandbySql = (synchronous: number): TableGroup =>
  new TableGroup(
    tableRules({
      counts: (members, have) => have.length >= Math.min(members.length, synchronous + 1),
      electors: (n) => (synchronous > 0 ? Math.max(majorityOf(n), n - synchronous) : majorityOf(n)),
      words: { leader: 'primary', follower: 'standby', alone: 'standby' }
    }),
    true,
    true
  );

/**
 * Document replica set: a majority elects; of those that have everything the one with the highest priority leads in the end. A write counts
 * when a majority has it.
 * @param priorities by member; 1 where none is given, 0: never leads
 */
export const documentSet = (priorities: Readonly<{ [id: string]: number }> = {}): TableGroup =>
  new TableGroup(
    tableRules({
      priority: (id) => priorities[id] ?? 1,
      patienceMs: [8_000, 12_000],
      words: { leader: 'primary', follower: 'secondary', alone: 'secondary' }
    }),
    true,
    true
  );

/** What stands for the rows of a member's volume: the same where they are the same ones. */
export const tableContent = (data: unknown): object | undefined => (data as Record<Tables> | undefined)?.state;

/** What a member's volume holds, as rows; undefined for data of another engine. */
export const tableRows = (data: unknown): [string, string][] | undefined => {
  const state = (data as Record<Tables> | undefined)?.state;
  return (
    state &&
    cellsOf(state)
      .sort(asWritten)
      .map(([key, { value }]): [string, string] => [key, value])
  );
};
