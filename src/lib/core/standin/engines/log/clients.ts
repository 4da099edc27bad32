import { drawInt } from '../../../shared';
import type { Ask, Site } from '../site';
import { counted } from '../words';
import type { Brokers } from './broker';
import { addSum, hex, makeBatch, orderFault, textMessage, textOf } from './payload';
import type { Batch, Client, From, LogBody, Topic } from './types';

/** Messages in one batch at most, and batches under way at once. */
const batchMessages = 10_000;
const openBatches = 24;
const againMs = 5_000;
/** A message between a client and a broker takes so long at most, beside what its bytes take. */
const longestWayMs = 5;
/** Bytes a second that a producer gets onto its line (common practice, no source). */
const sendBytesPerSecond = 40_000_000;

/** Producers and readers: they ask whoever leads, and ask again when nobody answers. */
export class Clients {
  constructor(
    private readonly brokers: Brokers,
    private readonly leads: string
  ) {}

  private topic(site: Site, { via, topic }: Pick<Client, 'via' | 'topic'>): Topic | undefined {
    return this.brokers.known(site, via)?.topics[topic];
  }

  private leaderOf(site: Site, client: Pick<Client, 'via' | 'topic'>, partition: number): string | null | undefined {
    return this.topic(site, client)?.partitions[partition]?.leader;
  }

  private post(site: Site, from: string, to: string, body: LogBody, waitMs = 0): void {
    site.post(from, to, body, waitMs + drawInt(site.seed, `client|${from}|${to}`, 1, longestWayMs));
  }

  /** @param partition the one that everything goes to; else they take turns */
  start(site: Site, { id, op }: Ask, via: string, partition?: number): void {
    const me = `~${id}`;
    const topic = this.topic(site, { via, topic: op.place ?? '' });
    if (!topic) return site.answer(id, { outcome: 'refused', by: via, says: `there is no topic ${op.place}` });
    const partitions = topic.partitions.length;
    const count = Math.max(1, op.count ?? 1);
    const text = op.value;
    const perBatch = text === undefined ? Math.max(1, Math.min(batchMessages, Math.ceil(count / partitions))) : 1;
    const client: Client = {
      kind: op.do === 'consume' ? 'reader' : 'producer',
      topic: op.place ?? '',
      via,
      acks: op.acks ?? 'all',
      batches: Math.ceil(count / perBatch),
      perBatch,
      sizeBytes: op.bytes ?? 100,
      ...(text === undefined ? {} : { text }),
      ...(partition === undefined ? {} : { partition }),
      next: 0,
      open: [],
      acked: 0,
      sums: Array.from({ length: partitions }, () => 0),
      ...(op.do === 'consume'
        ? { got: Array.from({ length: partitions }, () => null), ends: Array.from({ length: partitions }, () => 0) }
        : {}),
      ...(op.do === 'consume' && op.group
        ? { group: op.group, read: this.readBefore(site, via, op.group, op.place ?? '', partitions) }
        : {})
    };
    site.think(me, { ...client, total: count, from: op.from ?? 'beginning', most: op.count ?? 20 });
    this.go(site, me);
  }

  /** How far a group has read each partition, as a broker knows it. */
  private readBefore(site: Site, via: string, group: string, topic: string, partitions: number): readonly (number | null)[] {
    const { groups = {} } = this.brokers.known(site, via) ?? {};
    const kept = Object.hasOwn(groups, group) ? groups[group]?.[topic] : undefined;
    return kept?.length === partitions ? kept : Array.from({ length: partitions }, () => null);
  }

  private mind(site: Site, me: string) {
    return site.mind<Client & { total: number; from: From; most: number }>(me);
  }

  private partitionOf({ text, sums, partition }: Client, me: string, nth: number): number {
    return partition ?? (text === undefined ? nth : nth + drawInt(7, me, 0, sums.length - 1)) % sums.length;
  }

  private countOf({ perBatch, total }: Client & { total: number }, nth: number): number {
    return Math.min(perBatch, total - nth * perBatch);
  }

