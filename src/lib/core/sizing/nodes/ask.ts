import { z } from 'zod';
import { bytesOf, isQuantity, milliCpuOf } from '../../shared';

/** How members that are alike keep apart: evenly over zones, each on a node of its own, both, or not at all. */
export const apartWays = ['both', 'zones', 'nodes', 'no'] as const;

const cell = z.string().max(40);
const name = z.string().trim().min(1).max(80);

/** What is asked, as it was written: members that are alike, kinds of nodes, and how many zones there are. */
export const nodesAskSchema = z.strictObject({
  /** CPU and memory as manifests write them; `slots` are volumes that have to be attached, `disk` a part of the node's own disks. */
  members: z
    .array(z.strictObject({ name, count: cell, cpu: cell, memory: cell, slots: cell, disk: cell, apart: z.enum(apartWays) }))
    .min(1)
    .max(60),
  /** What a node has for members, without a limit of slots where none is said; `most`: so many can be had, empty: as many as are needed; `price` of one a month, empty: unknown. */
  nodes: z
    .array(z.strictObject({ name, cpu: cell, memory: cell, slots: cell, disk: cell, most: cell, price: cell }))
    .min(1)
    .max(20),
  zones: cell,
  /** What is to be as small as it can be. */
  by: z.enum(['nodes', 'price'])
});
/** The same, and whether first fit decreasing alone is wanted: a picture at once, before the best is looked for. */
export const packAskSchema = nodesAskSchema.extend({ effort: z.enum(['first', 'whole']).default('whole') });
/** What is asked to be packed. */
export type PackAsk = z.input<typeof packAskSchema>;
/** What is asked, as it was written. */
export type NodesAsk = z.infer<typeof nodesAskSchema>;

/** What members need and nodes have, in this order; CPU in thousandths, memory and disk in MiB. */
export const wants = ['cpu', 'memory', 'slots', 'disk'] as const;
/** One of what members need and nodes have. */
export type Want = (typeof wants)[number];

/** Members that are alike. */
export interface Members {
  readonly name: string;
  readonly count: number;
  /** By `wants`. */
  readonly size: readonly number[];
  readonly apart: (typeof apartWays)[number];
}

/** A kind of nodes. */
export interface NodeKind {
  readonly name: string;
  /** By `wants`. */
  readonly room: readonly number[];
  /** How many can be had; Infinity: as many as are needed. */
  readonly most: number;
  /** A month's price of one; undefined where it isn't known. */
  readonly price: number | undefined;
}

/** What is asked, read. */
export interface NodesAsked {
  readonly members: readonly Members[];
  readonly nodes: readonly NodeKind[];
  readonly zones: number;
  readonly by: 'nodes' | 'price';
}

/** Most members that are packed at once. */
export const mostMembers = 500;
const mib = 2 ** 20;
const mostZones = 9;
/** Slots of nodes that name no limit. */
export const endless = 1e6;
/** More than any machine has: 100,000 CPU, 1 PiB; and more than any costs. */
const most = { milliCpu: 1e8, mib: 2 ** 30, price: 1e9 };

const whole = (text: string, most: number): number | undefined =>
  /^\d+$/.test(text.trim()) && Number(text) <= most ? Number(text) : undefined;
const quantity = (text: string): string | undefined => (isQuantity(text.trim()) && !text.trim().startsWith('-') ? text.trim() : undefined);

/**
 * Reads what was written.
 * @returns what is wrong, by the place of the cell: `members.0.cpu`, `nodes.2.price`, `zones`
 */
export function readNodesAsk(ask: NodesAsk): NodesAsked | { readonly faults: Readonly<Record<string, string>> } {
  const faults: Record<string, string> = {};
  const read = <T>(at: string, value: T | undefined, says: string): T => {
    if (value === undefined) faults[at] = says;
    return value as T;
  };
  const upTo = (value: number | undefined, bound: number) => (value !== undefined && value <= bound ? value : undefined);
  const inMib = (text: string, turn: (value: number) => number): number | undefined => {
    const found = text.trim() === '' || text.trim() === '0' ? '0' : quantity(text);
    return upTo(found === undefined ? undefined : turn(bytesOf(found) / mib), most.mib);
  };
  const size = (at: string, one: Readonly<Record<Want, string>>, turn: (value: number) => number, unsaid: number): number[] => [
    read(
      `${at}.cpu`,
      upTo(quantity(one.cpu) === undefined ? undefined : milliCpuOf(one.cpu.trim()), most.milliCpu),
      'CPU, like 2 or 500m, at most 100000'
    ),
    read(`${at}.memory`, inMib(one.memory, turn), 'a size, like 4Gi, at most 1Pi'),
    read(`${at}.slots`, one.slots.trim() === '' ? unsaid : whole(one.slots, 10_000), 'a whole number, like 1, or nothing'),
    read(`${at}.disk`, inMib(one.disk, turn), 'a size, like 100Gi, at most 1Pi, or nothing')
  ];
  const members = ask.members.map((one, i) => ({
    name: one.name.trim(),
    count: read(`members.${i}.count`, whole(one.count, mostMembers), `a whole number up to ${mostMembers}`),
    size: size(`members.${i}`, one, Math.ceil, 0),
    apart: one.apart
  }));
  const nodes = ask.nodes.map((one, i) => ({
    name: one.name.trim(),
    room: size(`nodes.${i}`, one, Math.floor, endless),
    most: one.most.trim() === '' ? Infinity : read(`nodes.${i}.most`, whole(one.most, 10_000), 'a whole number, or nothing'),
    price:
      one.price.trim() === ''
        ? undefined
        : read(
            `nodes.${i}.price`,
            /^\d+(\.\d+)?$/.test(one.price.trim()) ? upTo(Number(one.price), most.price) : undefined,
            'a price, like 120, or nothing'
          )
  }));
  const zones = whole(ask.zones, mostZones);
  if (!zones) faults.zones = `a whole number from 1 to ${mostZones}`;
  for (const [what, list] of Object.entries({ members, nodes }))
    list.forEach((one, i) => {
      if (list.findIndex((two) => two.name === one.name) < i) faults[`${what}.${i}.name`] = 'this name stands twice';
    });
  if (ask.by === 'price')
    nodes.forEach((one, i) => {
      if (one.price === undefined) faults[`nodes.${i}.price`] ??= 'a price: without one it can not be the cheapest';
    });
  const all = members.reduce((sum, one) => sum + (one.count || 0), 0);
  if (!Object.keys(faults).length && (all === 0 || all > mostMembers))
    faults.members = all ? `${all} members; at most ${mostMembers} are packed at once` : 'no members';
  return Object.keys(faults).length ? { faults } : { members, nodes, zones: zones!, by: ask.by };
}
