import type { Highs, Model } from 'highs';
import type { NodesAsked } from './ask';
import { costOf, inZone, mostOnOne, overZones, type Packed } from './first';
import type { Pattern } from './patterns';

/** A way to fill one node of a kind. */
export interface Column {
  readonly kind: number;
  readonly holds: Pattern;
}

/** Seconds after which one run of the solver is given up, whatever it has; a guard that ordinary questions don't reach. */
const guardSeconds = 1.5;
/** What a member without a place costs, in nodes: more than any packing. */
const unplaced = 10_000;
/** What differs by less is the same. */
export const near = 1e-6;

let loading: Promise<Highs> | undefined;
/** The solver for linear programs, loaded once. */
export const solver = (): Promise<Highs> => (loading ??= import('highs').then(({ default: load }) => load()));

interface Entries {
  readonly indices: number[];
  readonly values: number[];
}

/** The program over the columns that are known so far; more are added as they are found. Zones are alike, so its bound needs none of them. */
export class Master {
  readonly columns: Column[] = [];
  private readonly seen = new Set<string>();
  private readonly bounded: (number | undefined)[];
  private fillers = 0;

  constructor(
    private readonly highs: Highs,
    private readonly model: Model,
    private readonly asked: NodesAsked,
    scale: number
  ) {
    model.options.set({ output_flag: false, presolve: 'off', random_seed: 0 });
    asked.members.forEach((one) => model.addRow(one.count, highs.infinity, { indices: [], values: [] }));
    let rows = asked.members.length;
    this.bounded = asked.nodes.map((one) => {
      if (!Number.isFinite(one.most)) return undefined;
      model.addRow(-highs.infinity, one.most, { indices: [], values: [] });
      return rows++;
    });
    // What is missing in a row is paid dearly, so that there is an answer from the beginning.
    asked.members.forEach((_, row) => {
      model.addCol(unplaced * scale, 0, highs.infinity, { indices: [row], values: [1] });
      this.fillers += 1;
    });
  }

  add(column: Column): boolean {
    const key = `${column.kind}:${column.holds.join()}`;
    if (this.seen.has(key)) return false;
    this.seen.add(key);
    this.columns.push(column);
    const indices = column.holds.flatMap((count, i) => (count ? [i] : []));
    const values = indices.map((i) => column.holds[i]!);
    const bound = this.bounded[column.kind];
    this.model.addCol(costOf(this.asked.nodes[column.kind]!, this.asked.by), 0, this.highs.infinity, {
      indices: bound === undefined ? indices : [...indices, bound],
      values: bound === undefined ? values : [...values, 1]
    });
    return true;
  }

  /** Asks for so many members from now on, and so many nodes of a kind at most. */
  asks(counts: readonly number[], most: readonly number[]): void {
    counts.forEach((count, i) => this.model.changeRowBounds(i, count, this.highs.infinity));
    this.bounded.forEach((row, kind) => row !== undefined && this.model.changeRowBounds(row, -this.highs.infinity, most[kind]!));
  }

  /** The best shares of the columns; what each member is worth by it, and what a node that can't be had in plenty costs besides. */
  relaxed(): { value: number; times: number[]; worth: number[]; dear: number[]; missing: number } {
    this.model.run();
    const { colValue, rowDual } = this.model.getSolution();
    let missing = 0;
    for (let i = 0; i < this.fillers; i += 1) missing += colValue[i]!;
    return {
      value: this.model.getObjectiveValue(),
      times: Array.from(colValue).slice(this.fillers),
      worth: this.asked.members.map((_, i) => Math.max(0, rowDual[i]!)),
      dear: this.bounded.map((row) => (row === undefined ? 0 : Math.max(0, -rowDual[row]!))),
      missing
    };
  }
}

/** One node filled with shares of members: how scarce each want is there, and what nothing whole is worth more than. */
export class Scales {
  private readonly model: Model;

  constructor(
    highs: Highs,
    { members }: NodesAsked,
    private readonly room: readonly number[]
  ) {
    this.model = highs.createModel();
    this.model.options.set({ output_flag: false, presolve: 'off', random_seed: 0 });
    this.model.changeObjectiveSense(highs.constants.objectiveSense.maximize);
    room.forEach((one) => this.model.addRow(-highs.infinity, one, { indices: [], values: [] }));
    members.forEach((one) => {
      const indices = one.size.flatMap((size, d) => (size > 0 ? [d] : []));
      const fits = one.size.every((size, d) => size <= room[d]!);
      this.model.addCol(0, 0, fits ? mostOnOne(one) : 0, { indices, values: indices.map((d) => one.size[d]!) });
    });
  }

  weigh(worth: readonly number[]): { readonly shares: number[]; readonly most: number } {
    worth.forEach((one, i) => this.model.changeColCost(i, one));
    this.model.run();
    const { rowDual } = this.model.getSolution();
    const prices = this.room.map((room, d) => Math.abs(rowDual[d]!) * room);
    const all = prices.reduce((a, b) => a + b, 0);
    const used = this.room.filter((room) => room > 0).length;
    return {
      shares: this.room.map((room, d) => (all > near ? prices[d]! / all : room > 0 ? 1 / used : 0)),
      most: this.model.getObjectiveValue()
    };
  }

  dispose(): void {
    this.model.dispose();
  }
}

/** The best whole numbers over some columns. */
export interface Whole {
  /** How often each column stands in each zone. */
  readonly times: readonly (readonly number[])[];
}

/**
 * Whole numbers over columns, in zones where members have to spread over them.
 * @param atMost what they may cost; without it members may go without a place, which is dear
 * @returns the best that was found, and whether these columns have none that is better
 */
