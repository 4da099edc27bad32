import { isMap, isScalar, isSeq, LineCounter, parseDocument } from 'yaml';
import { z } from 'zod';
import { roomOf, type Ask, type Node } from '../../model';
import { bytesOf, daysInYear, isQuantity, milliCpuOf } from '../../shared';

/** Hours of an average month. */
const hoursInMonth = (daysInYear * 24) / 12;
const hoursIn = { hour: 1, day: 24, month: hoursInMonth, year: daysInYear * 24 } as const;
const bytesIn = { GiB: 2 ** 30, GB: 1e9, TiB: 2 ** 40, TB: 1e12 } as const;

type Per = 'time' | 'room and time' | 'bytes';
const written = /^(\d+(?:\.\d+)?) per (?:(GiB|GB|TiB|TB)(?: |$))?(?:(hour|day|month|year))?$/;
const said: Readonly<Record<Per, string>> = {
  time: 'a price for a time, like 84 per month or 0.17 per hour',
  'room and time': 'a price for room and a time, like 0.31 per GiB month',
  bytes: 'a price for bytes, like 0.037 per GiB'
};

/** Reads a price: of a month, of a byte and a month, or of a byte. */
function priceIn(text: string, per: Per): number | undefined {
  const found = written.exec(text.trim().replaceAll(/\s+/g, ' '));
  if (!found) return undefined;
  const [, amount, room, time] = found;
  if ((room !== undefined) !== (per !== 'time') || (time !== undefined) !== (per !== 'bytes')) return undefined;
  if (Number(amount) > 1e9) return undefined;
  const month = time === undefined ? 1 : hoursInMonth / hoursIn[time as keyof typeof hoursIn];
  return (Number(amount) * month) / (room === undefined ? 1 : bytesIn[room as keyof typeof bytesIn]);
}
const price = (per: Per) =>
  z.string().transform((text, context) => {
    const value = priceIn(text, per);
    if (value !== undefined) return value;
    context.addIssue({ code: 'custom', message: `write ${said[per]}` });
    return z.NEVER;
  });
const quantity = z.union([z.string(), z.number()]).transform((text, context) => {
  if (isQuantity(String(text))) return String(text);
  context.addIssue({ code: 'custom', message: 'write a quantity, like 4 or 16Gi' });
  return z.NEVER;
});
const isDay = (text: string): boolean =>
  /^\d{4}-\d\d-\d\d$/.test(text) && !Number.isNaN(Date.parse(text)) && new Date(text).toISOString().startsWith(text);
const day = z.string().refine(isDay, 'write a day, like 2026-01-31');

/** A price list: a document of ours, that people write. Prices of nodes are those of the first entry that a node answers to. */
const listSchema = z.strictObject({
  apiVersion: z.literal('standin.example/v1'),
  kind: z.literal('PriceList'),
  metadata: z.strictObject({ name: z.string().min(1).max(80) }),
  spec: z
    .strictObject({
      /** What is counted: a currency, or points. */
      unit: z.string().min(1).max(20),
      from: day.optional(),
      to: day.optional(),
      /** By what a node has in all. */
      nodes: z.array(z.strictObject({ name: z.string().min(1), cpu: quantity, memory: quantity, price: price('time') })).default([]),
      /** By class; `*` is every other one. */
      volumes: z.array(z.strictObject({ class: z.string().min(1), price: price('room and time') })).default([]),
      snapshots: price('room and time').optional(),
      /** An address that a service has to itself. */
      addresses: price('time').optional(),
      /** What goes from one zone to another. */
      traffic: price('bytes').optional()
    })
    .refine(({ from, to }) => from === undefined || to === undefined || from <= to, { message: 'ends before it begins', path: ['to'] })
});

/** Prices: a month of a node, a byte and a month of volumes and snapshots, a month of an address, a byte between zones. */
export interface Prices {
  readonly name: string;
  readonly unit: string;
  readonly from: string | undefined;
  readonly to: string | undefined;
  node(cpuMilli: number, memoryBytes: number): number | undefined;
  volume(className: string): number | undefined;
  readonly snapshots: number | undefined;
  readonly addresses: number | undefined;
  readonly traffic: number | undefined;
}

/** What a node has in all, by which it is priced: its capacity, or what it can give where it doesn't say. */
export const wholeOf = (node: Node): Ask =>
  roomOf({ ...node, status: { ...node.status, allocatable: node.status?.capacity ?? node.status?.allocatable } });

/** What is wrong with a list, and where (lines from 1). */
export interface PriceFault {
  readonly line: number;
  readonly says: string;
}

/** So many faults are told at once. */
const mostFaults = 20;

/** Reads a price list, as YAML; whatever it has that isn't taken is a fault. */
export function readPrices(text: string): Prices | { readonly faults: readonly PriceFault[] } {
  const lines = new LineCounter();
  const document = parseDocument(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: true });
  const at = (offset: number): number => lines.linePos(offset).line;
  if (document.errors.length)
    return {
      faults: document.errors.slice(0, mostFaults).map((one) => ({ line: at(one.pos[0]), says: `this is no YAML: ${one.message}` }))
    };
  let value: unknown;
  try {
    // Days stay texts, whatever form they have.
    value = document.toJS({ maxAliasCount: 20 });
  } catch (error) {
    return { faults: [{ line: 1, says: (error as Error).message }] };
  }
  const found = listSchema.safeParse(value);
  if (!found.success)
    return {
      faults: found.error.issues.slice(0, mostFaults).map((issue) => {
        let node: unknown = document.contents;
        let offset = 0;
        for (const step of issue.code === 'unrecognized_keys' ? [...issue.path, issue.keys[0]!] : issue.path) {
          if (isMap(node)) {
            const pair = node.items.find((one) => isScalar(one.key) && one.key.value === step);
            if (!pair) break;
            offset = (isScalar(pair.key) ? pair.key.range?.[0] : undefined) ?? offset;
            node = pair.value;
          } else if (isSeq(node)) {
            node = node.items[Number(step)];
            offset = (node as { range?: [number] } | undefined)?.range?.[0] ?? offset;
          } else break;
        }
        const path = issue.path.map(String).join('.');
        return { line: at(offset), says: `${path || 'the document'}: ${issue.message.charAt(0).toLowerCase()}${issue.message.slice(1)}` };
      })
    };
  const { metadata, spec } = found.data;
  const nodes = spec.nodes.map((one) => ({ cpu: milliCpuOf(one.cpu), memory: bytesOf(one.memory), price: one.price }));
  const other = spec.volumes.find((one) => one.class === '*')?.price;
  return {
    name: metadata.name,
    unit: spec.unit,
    from: spec.from,
    to: spec.to,
    node: (cpu, memory) => nodes.find((one) => one.cpu === cpu && one.memory === memory)?.price,
    volume: (name) => spec.volumes.find((one) => one.class === name)?.price ?? other,
    snapshots: spec.snapshots,
    addresses: spec.addresses,
    traffic: spec.traffic
  };
}
