import { costOf, firstFit, mostOnOne, overZones, type Packed } from './first';
import { inZones, Master, near, nodesOf, Scales, solver, wholeOf, type Column, type Whole } from './program';
import { NodePacker } from './patterns';
import { wants, type NodesAsked } from './ask';

/** A packing with how good it is. */
export interface Solved {
  readonly nodes: readonly Packed[];
  /** Members of each kind that found no place. */
  readonly left: readonly number[];
  /** No packing costs less than this: nodes, or a month's price. */
  readonly least: number;
  /** Whether none costs less than this one; where members are left: whether all of them can not be placed. */
  readonly proven: boolean;
  /** What first fit decreasing came to; undefined where it found no place for some. */
  readonly first: number | undefined;
}

/** How much is looked at, so that the same question has the same answer on every machine. */
const effort = {
  rounds: 250,
  looks: 4_000,
  longLooks: 300_000,
  allLooks: 10_000_000,
  listed: 6_000,
  listLooks: 6_000_000,
  branches: 300,
  dives: 80
};

/** Kinds of which another one, to be had in plenty, gives at least as much of everything for no more. */
function outdone({ nodes, by }: NodesAsked): boolean[] {
  return nodes.map((one, k) =>
    nodes.some((two, j) => {
      if (j === k || two.most !== Infinity) return false;
      const same = costOf(two, by) === costOf(one, by) && two.room.every((room, d) => room === one.room[d]) && one.most === Infinity;
      return costOf(two, by) <= costOf(one, by) && two.room.every((room, d) => room >= one.room[d]!) && (!same || j < k);
    })
  );
}

/** A question without its zones: whoever spreads over them stands on nodes of their own, or wherever there is room. */
const zoneless = (asked: NodesAsked): NodesAsked => ({
  ...asked,
  zones: 1,
  members: asked.members.map((one) => ({ ...one, apart: one.apart === 'both' ? 'nodes' : one.apart === 'zones' ? 'no' : one.apart }))
});

/**
 * Whole nodes from shares: what the program takes at least once is taken, else the column it takes most of, and it is asked again for what
 * is left; after each step first fit decreasing tries to end it.
 */
function dived(
  asked: NodesAsked,
  counts: readonly number[],
  had: readonly number[],
  master: Master,
  sum: (all: readonly Packed[]) => number
): Packed[] | undefined {
  const left = [...counts];
  const most = [...had];
  const taken: Packed[] = [];
  let best: Packed[] | undefined;
  const end = () => {
    const rest = firstFit({
      ...asked,
      members: asked.members.map((one, i) => ({ ...one, count: left[i]! })),
      nodes: asked.nodes.map((one, k) => ({ ...one, most: most[k]! }))
    });
    if (rest.left.some((one) => one > 0)) return;
    const all = [...taken, ...rest.nodes];
    if (!best || sum(all) < sum(best) - near) best = all.map((one) => ({ ...one, holds: [...one.holds] }));
  };
  for (let step = 0; step < effort.dives && left.some((one) => one > 0); step += 1) {
    end();
    master.asks(left, most);
    const { times } = master.relaxed();
    const whole = times.map((one) => Math.floor(one + near));
    if (!whole.some((one) => one > 0)) {
      const top = times.reduce((at, one, i) => (one > times[at]! ? i : at), 0);
      if (times[top]! <= near) break;
      whole[top] = 1;
    }
    let moved = false;
    whole.forEach((count, c) => {
      const { kind, holds } = master.columns[c]!;
      for (let i = 0; i < count && most[kind]! > 0; i += 1) {
        const mine = holds.map((one, m) => Math.min(one, left[m]!));
        if (!mine.some((one) => one > 0)) break;
        mine.forEach((one, m) => (left[m]! -= one));
        most[kind]! -= 1;
        taken.push({ kind, zone: 0, holds: mine });
        moved = true;
      }
    });
    if (!moved) break;
  }
  end();
  return best;
}

