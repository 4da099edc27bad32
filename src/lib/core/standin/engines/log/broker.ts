import { drawInt } from '../../../shared';
import type { Op, Site } from '../site';
import type { MetaGroup } from './meta';
import {
  emptyPart,
  type Batch,
  type BrokerMind,
  type Leading,
  type LogBody,
  type LogDisk,
  type Meta,
  type PartLog,
  type Partition
} from './types';

/** How long a replica may be away before it no longer counts as caught up, and a broker before somebody else leads for it (common practice, no source). */
export const awayMs = 10_000;
/** A broker that is silent for so long is held for lost; made up. */
export const sessionMs = 6_000;
/** Bytes a second that a reader gets of one partition (common practice, no source). */
const readBytesPerSecond = 20_000_000;
/** How often whoever starts looks whether those it waits for are there (common practice, no source). */
export const meetMs: readonly [number, number] = [500, 1_500];

/** The disk that a partition lies on, among a broker's. */
const diskOf = (site: Site, id: string, key: string): number => {
  const disks = site.disks(id);
  return disks > 1 ? Number(key.slice(key.lastIndexOf('/') + 1)) % disks : 0;
};

/** What a broker saw when it last looked round. */
interface Looked {
  /** Up to where the metadata counted; undefined: nobody decided. */
  readonly at: number | undefined;
  /** Who was reached, a digit for each member. */
  readonly reach: string;
  readonly disks: readonly unknown[];
}

/** How many partitions a broker leads, how many messages it holds, and how many of them others have that it lacks. */
interface Counted {
  readonly leads: number;
  readonly position: number;
  readonly lag: number;
  /** What it was counted from: who is there, and what lies on everybody's disks. */
  readonly from: readonly unknown[];
}

const countedBefore = new WeakMap<BrokerMind, Counted>();

/** By what a broker had in mind afterwards: looking again at the same moves nothing, so it is left out. */
const looked = new WeakMap<BrokerMind, Looked>();

/** Brokers: they lead and copy partitions. */
export class Brokers {
  /** @param refuses why a batch isn't taken, beside what all brokers ask; undefined: it is */
  constructor(
    private readonly meta: MetaGroup,
    private readonly refuses: (part: PartLog, bytes: string, site: Site, limitBytes: number | undefined) => string | undefined = () =>
      undefined
  ) {}

  mind(site: Site, id: string): BrokerMind {
    return site.mind<BrokerMind>(id) ?? {};
  }
  think(site: Site, id: string, change: Partial<BrokerMind>): void {
    site.think(id, { ...this.mind(site, id), ...change });
  }

  log(site: Site, id: string, key: string): PartLog {
    return site.disk<LogDisk>(id, diskOf(site, id, key))?.parts?.[key] ?? emptyPart;
  }

  private keep(site: Site, id: string, key: string, part: PartLog): void {
    const nth = diskOf(site, id, key);
    const disk = site.disk<LogDisk>(id, nth);
    site.keep(id, { ...disk, parts: { ...disk?.parts, [key]: part } }, nth);
  }

  private post(site: Site, from: string, to: string, body: LogBody): void {
    site.post(from, to, body, drawInt(site.seed, `log|${from}|${to}`, 1, 4));
  }

  private alarm(site: Site, id: string, name: string, afterMs: number): void {
    const mind = this.mind(site, id);
    if (mind.alarms?.[name] !== undefined) return;
    const set = (mind.set ?? 0) + 1;
    const nth = site.nowMs * 1_000 + set;
    this.think(site, id, { alarms: { ...mind.alarms, [name]: nth }, set });
    site.post(id, id, { is: 'alarm', name, nth } satisfies LogBody, afterMs);
  }

  private calm(site: Site, id: string, name: string): void {
    const { alarms = {} } = this.mind(site, id);
    if (alarms[name] === undefined) return;
    const { [name]: _, ...rest } = alarms;
    this.think(site, id, { alarms: rest });
  }

  private contact(site: Site, a: string, b: string): boolean {
    return site.up(a) && site.up(b) && site.reach(a, b);
  }

  /** The metadata as a broker knows it. */
  known(site: Site, id: string): Meta | undefined {
    return this.mind(site, id).known?.meta;
  }

  /** A partition as a broker knows it. */
  partition(site: Site, id: string, key: string): Partition | undefined {
    const slash = key.lastIndexOf('/');
    return this.known(site, id)?.topics[key.slice(0, slash)]?.partitions[Number(key.slice(slash + 1))];
  }

