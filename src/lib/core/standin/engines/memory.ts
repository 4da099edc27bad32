import { z } from 'zod';
import { hash32 } from '../../shared';
import { LogBroker } from './log';
import { textOf } from './log/payload';
import type { LogDisk, PartLog } from './log/types';
import type { Ask, Engine, Site, MemberState } from './site';
import { counted } from './words';

type Entries = ReadonlyMap<string, string>;

const folded = new WeakMap<PartLog, { entries: Entries; bytes: number }>();
const sizeOf = (key: string, value: string): number => key.length + value.length + 48;

/** What a shard holds in memory: everything written to it that counts, the newest of each key. */
function shardOf(site: Site, part: PartLog): { entries: Entries; bytes: number } {
  let found = folded.get(part);
  if (!found) {
    const entries = new Map<string, string>();
    for (const batch of part.batches) {
      const [key, value] = JSON.parse(textOf(site.bytes(batch.bytes))) as [string, string | null];
      if (value === null) entries.delete(key);
      else entries.set(key, value);
    }
    found = { entries, bytes: [...entries].reduce((sum, [key, value]) => sum + sizeOf(key, value), 0) };
    folded.set(part, found);
  }
  return found;
}

/** What a write says: a key and its value, null where it is deleted; undefined for bytes that say nothing of the kind. */
function writtenIn(bytes: Uint8Array): [string, string | null] | undefined {
  try {
    return z.tuple([z.string(), z.string().nullable()]).safeParse(JSON.parse(textOf(bytes))).data;
  } catch {
    return undefined;
  }
}

interface Look {
  readonly is: 'look';
  readonly key: string;
  readonly field: string;
}

/** Share of a node's memory that databases may have; the rest is the program's own (common practice, no source). */
export const databaseShare = 0.75;

/**
 * In-memory store: databases of shards that are spread over nodes, each shard with a primary and replicas. A write counts when the caught-up
 * replicas have it; when a primary's node is gone, a caught-up replica takes over. What would exceed the database's memory is refused.
 */
export class MemoryStore implements Engine {
  readonly log: LogBroker = new LogBroker(
    'node',
    (part, name, site, limit) => {
      if (limit === undefined) return undefined;
      const [key, value] = JSON.parse(textOf(site.bytes(name))) as [string, string | null];
      const { entries, bytes } = shardOf(site, part);
      const after = bytes - (entries.has(key) ? sizeOf(key, entries.get(key)!) : 0) + (value === null ? 0 : sizeOf(key, value));
      return after > limit && value !== null ? `the memory limit of this shard, ${Math.floor(limit)} bytes, would be exceeded` : undefined;
    },
    { topic: 'database', message: 'write', fits: (batch, count) => count === 1 && writtenIn(batch) !== undefined }
  );

  changed(site: Site): void {
    this.log.changed(site);
  }

  arrived(site: Site, to: string, from: string, body: unknown): void {
    if ((body as Look).is !== 'look') return this.log.arrived(site, to, from, body);
    const { key, field } = body as Look;
    const ask = from.slice(1);
    const leading = this.log.brokers.mind(site, to).leading?.[key];
    if (!leading) return site.answer(ask, { outcome: 'refused', by: to, says: `${to} is not the primary of shard ${key}` });
    const value = shardOf(site, this.log.brokers.log(site, to, key)).entries.get(field);
    site.answer(ask, {
      outcome: 'acknowledged',
      by: to,
      says: value === undefined ? `nothing under ${field}` : `read from shard ${key}`,
      rows: value === undefined ? [] : [[field, value]]
    });
  }

  private memoryOf(site: Site, id: string): number {
    return Number(site.option(id, 'memory-bytes') ?? 2 ** 30);
  }

  private promised(site: Site, id: string): number {
    return Object.values(this.log.brokers.known(site, id)?.topics ?? {}).reduce((sum, { partitions, limitBytes = 0 }) => {
      const share = limitBytes / Math.max(1, partitions.length);
      return sum + partitions.filter((one) => one.replicas.includes(id)).length * share;
    }, 0);
  }

