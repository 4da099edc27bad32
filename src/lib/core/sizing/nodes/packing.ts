import { amountText } from '../../model';
import { listed, plural } from '../../shared';
import { endless, wants, type Members, type NodeKind, type NodesAsked, type Want } from './ask';
import { costOf, firstFit, overZones, type Packed } from './first';
import { timesIn } from './patterns';
import { firstNodes, solveNodes } from './solve';

/** Nodes that are filled alike in one zone. */
export interface NodeGroup {
  readonly kind: string;
  /** From 1. */
  readonly zone: number;
  readonly times: number;
  readonly holds: readonly { readonly name: string; readonly count: number }[];
  /** How much of each want is taken, as shares of the node; wants that the node has nothing of are left out. */
  readonly fills: readonly { readonly want: Want; readonly share: number; readonly text: string }[];
}

/** How members fit on nodes. */
export interface NodeFit {
  readonly headline: string;
  /** How many nodes, and what they cost a month; undefined where a price isn't known. */
  readonly nodes: number;
  readonly price: number | undefined;
  /** No packing has fewer nodes (or costs less) than this. */
  readonly least: number;
  readonly proven: boolean;
  /** What first fit decreasing came to, in the same measure. */
  readonly first: number | undefined;
  readonly groups: readonly NodeGroup[];
  readonly left: readonly { readonly name: string; readonly count: number }[];
  /** What blocks, as sentences; empty where all have a place. */
  readonly blocks: readonly string[];
  /** So that the members of any one node find a place again; undefined where some have none at all. */
  readonly spare: { readonly nodes: number; readonly says: string } | undefined;
  /** So that all of them run again without a zone; undefined with one zone, or where some have no place. */
  readonly zoneless: { readonly nodes: number; readonly says: string } | undefined;
  /** With nodes of one kind alone. */
  readonly alone: readonly { readonly kind: string; readonly nodes: number | undefined; readonly least: number; readonly says: string }[];
  readonly notes: readonly string[];
}

const words: Readonly<Record<Want, string>> = { cpu: 'CPU', memory: 'memory', slots: 'slots', disk: 'disk' };
const mib = 2 ** 20;

/** An amount of a want, in words. */
export function amountSaid(want: Want, amount: number): string {
  if (want === 'slots') return String(amount);
  return want === 'cpu' ? amountText('cpu', amount) : amountText('memory', amount * mib);
}

const takenOn = (holds: readonly number[], members: readonly Members[], d: number): number =>
  holds.reduce((sum, count, i) => sum + count * members[i]!.size[d]!, 0);

function groupsOf(packed: readonly Packed[], { members, nodes }: NodesAsked): NodeGroup[] {
  const found = new Map<string, { one: Packed; times: number }>();
  for (const one of packed) {
    const key = `${one.zone}:${one.kind}:${one.holds.join()}`;
    const known = found.get(key);
    if (known) known.times += 1;
    else found.set(key, { one, times: 1 });
  }
  return [...found.values()]
    .sort((a, b) => a.one.zone - b.one.zone || a.one.kind - b.one.kind || b.times - a.times)
    .map(({ one, times }) => ({
      kind: nodes[one.kind]!.name,
      zone: one.zone + 1,
      times,
      holds: one.holds.flatMap((count, i) => (count ? [{ name: members[i]!.name, count }] : [])),
      fills: wants.flatMap((want, d) => {
        const [taken, room] = [takenOn(one.holds, members, d), nodes[one.kind]!.room[d]!];
        return room > 0 && room < endless
          ? [{ want, share: taken / room, text: `${amountSaid(want, taken)} of ${amountSaid(want, room)}` }]
          : [];
      })
    }));
}