  /** What a broker leads and holds of all that it knows. @param brokers all that there are */
  counted(site: Site, id: string, brokers: readonly string[]): Counted {
    const mind = this.mind(site, id);
    const from: unknown[] = [];
    for (const one of brokers) {
      from.push(site.up(one));
      for (let nth = Math.max(1, site.disks(one)) - 1; nth >= 0; nth -= 1) from.push(site.disk(one, nth));
    }
    const before = countedBefore.get(mind);
    if (before?.from.length === from.length && before.from.every((one, i) => one === from[i])) return before;
    let [leads, position, lag] = [0, 0, 0];
    for (const [topic, { partitions }] of Object.entries(mind.known?.meta.topics ?? {}))
      partitions.forEach((one, i) => {
        if (!one.replicas.includes(id)) return;
        if (one.leader === id) leads += 1;
        const { end } = this.log(site, id, `${topic}/${i}`);
        position += end;
        if (one.leader !== null && site.up(one.leader)) lag += Math.max(0, this.log(site, one.leader, `${topic}/${i}`).end - end);
      });
    const counted = { leads, position, lag, from };
    countedBefore.set(mind, counted);
    return counted;
  }

  private setLeading(site: Site, id: string, key: string, leading: Leading | undefined): void {
    const { [key]: _, ...rest } = this.mind(site, id).leading ?? {};
    this.think(site, id, { leading: leading ? { ...rest, [key]: leading } : rest });
  }

  /** Looks at what is new in the metadata, and at who is there. */
  look(site: Site, id: string): void {
    const newest = this.meta.newest(site, id);
    const mind = this.mind(site, id);
    const reach = this.reachOf(site, id);
    const last = looked.get(mind);
    if (last && last.at === newest?.at && last.reach === reach && last.disks.every((one, nth) => one === site.disk(id, nth))) return;
    this.lookRound(site, id, newest, mind);
    const after = this.mind(site, id);
    // Until it has met the others, more than this is looked at.
    if (after.met) {
      const disks = Array.from({ length: Math.max(1, site.disks(id)) }, (_, nth) => site.disk(id, nth));
      looked.set(after, { at: newest?.at, reach, disks });
    }
  }

  private reachOf(site: Site, id: string): string {
    let reach = '';
    for (const one of site.ids) reach += this.contact(site, id, one) ? '1' : '0';
    for (const one of site.running) reach += this.contact(site, id, one) ? '1' : '0';
    return reach;
  }

  private lookRound(site: Site, id: string, newest: { at: number; meta: Meta } | undefined, mind: BrokerMind): void {
    // At first a broker waits until all coordinators belong to their group; later a majority is enough.
    if (!mind.met && newest && this.meta.complete(site)) this.alarm(site, id, 'meet', drawInt(site.seed, `meet|${id}`, ...meetMs));
    if (newest && mind.met && (!mind.known || newest.at > mind.known.at)) {
      this.think(site, id, { known: newest });
      if (newest.meta.dropped && newest.meta.dropped !== mind.known?.meta.dropped) this.letGo(site, id, newest.meta.dropped);
    }
    const known = this.known(site, id);
    if (!known) return;
    for (const [topic, { partitions }] of Object.entries(known.topics))
      partitions.forEach((part, nth) => {
        const key = `${topic}/${nth}`;
        // One that has heard of a newer epoch was leader, whatever it knows of the metadata.
        if (part.leader === id && this.log(site, id, key).heard <= part.epoch) this.lead(site, id, key, part);
        else if (this.mind(site, id).leading?.[key]) {
          site.say(id, `leads ${key} no more`);
          this.setLeading(site, id, key, undefined);
        }
      });
  }

  /** What is kept of topics that were dropped goes, and nobody leads it any more. */
  private letGo(site: Site, id: string, dropped: NonNullable<Meta['dropped']>): void {
    const gone = (key: string, epoch: number): boolean => {
      const topic = key.slice(0, key.lastIndexOf('/'));
      return Object.hasOwn(dropped, topic) && epoch <= dropped[topic]!;
    };
    for (let nth = 0; nth < Math.max(1, site.disks(id)); nth += 1) {
      const disk = site.disk<LogDisk>(id, nth);
      const parts = Object.entries(disk?.parts ?? {});
      const left = parts.filter(([key, one]) => !gone(key, one.heard));
      if (left.length === parts.length) continue;
      site.say(id, `lets go of ${parts.length - left.length} partitions of topics that were dropped`);
      site.keep(id, { ...disk, parts: Object.fromEntries(left) }, nth);
    }
    const { leading = {} } = this.mind(site, id);
    const still = Object.entries(leading).filter(([key, one]) => !gone(key, one.epoch));
    if (still.length < Object.keys(leading).length) this.think(site, id, { leading: Object.fromEntries(still) });
  }