export function wholeOf(
  highs: Highs,
  { members, nodes, zones: all, by }: NodesAsked,
  columns: readonly Column[],
  { atMost, scale, branches }: { readonly atMost?: number; readonly scale: number; readonly branches: number }
): { readonly found: Whole | undefined; readonly sure: boolean } {
  const { constants, infinity } = highs;
  const zones = members.some((one) => overZones(one) && one.count > 0) ? all : 1;
  return highs.withModel((model) => {
    model.options.set({ output_flag: false, random_seed: 0, mip_max_nodes: branches, time_limit: guardSeconds, mip_rel_gap: 0 });
    let rows = 0;
    let count = 0;
    const row = (least: number, most: number): number => {
      model.addRow(least, most, { indices: [], values: [] });
      return rows++;
    };
    const col = (cost: number, lower: number, upper: number, entries: Entries): void => {
      model.addCol(cost, lower, upper, entries);
      model.changeColIntegrality(count++, constants.variableType.integer);
    };
    const whole = members.map((one) => row(one.count, infinity));
    // In a zone stand as many as count there, or more, who are taken off again.
    const zoned = members.map((one) => (overZones(one) && zones > 1 ? Array.from({ length: zones }, () => row(0, infinity)) : undefined));
    const bounded = nodes.map((one) => (Number.isFinite(one.most) ? row(-infinity, one.most) : undefined));
    const sum = atMost === undefined ? undefined : row(-infinity, atMost);
    for (const { kind, holds } of columns) {
      for (let zone = 0; zone < zones; zone += 1) {
        const entries: Entries = { indices: [], values: [] };
        const put = (at: number | undefined, value: number) => {
          if (at === undefined || value === 0) return;
          entries.indices.push(at);
          entries.values.push(value);
        };
        holds.forEach((one, i) => put(zoned[i]?.[zone] ?? whole[i], one));
        put(bounded[kind], 1);
        const cost = costOf(nodes[kind]!, by);
        put(sum, cost);
        col(cost, 0, infinity, entries);
      }
    }
    members.forEach((one, i) =>
      zoned[i]?.forEach((at) => {
        const [least, most] = inZone(one, zones);
        col(0, atMost === undefined ? 0 : least, most, { indices: [at, whole[i]!], values: [-1, 1] });
      })
    );
    if (atMost === undefined) members.forEach((_, i) => col(unplaced * scale, 0, infinity, { indices: [whole[i]!], values: [1] }));
    model.run();
    const status = model.getModelStatus();
    if (status === constants.modelStatus.infeasible) return { found: undefined, sure: true };
    const sure = status === constants.modelStatus.optimal;
    if (!sure && !Number.isFinite(model.info.get('mip_gap') as number)) return { found: undefined, sure };
    const rounded = Array.from(model.getSolution().colValue, Math.round);
    return { found: { times: columns.map((_, c) => rounded.slice(c * zones, (c + 1) * zones)) }, sure };
  });
}

/** Nodes by what the program chose; members that stand once too often are taken off again. */
export function nodesOf(
  { members, zones }: NodesAsked,
  columns: readonly Column[],
  times: Whole['times']
): { nodes: Packed[]; left: number[] } {
  const nodes: Packed[] = [];
  columns.forEach((one, c) =>
    times[c]!.forEach((count, zone, all) => {
      for (let i = 0; i < count; i += 1)
        nodes.push({ kind: one.kind, zone: all.length > 1 ? zone : nodes.length % zones, holds: [...one.holds] });
    })
  );
  const left = members.map((one, i) => {
    const of = Array.from({ length: zones }, (_, z) =>
      nodes.filter((node) => node.zone === z).reduce((sum, node) => sum + node.holds[i]!, 0)
    );
    let over = of.reduce((a, b) => a + b, 0) - one.count;
    while (over > 0) {
      const full = of.indexOf(Math.max(...of));
      const node = nodes.find((two) => two.zone === full && two.holds[i]! > 0)!;
      node.holds[i]! -= 1;
      of[full]! -= 1;
      over -= 1;
    }
    return Math.max(0, -over);
  });
  return { nodes: nodes.filter((one) => one.holds.some((count) => count > 0)), left };
}

/** Gives each node its zone, so that members spread evenly; undefined where no way was found. */
export function inZones(highs: Highs, { members, zones }: NodesAsked, packed: readonly Packed[]): Packed[] | undefined {
  const spread = members.flatMap((one, i) => (overZones(one) && one.count > 0 ? [i] : []));
  if (zones === 1 || !spread.length) return packed.map((one, n) => ({ ...one, zone: n % zones }));
  const { constants, infinity } = highs;
  return highs.withModel((model) => {
    model.options.set({ output_flag: false, random_seed: 0, time_limit: guardSeconds });
    packed.forEach(() => model.addRow(1, 1, { indices: [], values: [] }));
    spread.forEach((i) => {
      const [least, most] = inZone(members[i]!, zones);
      for (let zone = 0; zone < zones; zone += 1) model.addRow(least, most, { indices: [], values: [] });
    });
    packed.forEach((one, n) => {
      for (let zone = 0; zone < zones; zone += 1) {
        const rows = spread.flatMap((i, s) => (one.holds[i] ? [packed.length + s * zones + zone] : []));
        const values = spread.flatMap((i) => (one.holds[i] ? [one.holds[i]] : []));
        model.addCol(0, 0, infinity, { indices: [n, ...rows], values: [1, ...values] });
        model.changeColIntegrality(n * zones + zone, constants.variableType.integer);
      }
    });
    model.run();
    if (model.getModelStatus() !== constants.modelStatus.optimal) return undefined;
    const { colValue } = model.getSolution();
    return packed.map((one, n) => ({
      ...one,
      zone: Math.max(0, Array.from({ length: zones }, (_, zone) => Math.round(colValue[n * zones + zone]!)).indexOf(1))
    }));
  });
}