  private go(site: Site, me: string): void {
    let client = this.mind(site, me)!;
    if (client.kind === 'reader') return this.fetch(site, me);
    const mute = client.acks === 'none';
    if (mute && client.next >= client.batches) return this.finish(site, me);
    const until = Math.min(client.batches, mute ? client.next + openBatches : Infinity);
    // What nobody is asked about isn't sent again: it waits until somebody leads.
    let waits = !mute;
    while (client.open.length < openBatches && client.next < until) {
      const nth = client.next;
      const p = this.partitionOf(client, me, nth);
      waits ||= !this.leaderOf(site, client, p);
      if (mute && waits) break;
      const count = this.countOf(client, nth);
      const before = Math.floor(nth / client.sums.length) * client.perBatch;
      const bytes =
        client.text === undefined ? makeBatch(`${me}/${p}`, before, count, client.sizeBytes) : textMessage(`${me}/${p}`, 0, client.text);
      const sums = client.sums.map((sum, i) => (i === p ? addSum(sum, bytes) : sum));
      client = { ...client, sums, next: nth + 1, open: mute ? [] : [...client.open, nth] };
      site.think(me, client);
      this.send(site, me, nth, bytes);
      // Its line is taken for longer now.
      client = this.mind(site, me)!;
    }
    // Whoever isn't told what arrived goes on once all is on its way, and is through when the last of it has arrived or is lost.
    const { freeMs = 0 } = client;
    site.post(me, me, { is: 'again' } satisfies LogBody, waits ? againMs : Math.max(0, freeMs - site.nowMs) + longestWayMs + 1);
  }

  private send(site: Site, me: string, nth: number, fresh?: Uint8Array): void {
    const client = this.mind(site, me)!;
    const p = this.partitionOf(client, me, nth);
    const leader = this.leaderOf(site, client, p);
    if (!leader) return;
    const count = this.countOf(client, nth);
    const before = Math.floor(nth / client.sums.length) * client.perBatch;
    const bytes =
      fresh ??
      (client.text === undefined ? makeBatch(`${me}/${p}`, before, count, client.sizeBytes) : textMessage(`${me}/${p}`, 0, client.text));
    const free = Math.max(site.nowMs, client.freeMs ?? 0) + (bytes.length / sendBytesPerSecond) * 1_000;
    this.post(
      site,
      me,
      leader,
      {
        is: 'produce',
        key: `${client.topic}/${p}`,
        nth,
        acks: client.acks,
        bytes: site.store(bytes),
        count,
        sizeBytes: bytes.length
      },
      free - site.nowMs
    );
    site.think(me, { ...this.mind(site, me)!, freeMs: free });
  }

  private fetch(site: Site, me: string): void {
    const client = this.mind(site, me)!;
    const parts = this.topic(site, client)?.partitions ?? [];
    client.got!.forEach((got, p) => {
      const leader = parts[p]?.leader;
      if (got === null && leader)
        this.post(site, me, leader, {
          is: 'read',
          key: `${client.topic}/${p}`,
          from: client.from,
          most: client.most,
          ...(typeof client.read?.[p] === 'number' ? { at: client.read[p] } : {})
        });
    });
    site.post(me, me, { is: 'again' } satisfies LogBody, againMs);
  }

  /** Nobody has answered for a while: whoever leads by now is asked again. */
  again(site: Site, me: string): void {
    const client = this.mind(site, me);
    if (!client) return;
    const other = site.ids.find((id) => site.part(id) === this.leads && site.up(id) && site.reach(me, id));
    if ((!site.up(client.via) || !site.reach(me, client.via)) && other !== undefined) site.think(me, { ...client, via: other });
    if (client.kind === 'reader') return this.fetch(site, me);
    if (client.acks === 'none') return this.go(site, me);
    for (const nth of client.open) this.send(site, me, nth);
    site.post(me, me, { is: 'again' } satisfies LogBody, againMs);
  }