  private lead(site: Site, id: string, key: string, part: Partition): void {
    let leading = this.mind(site, id).leading?.[key];
    if (!leading || leading.epoch !== part.epoch) {
      const log = this.log(site, id, key);
      this.keep(site, id, key, {
        ...log,
        heard: part.epoch,
        epochs: log.epochs.some((one) => one.epoch === part.epoch) ? log.epochs : [...log.epochs, { epoch: part.epoch, at: log.end }]
      });
      leading = { epoch: part.epoch, match: {}, sent: {}, adding: [], pending: [] };
      this.setLeading(site, id, key, leading);
      site.say(id, `leads ${key} from here on, epoch ${part.epoch}, ${log.end} messages`);
    }
    const gone = part.replicas.filter((one) => one !== id && !this.contact(site, id, one));
    if (gone.some((one) => leading!.sent[one] !== undefined)) {
      const there = (map: Leading['match']) => Object.fromEntries(Object.entries(map).filter(([one]) => !gone.includes(one)));
      leading = { ...leading, match: there(leading.match), sent: there(leading.sent) };
      this.setLeading(site, id, key, leading);
    }
    const missing = part.caughtUp.filter((one) => gone.includes(one));
    if (missing.length) this.alarm(site, id, `away:${key}`, awayMs);
    else this.calm(site, id, `away:${key}`);
    for (const one of part.replicas)
      if (one !== id && !gone.includes(one) && leading.sent[one] === undefined) this.hello(site, id, one, key);
    this.raise(site, id, key);
  }

  private hello(site: Site, id: string, to: string, key: string): void {
    const log = this.log(site, id, key);
    const { epoch } = this.noteSent(site, id, to, key, -1);
    this.post(site, id, to, { is: 'hello', key, epoch, epochs: log.epochs, end: log.end });
  }

  private noteSent(site: Site, id: string, to: string, key: string, upTo: number): Leading {
    const leading = this.mind(site, id).leading![key]!;
    const next = { ...leading, sent: { ...leading.sent, [to]: upTo } };
    this.setLeading(site, id, key, next);
    return next;
  }

  private copy(site: Site, id: string, to: string, key: string, has: number): void {
    const log = this.log(site, id, key);
    const from = Math.max(has, this.mind(site, id).leading![key]!.sent[to] ?? 0);
    if (from >= log.end) return;
    const { epoch } = this.noteSent(site, id, to, key, log.end);
    let first = log.batches.length;
    while (first > 0 && log.batches[first - 1]!.at >= from) first -= 1;
    this.post(site, id, to, { is: 'copy', key, epoch, batches: log.batches.slice(first), at: from, high: log.high, epochs: log.epochs });
  }

  /** Who has to have a message before it counts: those that count as caught up, and those that were put forward. */
  private needed(part: Partition, leading: Leading): string[] {
    return [...new Set([...part.caughtUp, ...leading.adding])];
  }

  /** Moves up to where all caught-up replicas are, and answers who waits for that. */
  private raise(site: Site, id: string, key: string): void {
    const part = this.partition(site, id, key)!;
    const leading = this.mind(site, id).leading![key]!;
    const log = this.log(site, id, key);
    const ends = this.needed(part, leading).map((one) => (one === id ? log.end : (leading.match[one] ?? -1)));
    const high = Math.max(log.high, Math.min(...ends, log.end));
    if (high > log.high) this.keep(site, id, key, { ...log, high });
    const done = leading.pending.filter((one) => one.upTo <= high);
    if (!done.length) return;
    this.setLeading(site, id, key, { ...leading, pending: leading.pending.filter((one) => one.upTo > high) });
    for (const { client, nth } of done) this.post(site, id, client, { is: 'produced', nth, ok: true });
  }