/** Why one of these fits on no node of any kind: what each kind lacks. */
function tooLarge({ name, size, count }: Members, nodes: readonly NodeKind[]): string | undefined {
  if (count === 0 || nodes.some((kind) => timesIn(size, kind.room) >= 1)) return undefined;
  const lacks = wants.filter((_, d) => nodes.every((kind) => size[d]! > kind.room[d]!));
  if (!lacks.length) {
    const asked = wants.flatMap((want, d) => (size[d]! > 0 ? [`${amountSaid(want, size[d]!)} of ${words[want]}`] : []));
    return `One of ${name} needs ${listed(asked)} at once, and no kind of nodes has all of it.`;
  }
  const said = lacks.map((want) => {
    const d = wants.indexOf(want);
    const most = Math.max(...nodes.map((kind) => kind.room[d]!));
    return `${amountSaid(want, size[d]!)} of ${words[want]}, and the most that a node has is ${amountSaid(want, most)}`;
  });
  return `One of ${name} needs ${said.join('; ')}.`;
}

/** What blocks where members are left: too few nodes to be had. */
async function lacking(asked: NodesAsked): Promise<string[]> {
  const bounded = asked.nodes.filter((one) => Number.isFinite(one.most));
  const free = await solveNodes({ ...asked, nodes: asked.nodes.map((one) => ({ ...one, most: Infinity })) }, true);
  const had = listed(bounded.map((one) => `${one.most} of ${one.name}`));
  const would = listed(
    asked.nodes.flatMap((kind, k) => {
      const count = free.nodes.filter((one) => one.kind === k).length;
      return count ? [`${count} of ${kind.name}`] : [];
    })
  );
  return [`Not more than ${had} can be had; ${would} would hold all${asked.zones > 1 ? `, over ${asked.zones} zones` : ''}.`];
}

/** A node more, kept empty, that takes what any one node holds; one in each zone where volumes keep members in theirs. */
function spareFor(packed: readonly Packed[], { members, nodes, zones, by }: NodesAsked): NodeFit['spare'] {
  const bound = zones > 1 && members.some((one) => one.count > 0 && (one.size[2]! > 0 || overZones(one)));
  const groups = bound
    ? Array.from({ length: zones }, (_, z) => packed.filter((one) => one.zone === z)).filter((one) => one.length)
    : [packed];
  const order = nodes.map((_, k) => k).sort((a, b) => costOf(nodes[a]!, by) - costOf(nodes[b]!, by) || a - b);
  const extra = nodes.map(() => 0);
  for (const group of groups) {
    const takes = (k: number) =>
      group.every((one) => nodes[one.kind]!.room.every((_, d) => takenOn(one.holds, members, d) <= nodes[k]!.room[d]!));
    const one = order.find(takes);
    if (one !== undefined) extra[one]! += 1;
    // Kinds that none of the others stands in for: one of each.
    else for (const kind of new Set(group.map((node) => node.kind))) extra[kind]! += 1;
  }
  const short = nodes.filter((one, k) => packed.filter((node) => node.kind === k).length + extra[k]! > one.most);
  const said = listed(nodes.flatMap((one, k) => (extra[k] ? [`${extra[k]} more of ${one.name}`] : [])));
  return {
    nodes: packed.length + extra.reduce((a, b) => a + b, 0),
    says: `${said}, kept empty${bound ? ', for volumes and an even spread keep members in their zone' : ''}${short.length ? `; so many of ${listed(short.map((one) => one.name))} can not be had` : ''}`
  };
}

/** All of them on the zones that are left, with volumes made anew there from copies: as many in each zone as the fullest one needs. */
async function withoutZone(asked: NodesAsked): Promise<NodeFit['zoneless']> {
  const { zones, nodes } = asked;
  if (zones < 2) return undefined;
  const open = { ...asked, zones: zones - 1, nodes: nodes.map((one) => ({ ...one, most: Infinity })) };
  const { nodes: packed } = await solveNodes(open, true);
  const most = nodes.map((_, k) =>
    Math.max(...Array.from({ length: zones - 1 }, (_, z) => packed.filter((one) => one.kind === k && one.zone === z).length))
  );
  const all = most.reduce((a, b) => a + b, 0) * zones;
  const short = nodes.filter((one, k) => most[k]! * zones > one.most);
  const each = listed(nodes.flatMap((one, k) => (most[k] ? [`${most[k]} of ${one.name}`] : [])));
  return {
    nodes: all,
    says: `${each} in each of ${zones} zones: enough, fewer may do; volumes are made anew from copies${short.length ? `; so many of ${listed(short.map((one) => one.name))} can not be had` : ''}`
  };
}