  /** Why a database can't be had; undefined when it can. */
  private databaseFault(site: Site, { op }: Ask, replicas: number): string | undefined {
    const nodes = this.log.ofPart(site, 'node').filter((id) => site.up(id));
    if (replicas + 1 > nodes.length)
      return `a primary and ${replicas} replicas of a shard need ${replicas + 1} nodes, ${nodes.length} are there`;
    const asked = (op.bytes ?? 0) * (replicas + 1);
    const room = nodes.reduce((sum, id) => sum + this.memoryOf(site, id) * databaseShare - this.promised(site, id), 0);
    return asked > room ? `${asked} bytes with its replicas were asked for; the nodes have ${Math.floor(room)} left` : undefined;
  }

  ask(site: Site, ask: Ask): void {
    const { op, id } = ask;
    const nodes = this.log.ofPart(site, 'node');
    const via = ask.member ?? nodes.find((one) => site.up(one) && this.log.brokers.known(site, one));
    const refuse = (says: string) => site.answer(id, { outcome: 'refused', ...(via === undefined ? {} : { by: via }), says });
    if (via === undefined || !site.up(via)) return refuse(`${via ?? 'no node'} doesn't answer`);
    if (op.do === 'make-database') {
      const replicas = Number(op.value ?? 1);
      const fault = this.databaseFault(site, ask, replicas);
      if (fault) return refuse(fault);
      const value = JSON.stringify({
        partitions: op.count ?? 2,
        replicas: replicas + 1,
        least: 1,
        brokers: nodes,
        limitBytes: op.bytes ?? 0
      });
      return this.log.decided(site, { ...ask, op: { ...op, do: 'make-topic', value } }, via);
    }
    if (['copy', 'put-back', 'news', 'take'].includes(op.do)) return this.log.ask(site, { ...ask, member: via });
    const topic = this.log.brokers.known(site, via)?.topics[op.place ?? ''];
    if (op.do === 'shards') return this.shards(site, ask, via);
    if (!topic) return refuse(`there is no database ${op.place ?? ''}`);
    if (op.do === 'drop') return this.log.decided(site, { ...ask, op: { ...op, do: 'drop-topic' } }, via);
    const shard = hash32(op.key ?? '') % topic.partitions.length;
    if (op.do === 'write' || op.do === 'delete') {
      const value = JSON.stringify([op.key ?? '', op.do === 'delete' ? null : (op.value ?? '')]);
      return this.log.clients.start(site, { id, op: { do: 'produce', place: op.place!, value, acks: 'all' } }, via, shard);
    }
    if (op.do !== 'read') return refuse(`it knows no ${op.do}`);
    const primary = topic.partitions[shard]!.leader;
    if (primary === null || !site.up(primary)) return refuse(`shard ${op.place}/${shard} has no primary just now`);
    site.post(`~${id}`, primary, { is: 'look', key: `${op.place}/${shard}`, field: op.key ?? '' } satisfies Look, 2);
  }

  private shards(site: Site, ask: Ask, via: string): void {
    const rows = Object.entries(this.log.brokers.known(site, via)?.topics ?? {}).flatMap(([name, { partitions }]) =>
      partitions.map((one, i): [string, string] => {
        const key = `${name}/${i}`;
        const held = one.leader === null ? undefined : shardOf(site, this.log.brokers.log(site, one.leader, key));
        const replicas = one.replicas.filter((id) => id !== one.leader);
        return [
          key,
          `primary ${one.leader ?? 'none'}, replicas ${replicas.join(', ') || 'none'}, ${held?.entries.size ?? 0} keys, ${held?.bytes ?? 0} bytes`
        ];
      })
    );
    site.answer(ask.id, { outcome: 'acknowledged', by: via, says: counted(rows.length, 'shard'), rows, count: rows.length });
  }

  standing(site: Site, id: string): MemberState {
    const mine = this.log.standing(site, id);
    const primaries = /^leads (\d+)/.exec(mine.role)?.[1];
    const kept = Object.keys(site.disk<LogDisk>(id)?.parts ?? {}).length;
    return { ...mine, role: primaries === undefined ? 'node' : `primary of ${primaries}${kept ? ` of ${kept} shards` : ''}` };
  }
}