  /** Has the coordinators decide something. Gives whether anybody was there to ask. */
  decide(site: Site, via: string, op: Op): boolean {
    const leader = this.meta.keepers(site).find((one) => this.contact(site, via, one) && this.leadsGroup(site, one));
    if (leader !== undefined) this.post(site, via, leader, { is: 'meta', body: { is: 'forward', op } });
    return leader !== undefined;
  }

  private propose(site: Site, id: string, key: string, caughtUp: readonly string[]): void {
    const part = this.partition(site, id, key)!;
    const slash = key.lastIndexOf('/');
    const op = {
      do: 'caught-up',
      place: key.slice(0, slash),
      key: key.slice(slash + 1),
      value: JSON.stringify({ epoch: part.epoch, leader: id, caughtUp })
    };
    this.decide(site, id, op);
  }

  /** Has the coordinators keep how far a group has read. Gives whether anybody was there to ask. */
  commit(site: Site, via: string, group: string, topic: string, offsets: readonly (number | null)[]): boolean {
    return this.decide(site, via, { do: 'commit-offsets', place: topic, key: group, value: JSON.stringify(offsets) });
  }

  leadsGroup(site: Site, id: string): boolean {
    return (this.mind(site, id).group as { role?: string } | undefined)?.role === 'leader';
  }

  rang(site: Site, id: string, name: string): void {
    this.calm(site, id, name);
    if (name === 'meet') {
      this.think(site, id, { met: true });
      site.keep(id, { ...site.disk<LogDisk>(id), registered: true });
      return this.look(site, id);
    }
    if (!name.startsWith('away:')) return;
    const key = name.slice(5);
    const part = this.partition(site, id, key);
    if (!part || part.leader !== id) return;
    const there = part.caughtUp.filter((one) => one === id || this.contact(site, id, one));
    if (there.length === part.caughtUp.length) return;
    site.say(id, `${part.caughtUp.filter((one) => !there.includes(one)).join(', ')} is no longer caught up on ${key}`, true);
    this.propose(site, id, key, there);
    this.alarm(site, id, name, awayMs);
  }

  // --- what others send ---------------------------------------------------------------------------------------------------------------------

  /** A replica's log is cut back to where it surely agrees with the leader's. Source of the idea: epochs and their starts, as in Raft's log matching. */
  hear(site: Site, id: string, from: string, body: LogBody & { is: 'hello' }): void {
    const log = this.log(site, id, body.key);
    if (Math.max(this.partition(site, id, body.key)?.epoch ?? 0, log.heard) > body.epoch) return;
    this.yield(site, id, body.key, body.epoch);
    let agreed = 0;
    const endOf = (epochs: PartLog['epochs'], end: number, epoch: number) => {
      const i = epochs.findIndex((one) => one.epoch === epoch);
      return i < 0 ? undefined : (epochs[i + 1]?.at ?? end);
    };
    for (const { epoch, at } of log.epochs) {
      const theirs = endOf(body.epochs, body.end, epoch);
      const same = body.epochs.find((one) => one.epoch === epoch);
      if (theirs === undefined || same?.at !== at) break;
      agreed = Math.min(theirs, endOf(log.epochs, log.end, epoch)!);
    }
    if (agreed < log.end) {
      const batches = log.batches.filter((one) => one.at < agreed);
      site.say(id, `lets go of ${log.end - agreed} messages of ${body.key} that never counted`);
      const epochs = log.epochs.filter((one) => one.at < agreed);
      this.keep(site, id, body.key, { batches, end: agreed, high: Math.min(log.high, agreed), epochs, heard: body.epoch });
    } else if (log.heard < body.epoch) this.keep(site, id, body.key, { ...log, heard: body.epoch });
    this.post(site, id, from, { is: 'have', key: body.key, epoch: body.epoch, end: agreed });
  }

  /** Whoever leads a newer epoch has taken over: what waits for an older one's acknowledgement gets none. */
  private yield(site: Site, id: string, key: string, epoch: number): void {
    const leading = this.mind(site, id).leading?.[key];
    if (leading && leading.epoch < epoch) this.setLeading(site, id, key, undefined);
  }