function aloneOn(asked: NodesAsked): NodeFit['alone'] {
  return asked.nodes.map((kind) => {
    const not = asked.members.map((one) => tooLarge(one, [kind])).find(Boolean);
    if (not !== undefined) return { kind: kind.name, nodes: undefined, least: Infinity, says: not };
    const only = { ...asked, nodes: [{ ...kind, most: Infinity }], by: 'nodes' as const };
    const count = firstFit(only).nodes.length;
    const bound = Math.max(
      ...wants.map((_, d) => {
        const need = takenOn(
          asked.members.map((one) => one.count),
          asked.members,
          d
        );
        return need > 0 ? Math.ceil(need / kind.room[d]! - 1e-9) : 0;
      }),
      ...asked.members.map((one) => (one.apart === 'nodes' || one.apart === 'both' ? one.count : 0))
    );
    const short = count > kind.most ? `; ${kind.most} can be had` : '';
    return {
      kind: kind.name,
      nodes: count,
      least: Math.min(bound, count),
      says: `${bound < count ? `${bound} to ${count}` : count}${short}`
    };
  });
}

/**
 * How members fit on nodes, at the least cost; what blocks where they don't.
 * @param first by first fit decreasing alone, at once; what it takes without a zone isn't told then
 */
export async function nodeFit(asked: NodesAsked, first = false): Promise<NodeFit> {
  const { members, nodes, by } = asked;
  const large = members.flatMap((one) => tooLarge(one, nodes) ?? []);
  const fitting = { ...asked, members: members.map((one) => (tooLarge(one, nodes) ? { ...one, count: 0 } : one)) };
  const solved = first ? firstNodes(fitting) : await solveNodes(fitting);
  const left = members.map((one, i) => ({ name: one.name, count: solved.left[i]! + (one.count - fitting.members[i]!.count) }));
  const missing = left.filter((one) => one.count > 0);
  const whole = missing.length === 0;
  const short = solved.left.some((one) => one > 0);
  const all = members.reduce((sum, one) => sum + one.count, 0);
  const used = nodes.filter((_, k) => solved.nodes.some((one) => one.kind === k));
  const price = used.every((one) => one.price !== undefined)
    ? solved.nodes.reduce((sum, one) => sum + nodes[one.kind]!.price!, 0)
    : undefined;
  const count = solved.nodes.length;
  const headline = !whole
    ? `${listed(missing.map((one) => `${one.count} of ${one.name}`))} ${missing.length === 1 && missing[0]!.count === 1 ? 'finds' : 'find'} no place.`
    : solved.proven
      ? `${plural(count, 'node')} ${count === 1 ? 'holds' : 'hold'} all ${plural(all, 'member')}, and ${by === 'nodes' ? 'no fewer do' : 'nothing costs less'}.`
      : `${plural(count, 'node')} ${count === 1 ? 'holds' : 'hold'} all ${plural(all, 'member')}; whether ${by === 'nodes' ? 'fewer do' : 'less does'} is not told.`;
  return {
    headline,
    nodes: count,
    price,
    least: solved.least,
    proven: solved.proven,
    first: solved.first,
    groups: groupsOf(solved.nodes, fitting),
    left: missing,
    blocks: [...large, ...(short && !first ? await lacking(fitting) : [])],
    spare: whole ? spareFor(solved.nodes, fitting) : undefined,
    zoneless: whole && !first ? await withoutZone(fitting) : undefined,
    alone: aloneOn(asked),
    notes: [
      'Each kind of nodes is supposed to be had in every zone. How many pods a node may hold, taints and labels are not looked at.',
      ...(members.some((one) => one.size[3]! > 0 && one.count > 0)
        ? ['What lies on a node’s own disk does not come along to another node.']
        : [])
    ]
  };
}