/** Zone by zone, each with its part of everybody: even by itself, and seldom more than a node a zone above what there has to be. */
function divedByZone(asked: NodesAsked, master: Master, sum: (all: readonly Packed[]) => number): Packed[] | undefined {
  const { members, nodes, zones } = asked;
  const left = nodes.map((one) => one.most);
  const open = zoneless(asked);
  const all: Packed[] = [];
  for (let zone = 0; zone < zones; zone += 1) {
    let over = 0;
    const counts = members.map((one) => {
      // What doesn't divide goes to another zone each time.
      const from = over;
      over += one.count % zones;
      const more = (zone - from + zones * 1_000) % zones < one.count % zones ? 1 : 0;
      return Math.floor(one.count / zones) + more;
    });
    const found = dived(open, counts, left, master, sum);
    if (!found) return undefined;
    found.forEach((one) => (left[one.kind]! -= 1));
    all.push(...found.map((one) => ({ ...one, zone })));
  }
  return all;
}

/**
 * Packs members on nodes at the least cost: first fit decreasing, then columns made as they are needed (Gilmore and Gomory 1961), then whole
 * numbers over every column that can still do better. What it costs at least is told by what members are worth at the end (Farley 1990).
 * @param quick only the bound, and whole nodes from shares
 */
export async function solveNodes(asked: NodesAsked, quick = false): Promise<Solved> {
  const { members, nodes, by } = asked;
  const highs = await solver();
  const started = firstFit(asked);
  if (!members.some((one) => one.count > 0)) return { nodes: [], left: started.left, least: 0, proven: true, first: 0 };
  const costs = nodes.map((one) => costOf(one, by));
  const sum = (all: readonly Packed[]) => all.reduce((total, one) => total + costs[one.kind]!, 0);
  const first = started.left.every((one) => one === 0) ? sum(started.nodes) : undefined;
  /** Sums are whole numbers where nodes are counted. */
  const up = (value: number) => (by === 'nodes' ? Math.ceil(value - near) : value);
  const scale = Math.max(...costs, near);
  const skip = outdone(asked);
  const sizes = members.map((one) => one.size);
  const counts = members.map((one) => one.count);
  const most = members.map(mostOnOne);
  const packers = nodes.map((one) => new NodePacker(sizes, one.room, most));
  let best = { nodes: started.nodes, left: started.left as number[] };
  let cost = first ?? Infinity;
  let least = up(plainBound(asked, costs));
  const enough = () => cost <= least + (by === 'nodes' ? near : Math.abs(least) * 1e-9);
  const scales = nodes.map((one) => new Scales(highs, asked, one.room));
  const model = highs.createModel();
  try {
    const master = new Master(highs, model, asked, scale);
    for (const { kind, holds } of started.nodes) master.add({ kind, holds });
    let relaxed = master.relaxed();
    let sure = false;
    let looks = 0;
    for (let round = 0; round < effort.rounds && !sure && !enough(); round += 1) {
      let added = false;
      let share = 1;
      for (let kind = 0; kind < nodes.length; kind += 1) {
        if (skip[kind]) continue;
        const above = costs[kind]! + relaxed.dear[kind]! + near;
        const { shares, most: bound } = scales[kind]!.weigh(relaxed.worth);
        let its = bound;
        if (bound > above) {
          let found = packers[kind]!.better(relaxed.worth, shares, above, effort.looks);
          looks += found.looks;
          if (!found.sure && !found.patterns.length && looks < effort.allLooks) {
            found = packers[kind]!.better(relaxed.worth, shares, above, effort.longLooks);
            looks += found.looks;
          }
          for (const holds of found.patterns.slice(-3)) added = master.add({ kind, holds }) || added;
          its = Math.min(its, found.most);
        }
        if (its > above + near) share = Math.min(share, costs[kind]! / (its - relaxed.dear[kind]!));
      }
      // All that members are worth, made smaller until no node holds more than it costs, is a bound at any time.
      least = Math.max(least, up(relaxed.value * Math.max(0, share)));
      sure = !added && share === 1;
      if (!added) break;
      relaxed = master.relaxed();
    }
    const missing = relaxed.missing > near;
    const all = counts.reduce((a, b) => a + b, 0);
    const lacks = (left: readonly number[]) => left.reduce((a, b) => a + b, 0);
    const take = (whole: Whole | undefined, columns: readonly Column[]) => {
      if (!whole) return;
      const found = nodesOf(asked, columns, whole.times);
      const its = sum(found.nodes);
      if (lacks(found.left) === 0 ? its < cost - near : lacks(found.left) < lacks(best.left)) best = found;
      if (lacks(best.left) === 0) cost = sum(best.nodes);
    };
    /** Every column that can be part of a packing that costs no more than this: above its worth it may cost the gap, not more. */
    const within = (atMost: number): Column[] | undefined => {
      const gap = atMost - relaxed.value + near;
      const listed: Column[] = [];
      for (let kind = 0; kind < nodes.length; kind += 1) {
        if (skip[kind]) continue;
        const bar = costs[kind]! + relaxed.dear[kind]! - gap;
        const { unseen } = packers[kind]!.search(
          relaxed.worth,
          scales[kind]!.weigh(relaxed.worth).shares,
          bar,
          effort.listLooks,
          (holds) => {
            listed.push({ kind, holds });
            return listed.length < effort.listed ? bar : Infinity;
          },
          true
        );
        if (unseen > -Infinity || listed.length >= effort.listed) return undefined;
      }
      return listed;
    };
    const aimedAt = (atMost: number): boolean => {
      const columns = within(atMost);
      if (!columns) return false;
      const { found, sure: told } = wholeOf(highs, asked, columns, { atMost, scale, branches: effort.branches });
      take(found, columns);
      return told;
    };
    if (!enough() && !missing) {
      const had = nodes.map((one) => one.most);
      const place = (placed: Packed[] | undefined) => {
        if (placed && sum(placed) < cost - near) [best, cost] = [{ nodes: placed, left: members.map(() => 0) }, sum(placed)];
      };
      const found = dived(zoneless(asked), counts, had, master, sum);
      if (found && sum(found) < cost - near) place(inZones(highs, asked, found));
      if (!enough() && asked.zones > 1 && members.some(overZones)) place(divedByZone(asked, master, sum));
      master.asks(counts, had);
    }
    // At what it costs at least: few columns can be part of that. Where there is no such packing, it costs one more.
    if (sure && !missing && !quick && by === 'nodes') while (!enough() && least <= all && aimedAt(least + near)) if (!enough()) least += 1;
    if ((!enough() && !quick) || missing || cost === Infinity) {
      const { found } = wholeOf(highs, asked, master.columns, { scale, branches: effort.branches });
      take(found, master.columns);
      // Never more nodes than members: where not even that many do, somebody has no place.
      if ((missing && sure) || (by === 'nodes' && least > all)) return { ...best, least: 0, proven: true, first };
    }
    if (sure && by === 'price' && !quick && !enough() && Number.isFinite(cost) && aimedAt(cost)) least = cost;
    return { ...best, least: Math.min(least, cost), proven: enough(), first };
  } finally {
    model.dispose();
    scales.forEach((one) => one.dispose());
  }
}

/** First fit decreasing alone, for a picture at once: with the bound that the scarcest want tells. */
export function firstNodes(asked: NodesAsked): Solved {
  const costs = asked.nodes.map((one) => costOf(one, asked.by));
  const { nodes, left } = firstFit(asked);
  const cost = nodes.reduce((sum, one) => sum + costs[one.kind]!, 0);
  const bound = plainBound(asked, costs);
  const least = Math.min(cost, asked.by === 'nodes' ? Math.ceil(bound - near) : bound);
  const whole = left.every((one) => one === 0);
  return { nodes, left, least, proven: whole && cost <= least + near, first: whole ? cost : undefined };
}

/** What all members take of the scarcest want, of the kind of nodes that gives most of it for its cost. */
function plainBound({ members, nodes }: NodesAsked, costs: readonly number[]): number {
  const bounds = wants.map((_, d) => {
    const asked = members.reduce((sum, one) => sum + one.size[d]! * one.count, 0);
    return asked * Math.min(...nodes.map((one, k) => (one.room[d]! > 0 ? costs[k]! / one.room[d]! : Infinity)));
  });
  return Math.max(...bounds.filter(Number.isFinite), 0);
}
