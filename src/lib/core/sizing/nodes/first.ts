import type { Members, NodeKind, NodesAsked } from './ask';
import { timesIn } from './patterns';

/** A node with what stands on it: so many of each kind of members. */
export interface Packed {
  /** The kind of the node, by its place. */
  readonly kind: number;
  readonly zone: number;
  readonly holds: number[];
}

/** How many of some members may stand on one node. */
export const mostOnOne = ({ apart, count }: Members): number => (apart === 'both' || apart === 'nodes' ? 1 : count);

/** Whether members have to spread evenly over zones. */
export const overZones = ({ apart }: Members): boolean => apart === 'both' || apart === 'zones';

/** The fewest and the most members that a zone takes of those that spread evenly over zones. */
export const inZone = ({ count }: Members, zones: number): readonly [number, number] => [
  Math.floor(count / zones),
  Math.ceil(count / zones)
];

/** What a node of a kind costs in the sum that is to be small. */
export const costOf = (one: NodeKind, by: NodesAsked['by']): number => (by === 'price' ? one.price! : 1);

/** The largest share of a node that one of these takes. */
export const shareOf = (size: readonly number[], room: readonly number[]): number =>
  Math.max(...size.map((one, d) => (one > 0 ? (room[d]! > 0 ? one / room[d]! : Infinity) : 0)));

/**
 * First fit decreasing: the largest members first, each on the first node that has room, else on a new one of the kind that costs least for
 * what it takes. Source: Johnson 1973.
 * @returns the nodes, and how many of each kind of members found no place
 */
export function firstFit({ members, nodes, zones, by }: NodesAsked): {
  readonly nodes: readonly Packed[];
  readonly left: readonly number[];
} {
  const packed: Packed[] = [];
  const free: number[][] = [];
  const used = nodes.map(() => 0);
  const left = members.map(() => 0);
  const tops = members.map((one) => Math.min(...nodes.map((kind) => shareOf(one.size, kind.room))));
  const order = members.map((_, i) => i).sort((a, b) => tops[b]! - tops[a]! || a - b);
  const cheapest = (size: readonly number[]): number => {
    let best = -1;
    let least = Infinity;
    nodes.forEach((kind, k) => {
      if (used[k]! >= kind.most || timesIn(size, kind.room) < 1) return;
      const price = Math.max(costOf(kind, by), 1e-9) * shareOf(size, kind.room);
      if (price < least) [best, least] = [k, price];
    });
    return best;
  };
  for (const i of order) {
    const one = members[i]!;
    const inZones = Array.from({ length: zones }, () => 0);
    for (let nth = 0; nth < one.count; nth += 1) {
      // Over zones: where the fewest stand; otherwise wherever there is room.
      const fewest = Math.min(...inZones);
      const may = (zone: number) => !overZones(one) || inZones[zone] === fewest;
      let at = packed.findIndex(
        (node, n) => may(node.zone) && node.holds[i]! < mostOnOne(one) && one.size.every((size, d) => size <= free[n]![d]!)
      );
      if (at < 0) {
        const kind = cheapest(one.size);
        if (kind < 0) {
          left[i]! += one.count - nth;
          break;
        }
        const zone = overZones(one)
          ? inZones.indexOf(fewest)
          : Array.from({ length: zones }, (_, z) => packed.filter((node) => node.zone === z).length).reduce(
              (best, count, z, all) => (count < all[best]! ? z : best),
              0
            );
        packed.push({ kind, zone, holds: members.map(() => 0) });
        free.push([...nodes[kind]!.room]);
        used[kind]! += 1;
        at = packed.length - 1;
      }
      packed[at]!.holds[i]! += 1;
      inZones[packed[at]!.zone]! += 1;
      one.size.forEach((size, d) => (free[at]![d]! -= size));
    }
  }
  return { nodes: packed, left };
}