  produced(site: Site, me: string, { nth, ok, says }: LogBody & { is: 'produced' }): void {
    const client = this.mind(site, me);
    if (!client || !client.open.includes(nth)) return;
    if (!ok) {
      const refused = says !== undefined && !says.includes('lead');
      if (refused && client.acked === 0) site.answer(me.slice(1), { outcome: 'refused', says: says! });
      else site.think(me, { ...client, says });
      return;
    }
    const open = client.open.filter((one) => one !== nth);
    site.think(me, { ...client, open, acked: client.acked + this.countOf(client, nth) });
    if (!open.length && client.next >= client.batches) this.finish(site, me);
    else if (open.length < openBatches / 2 && client.next < client.batches) this.go(site, me);
  }

  private finish(site: Site, me: string): void {
    const { acked, total, acks, sums, topic } = this.mind(site, me)!;
    const sum = sums.reduce((all, one) => (Math.imul(all, 31) + one) | 0, 0);
    const says =
      acks === 'none'
        ? `${counted(total, 'message')} sent to ${topic}; nobody was asked whether they arrived`
        : `${counted(acked, 'message')} in ${topic}, acknowledged by ${acks === 'all' ? 'all caught-up replicas' : 'the leaders'}`;
    site.answer(me.slice(1), { outcome: 'acknowledged', says, count: acks === 'none' ? total : acked, checksum: hex(sum) });
  }

  batches(site: Site, me: string, { key, ok, batches, end = 0 }: LogBody & { is: 'batches' }): void {
    const client = this.mind(site, me);
    if (!client || !ok) return;
    const p = Number(key.slice(key.lastIndexOf('/') + 1));
    const got = client.got!.map((one, i) => (i === p ? batches : one));
    const ends = client.ends?.map((one, i) => (i === p ? end : one));
    site.think(me, { ...client, got, ...(ends ? { ends } : {}) });
    if (got.every((one) => one !== null)) this.readAll(site, me, got as (readonly Batch[])[]);
  }

  /** Keeps how far a group has read, and says so. */
  private kept(
    site: Site,
    { group, topic, via, ends, read }: { group: string; topic: string; via: string; ends: readonly number[]; read: Client['read'] }
  ): string {
    const anew = read?.every((one) => one === null) ? ', which reads it for the first time' : '';
    return this.brokers.commit(site, via, group, topic, ends)
      ? `, for the group ${group}${anew}; it goes on at ${ends.join(', ')}`
      : `, for the group ${group}${anew}; no coordinator leads, so nobody keeps how far it has read`;
  }

  private readAll(site: Site, me: string, got: readonly (readonly Batch[])[]): void {
    const { topic, from, most, group, read, ends = [], via } = this.mind(site, me)!;
    let [count, size, all] = [0, 0, 0];
    let wrong: string | undefined;
    const texts: [string, string][] = [];
    got.forEach((batches, p) => {
      const seen = new Map<number, number>();
      let sum = 0;
      for (const batch of batches) {
        const bytes = site.bytes(batch.bytes);
        sum = addSum(sum, bytes);
        const fault = from === 'beginning' && group === undefined ? orderFault(seen, bytes, batch.count) : undefined;
        if (fault !== undefined) wrong ??= `message ${fault} of partition ${p} is out of order`;
        if (batch.count === 1) texts.push([`${p}/${batch.at}`, textOf(bytes)]);
        count += batch.count;
        size += bytes.length;
      }
      all = (Math.imul(all, 31) + sum) | 0;
    });
    const rows = texts.slice(-most);
    const forGroup =
      group === undefined
        ? from === 'end'
          ? '; without a group a reader begins with what comes from now on'
          : ''
        : this.kept(site, { group, topic, via, ends, read });
    site.answer(me.slice(1), {
      outcome: 'acknowledged',
      says: wrong ?? `${counted(count, 'message')} of ${topic} over ${counted(got.length, 'partition')}, in order within each${forGroup}`,
      count,
      bytes: size,
      checksum: hex(all),
      ...(rows.length ? { rows } : {})
    });
  }
}
