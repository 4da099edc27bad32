import { setImmediate as nextTurn } from 'node:timers/promises';
import { promisify } from 'node:util';
import { deserialize, serialize } from 'node:v8';
import { gunzip, gzip } from 'node:zlib';
import type { ApiObject } from '$core/model';
import { World, type Snapshot } from '$core/standin';

/** A change as it is packed: fields that stayed the same object are only named, so that versions go on sharing what they share. */
type Packed = readonly [atMs: number, key: string, fields: readonly string[] | null, values: readonly unknown[]];
type Change = Snapshot['changes'][number];

const changesAChunk = 500;
const sameMark = '=';
const metaMark = '~';

function packRecord(before: Readonly<Record<string, unknown>>, after: Readonly<Record<string, unknown>>): [string[], unknown[]] {
  const fields: string[] = [];
  const values: unknown[] = [];
  for (const field in after) {
    if (after[field] !== undefined && before[field] === after[field]) fields.push(`${sameMark}${field}`);
    else if (field === 'metadata' && typeof before.metadata === 'object') {
      fields.push(`${metaMark}${field}`);
      values.push(packRecord(before.metadata as Record<string, unknown>, after.metadata as Record<string, unknown>));
    } else {
      fields.push(`+${field}`);
      values.push(after[field]);
    }
  }
  return [fields, values];
}

function unpackRecord(
  before: Readonly<Record<string, unknown>>,
  fields: readonly string[],
  values: readonly unknown[]
): Record<string, unknown> {
  const made: Record<string, unknown> = {};
  let at = 0;
  for (const marked of fields) {
    const [mark, field] = [marked[0], marked.slice(1)];
    if (mark === sameMark) made[field] = before[field];
    else if (mark === metaMark) {
      const [inner, more] = values[at++] as [string[], unknown[]];
      made[field] = unpackRecord(before[field] as Record<string, unknown>, inner, more);
    } else made[field] = values[at++];
  }
  return made;
}

const nothing: Readonly<Record<string, unknown>> = {};

function pack({ atMs, key, before, after }: Change): Packed {
  if (!after) return [atMs, key, null, []];
  const [fields, values] = packRecord((before ?? nothing) as Record<string, unknown>, after as unknown as Record<string, unknown>);
  return [atMs, key, fields, values];
}

/**
 * A world as bytes, made a little at a time so that nobody waits for it. What changes meanwhile isn't in it.
 * Form: gzip of [length, part] ...; the first part holds everything but the journal, each other one some changes.
 */
export async function packWorld(world: World): Promise<{ bytes: Uint8Array; atMs: number }> {
  const { changes, ...rest } = world.save();
  const count = changes.length;
  const parts: Buffer[] = [serialize({ ...rest, count })];
  const { nowMs } = rest;
  for (let from = 0; from < count; from += changesAChunk) {
    parts.push(serialize(changes.slice(from, Math.min(count, from + changesAChunk)).map(pack)));
    await nextTurn();
  }
  const framed = parts.flatMap((part) => {
    const length = Buffer.alloc(4);
    length.writeUInt32LE(part.length);
    return [length, part];
  });
  return { bytes: await promisify(gzip)(Buffer.concat(framed), { level: 1 }), atMs: nowMs };
}

/** The world that was packed. Throws where the bytes aren't whole. */
export async function unpackWorld(seed: number, bytes: Uint8Array): Promise<World> {
  const whole = await promisify(gunzip)(bytes);
  let at = 0;
  const next = (): unknown => {
    const length = whole.readUInt32LE(at);
    const part = whole.subarray(at + 4, at + 4 + length);
    at += 4 + length;
    return deserialize(part);
  };
  const { count, ...rest } = next() as Omit<Snapshot, 'changes'> & { count: number };
  const latest = new Map<string, ApiObject>();
  let left = count;
  const chunks = function* (): Generator<Change[]> {
    while (at < whole.length) {
      const packed = next() as Packed[];
      left -= packed.length;
      yield packed.map(([atMs, key, fields, values]) => {
        const before = latest.get(key);
        if (fields === null) {
          latest.delete(key);
          return { atMs, key, before, after: undefined };
        }
        const after = unpackRecord((before ?? nothing) as Record<string, unknown>, fields, values) as unknown as ApiObject;
        latest.set(key, after);
        return { atMs, key, before, after };
      });
    }
  };
  const steps = World.restoreSteps(seed, rest, chunks());
  for (;;) {
    const step = steps.next();
    if (step.done) {
      if (left !== 0) throw new Error('the snapshot is not whole');
      return step.value;
    }
    await nextTurn();
  }
}