  take(site: Site, id: string, from: string, body: LogBody & { is: 'copy' }): void {
    const log = this.log(site, id, body.key);
    if (Math.max(this.partition(site, id, body.key)?.epoch ?? 0, log.heard) > body.epoch) return;
    if (body.at > log.end) return;
    this.yield(site, id, body.key, body.epoch);
    const fresh = body.batches.filter((one) => one.at >= log.end);
    const last = fresh[fresh.length - 1];
    const end = last ? last.at + last.count : log.end;
    const epochs = body.epochs.filter((one) => one.at <= end);
    this.keep(site, id, body.key, {
      batches: fresh.length ? [...log.batches, ...fresh] : log.batches,
      end,
      high: Math.max(log.high, Math.min(body.high, end)),
      epochs,
      heard: body.epoch
    });
    this.post(site, id, from, { is: 'have', key: body.key, epoch: body.epoch, end });
  }

  has(site: Site, id: string, from: string, { key, epoch, end }: LogBody & { is: 'have' }): void {
    const leading = this.mind(site, id).leading?.[key];
    const part = this.partition(site, id, key);
    if (!leading || !part || leading.epoch !== epoch) return;
    const match = { ...leading.match, [from]: end };
    const log = this.log(site, id, key);
    const caught = end >= log.end;
    const adding = caught && !part.caughtUp.includes(from) ? [...new Set([...leading.adding, from])] : leading.adding;
    this.setLeading(site, id, key, { ...leading, match, adding });
    if (end < log.end) this.copy(site, id, from, key, end);
    else if (adding !== leading.adding || (adding.includes(from) && !part.caughtUp.includes(from)))
      this.propose(site, id, key, [...part.caughtUp, from]);
    this.raise(site, id, key);
  }

  produce(site: Site, id: string, client: string, body: LogBody & { is: 'produce' }): void {
    const { key, nth, acks } = body;
    const part = this.partition(site, id, key);
    const leading = this.mind(site, id).leading?.[key];
    const reply = (ok: boolean, says?: string) =>
      this.post(site, id, client, { is: 'produced', nth, ok, ...(says === undefined ? {} : { says }) });
    if (!part || !leading || part.leader !== id) return reply(false, `${id} doesn't lead ${key}`);
    const { least, limitBytes, partitions } = this.known(site, id)!.topics[key.slice(0, key.lastIndexOf('/'))]!;
    if (acks === 'all' && part.caughtUp.length < least)
      return reply(false, `${part.caughtUp.length} of ${part.replicas.length} replicas of ${key} are caught up, ${least} are asked for`);
    const log = this.log(site, id, key);
    const refusal = this.refuses(log, body.bytes, site, limitBytes === undefined ? undefined : limitBytes / partitions.length);
    if (refusal) return reply(false, refusal);
    const known = log.batches.find((one) => one.sender === client && one.nth === nth);
    let upTo = known ? known.at + known.count : 0;
    if (!known) {
      const batch: Batch = {
        at: log.end,
        count: body.count,
        epoch: leading.epoch,
        bytes: body.bytes,
        sizeBytes: body.sizeBytes,
        sender: client,
        nth
      };
      upTo = log.end + body.count;
      this.keep(site, id, key, { ...log, batches: [...log.batches, batch], end: upTo });
      for (const one of part.replicas) {
        const has = leading.match[one];
        if (one !== id && has !== undefined && this.contact(site, id, one)) this.copy(site, id, one, key, has);
      }
    }
    if (acks === 'all') {
      this.setLeading(site, id, key, { ...this.mind(site, id).leading![key]!, pending: [...leading.pending, { client, nth, upTo }] });
      this.raise(site, id, key);
    } else if (acks !== 'none') reply(true);
    else this.raise(site, id, key);
  }

  read(site: Site, id: string, client: string, { key, from, most, at }: LogBody & { is: 'read' }): void {
    const leads = this.mind(site, id).leading?.[key] !== undefined;
    const log = this.log(site, id, key);
    const counting = log.batches.filter((one) => one.at + one.count <= log.high);
    const since = (offset: number) => counting.filter((one) => one.at >= offset);
    const batches = at !== undefined ? since(at) : from === 'end' ? [] : from === 'last' ? counting.slice(-most) : counting;
    const sizeBytes = batches.reduce((sum, one) => sum + one.sizeBytes, 0);
    const body: LogBody = {
      is: 'batches',
      key,
      ok: leads,
      batches: leads ? batches : [],
      end: log.high,
      ...(leads ? {} : { says: `${id} doesn't lead ${key}` })
    };
    site.post(id, client, body, 2 + (sizeBytes / readBytesPerSecond) * 1_000);
  }
}
