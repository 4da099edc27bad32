import { z } from 'zod';
import { drawInt } from '../../../shared';
import { contentOf, contentText } from '../content';
import { handedOut, namedIn, placedKey, readJson, wouldOverwrite } from '../copies';
import type { Ask, Site } from '../site';
import { counted } from '../words';
import type { Brokers } from './broker';
import { makeTopic } from './meta';
import { partKey, type Batch, type LogBody, type Meta, type Topic } from './types';

/** How often whoever copies or puts back looks how far it is; made up. */
const lookMs = 500;
/** What isn't acknowledged by then is sent again; made up. */
const againMs = 5_000;
/** So many batches of a partition are on their way at once; made up. */
const openBatches = 64;
/** How long one is on its way to whoever leads; the same for all, so that none overtakes another. Made up. */
const wayMs = 2;

/** A batch as a copy keeps it: how many messages, and what is in them. */
type Kept = readonly [count: number, content: string];
/** What a topic was made with. */
type Wish = Pick<Topic, 'least' | 'limitBytes'> & { readonly partitions: number; readonly replicas: number };
type Offsets = readonly (number | null)[];

/** All that a copy of topics says. */
interface Said {
  readonly topics: Readonly<Record<string, Wish>>;
  readonly messages: Readonly<Record<string, readonly Kept[]>>;
  readonly groups: readonly { readonly group: string; readonly topic: string; readonly offsets: Offsets }[];
}

/** Somebody who reads all partitions. */
interface Copier {
  readonly kind: 'copier';
  readonly via: string;
  readonly got: Readonly<Record<string, readonly Batch[] | null>>;
  /** Where it begins in each partition, where it wants the news alone: at this message. */
  readonly since?: Readonly<Record<string, number>>;
  /** How far each partition goes. */
  readonly ends?: Readonly<Record<string, number>>;
}

interface SentSoFar {
  readonly acked: number;
  readonly later: readonly number[];
  readonly next: number;
  readonly sentMs: number;
}

/** Somebody who puts topics back: old ones go, new ones are made, messages are sent one after another, groups go on where they were. */
interface Returner {
  readonly kind: 'returner';
  readonly via: string;
  readonly stage: 'dropping' | 'making' | 'writing' | 'groups';
  /** What it brings comes behind what lies there. */
  readonly adds?: boolean;
  /** Topics that are still to go, as they are named. */
  readonly old: readonly string[];
  /** Of each partition: how many batches are acknowledged without a gap, those behind a gap, how many were sent, and when the last was. */
  readonly sent: Readonly<Record<string, SentSoFar>>;
}

const whole = z.number().int().min(1);
/** What lies in a bucket may be anything: names, topics, messages and offsets of a copy are read by these alone. */
const nameShape = z.tuple([z.string(), z.string()]).rest(z.union([z.string(), z.number()]));
const wishShape = z.object({ partitions: whole, replicas: whole, least: whole, limitBytes: z.number().min(0).optional() });
const keptShape = z.array(z.tuple([whole, z.string()]));
const offsetsShape = z.array(z.number().min(0).nullable());
const sinceShape = z.record(z.string(), whole.or(z.literal(0)));

/** What a client says of a copy; undefined for a text that is none. */
function saidIn(text: string): Said | undefined {
  const said = {
    topics: {} as Record<string, Wish>,
    messages: {} as Record<string, readonly Kept[]>,
    groups: [] as Said['groups'][number][]
  };
  try {
    for (const [key, value] of namedIn(text) ?? [['', '']]) {
      const [what, topic, more] = nameShape.parse(JSON.parse(key));
      if (what === 'topic') said.topics[topic] = wishShape.parse(JSON.parse(value));
      else if (what === 'messages') said.messages[partKey(topic, Number(more))] = keptShape.parse(JSON.parse(value));
      else if (what === 'group') said.groups.push({ group: String(more), topic, offsets: offsetsShape.parse(JSON.parse(value)) });
      else return undefined;
    }
  } catch {
    return undefined;
  }
  const isThere = (key: string): boolean => {
    const slash = key.lastIndexOf('/');
    return Number(key.slice(slash + 1)) < (said.topics[key.slice(0, slash)]?.partitions ?? 0);
  };
  const sound = Object.entries(said.messages).every(
    ([key, all]) => isThere(key) && all.every(([count, content]) => count >= 1 && contentOf(content) !== undefined)
  );
  const known = said.groups.every(({ topic, offsets }) => said.topics[topic]?.partitions === offsets.length);
  return sound && known ? said : undefined;
}

const read = new WeakMap<Ask['op'], Said>();

/** What topics and messages are called by whoever keeps them, and what of messages it can read; left out: any. */
export interface TopicWords {
  readonly topic: string;
  readonly message: string;
  fits?(batch: Uint8Array, count: number): boolean;
}

/** Copies of all topics of a broker, and their return: messages in their order within partitions, with how far groups have read. */
export class TopicCopies {
  constructor(
    private readonly brokers: Brokers,
    private readonly leads: string,
    private readonly words: TopicWords
  ) {}

  /** Whether a client copies or puts back. */
  isOne(site: Site, me: string): boolean {
    const kind = site.mind<{ kind?: string }>(me)?.kind;
    return kind === 'copier' || kind === 'returner';
  }

  private known(site: Site, via: string): Meta | undefined {
    return this.brokers.known(site, via);
  }

  start(site: Site, ask: Ask, via: string): void {
    const me = `~${ask.id}`;
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', by: via, says });
    if (ask.op.do === 'copy' || ask.op.do === 'news') {
      const since = ask.op.do === 'news' ? readJson(sinceShape, ask.op.value ?? '{}') : {};
      if (!since) return refuse('its value is no JSON such as {"topic/0": 12}');
      const { place } = ask.op.do === 'news' ? ask.op : {};
      const keys = Object.entries(this.known(site, via)?.topics ?? {}).flatMap(([name, one]) =>
        place === undefined || name === place ? one.partitions.map((_, p) => partKey(name, p)) : []
      );
      const got = Object.fromEntries(keys.map((key) => [key, null]));
      site.think(me, { kind: 'copier', via, got, ...(ask.op.do === 'news' ? { since } : {}) } satisfies Copier);
      return this.fetch(site, me);
    }
    const adds = ask.op.do === 'take';
    const said = saidIn(ask.op.value ?? '');
    const unfit = Object.values(said?.messages ?? {}).some((all) =>
      all.some(([count, content]) => this.words.fits?.(contentOf(content)!, count) === false)
    );
    if (!said || unfit) return refuse(`that is no copy of ${this.words.topic}s`);
    const there = this.known(site, via)!.topics;
    const old = adds ? [] : Object.keys(there).filter((name) => ask.op.place === undefined || name === ask.op.place);
    const full = old.filter((name) => this.holds(site, name, there[name]!));
    if (full.length && !ask.op.count) return refuse(wouldOverwrite(counted(full.length, this.words.topic)));
    const narrow = Object.entries(said.topics).find(
      ([name, { partitions }]) => adds && Object.hasOwn(there, name) && there[name]!.partitions.length !== partitions
    );
    // What has messages of its own is only gone on with where whoever sends knows how far it had got.
    const goesOn = readJson(z.array(z.string()), ask.op.key ?? '[]') ?? [];
    const own = Object.keys(said.topics).find(
      (name) => adds && Object.hasOwn(there, name) && !goesOn.includes(name) && this.holds(site, name, there[name]!)
    );
    if (own !== undefined) return refuse(`${own} holds ${this.words.message}s of its own, and what comes would lie behind them`);
    if (narrow) return refuse(`${narrow[0]} has ${there[narrow[0]]!.partitions.length} partitions here and ${narrow[1].partitions} there`);
    const free = { ...this.known(site, via)!, topics: {} };
    const fault = Object.entries(said.topics)
      .filter(([name]) => !adds || !Object.hasOwn(there, name))
      .map(([name, wish]) => makeTopic(free, name, this.wish(site, via, wish)))
      .find((one) => typeof one === 'string');
    if (typeof fault === 'string') return refuse(fault);
    read.set(ask.op, said);
    const sent = Object.fromEntries(
      Object.keys(said.messages).map((key): [string, SentSoFar] => [key, { acked: 0, later: [], next: 0, sentMs: 0 }])
    );
    const more = adds ? { adds } : {};
    site.think(me, { kind: 'returner', via, stage: 'dropping', old, sent, op: ask.op, ...more } satisfies Returner & { op: Ask['op'] });
    this.goOn(site, me);
  }

  /** Whether anything was written to a topic; where a partition has no leader nobody can tell, and it counts as written to. */
  private holds(site: Site, name: string, { partitions }: Topic): boolean {
    return partitions.some(({ leader }, p) => leader === null || this.brokers.log(site, leader, partKey(name, p)).high > 0);
  }

  private wish(site: Site, via: string, { limitBytes, ...wish }: Wish): string {
    const brokers = site.ids.filter((id) => site.part(id) === this.leads && site.up(id) && this.known(site, id));
    return JSON.stringify({ ...wish, brokers: brokers.length ? brokers : [via], ...(limitBytes === undefined ? {} : { limitBytes }) });
  }

  private ring(site: Site, me: string): void {
    site.post(me, me, { is: 'again' } satisfies LogBody, lookMs);
  }

  arrived(site: Site, me: string, body: LogBody & { is: 'produced' | 'batches' | 'again' }): void {
    const mind = site.mind<Copier | Returner>(me)!;
    if (mind.kind === 'copier') {
      if (body.is === 'again') return this.fetch(site, me);
      if (body.is !== 'batches' || !body.ok) return;
      const got = { ...mind.got, [body.key]: body.batches };
      site.think(me, { ...mind, got, ends: { ...mind.ends, [body.key]: body.end ?? 0 } });
      if (Object.values(got).every((one) => one !== null)) this.hand(site, me);
      return;
    }
    if (body.is === 'produced' && body.ok) {
      // Numbers of a client's batches are unique among all partitions of it.
      const keys = Object.keys(mind.sent).sort();
      const key = keys[body.nth % keys.length]!;
      const mine = mind.sent[key]!;
      const nth = Math.floor(body.nth / keys.length);
      let { acked, later } = mine;
      if (nth >= acked && !later.includes(nth)) later = [...later, nth];
      for (; later.includes(acked); acked += 1) later = later.filter((one) => one !== acked);
      site.think(me, { ...mind, sent: { ...mind.sent, [key]: { ...mine, acked, later } } });
    }
    this.goOn(site, me, body.is === 'again');
  }

  private fetch(site: Site, me: string): void {
    const { via, ...mind } = site.mind<Copier>(me)!;
    // What somebody dropped meanwhile is waited for no longer.
    const got = Object.fromEntries(Object.entries(mind.got).filter(([key]) => this.brokers.partition(site, via, key)));
    site.think(me, { ...mind, via, got });
    if (Object.values(got).every((one) => one !== null)) return this.hand(site, me);
    for (const [key, batches] of Object.entries(got)) {
      const leader = this.brokers.partition(site, via, key)?.leader;
      if (batches === null && leader)
        site.post(
          me,
          leader,
          { is: 'read', key, from: 'beginning', most: 0, ...(mind.since ? { at: mind.since[key] ?? 0 } : {}) } satisfies LogBody,
          drawInt(site.seed, `copy|${me}|${leader}`, 1, 5)
        );
    }
    site.post(me, me, { is: 'again' } satisfies LogBody, againMs);
  }

  private hand(site: Site, me: string): void {
    const { got, via, since } = site.mind<Copier>(me)!;
    const { topics = {}, groups = {} } = this.known(site, via) ?? {};
    const rows: [string, string][] = [];
    let [messages, bytes, handed] = [0, 0, 0];
    for (const [name, { least, limitBytes, partitions }] of Object.entries(topics)) {
      if (!partitions.every((_, p) => got[partKey(name, p)])) continue;
      if (since && !partitions.some((_, p) => got[partKey(name, p)]!.length || since[partKey(name, p)] === undefined)) continue;
      const wish: Wish = {
        partitions: partitions.length,
        replicas: partitions[0]!.replicas.length,
        least,
        ...(limitBytes === undefined ? {} : { limitBytes })
      };
      handed += 1;
      rows.push([placedKey('topic', name), JSON.stringify(wish)]);
      partitions.forEach((_, p) => {
        const batches = got[partKey(name, p)]!;
        messages += batches.reduce((sum, one) => sum + one.count, 0);
        bytes += batches.reduce((sum, one) => sum + one.sizeBytes, 0);
        const kept = batches.map(({ count, bytes }): Kept => [count, contentText(site.bytes(bytes), count)]);
        rows.push([placedKey('messages', name, p), JSON.stringify(kept)]);
      });
      for (const [group, all] of Object.entries(groups))
        if (!since && Object.hasOwn(all, name)) rows.push([placedKey('group', name, group), JSON.stringify(all[name])]);
    }
    const says = `${counted(messages, this.words.message)} in ${counted(handed, this.words.topic)}`;
    if (since) this.ends(site, me, rows);
    site.answer(me.slice(1), { ...handedOut(via, `${this.words.topic}s`, rows, says), count: messages, bytes });
  }

  /** Up to where each partition was read: the next message of it. Where it ends before that, its end. */
  private ends(site: Site, me: string, rows: [string, string][]): void {
    const mind = site.mind<Copier>(me)!;
    const ends = Object.entries(mind.got).map(([key, batches]): [string, number] => [
      key,
      Math.min(mind.ends?.[key] ?? 0, Math.max(mind.since?.[key] ?? 0, ...(batches ?? []).map(({ at, count }) => at + count)))
    ]);
    rows.push([placedKey('ends', ''), JSON.stringify(Object.fromEntries(ends))]);
  }

  /** Goes as far as it gets; looks again in a while where something is still to come. */
  private goOn(site: Site, me: string, again = true): void {
    const mind = site.mind<Returner & { op: Ask['op'] }>(me)!;
    const { via, op, stage } = mind;
    const said = read.get(op) ?? saidIn(op.value ?? '')!;
    read.set(op, said);
    const meta = this.known(site, via);
    const names = Object.keys(said.topics);
    const next = (to: Returner['stage']) => {
      site.think(me, { ...mind, stage: to });
      this.goOn(site, me, again);
    };
    const there = (name: string) => meta !== undefined && Object.hasOwn(meta.topics, name);
    if (stage === 'dropping') {
      const left = mind.old.filter(there);
      if (!left.length && meta) return next('making');
      for (const place of left) this.brokers.decide(site, via, { do: 'drop-topic', place });
    } else if (stage === 'making') {
      const left = names.filter((name) => !there(name));
      if (!left.length) return next('writing');
      for (const place of left)
        this.brokers.decide(site, via, { do: 'make-topic', place, value: this.wish(site, via, said.topics[place]!) });
    } else if (stage === 'writing') {
      if (this.write(site, me, said)) return next('groups');
      if (!again) return;
    } else {
      const left = said.groups.filter(({ group, topic, offsets }) => meta?.groups?.[group]?.[topic]?.join() !== offsets.join());
      if (!left.length) return this.done(site, me, said);
      for (const { group, topic, offsets } of left) this.brokers.commit(site, via, group, topic, offsets);
    }
    this.ring(site, me);
  }

  /** Sends what comes next of each partition, some at once; all that isn't acknowledged once more where nobody answers. Gives whether all is. */
  private write(site: Site, me: string, { messages }: Said): boolean {
    const mind = site.mind<Returner>(me)!;
    const keys = Object.keys(mind.sent).sort();
    const sent = { ...mind.sent };
    keys.forEach((key, i) => {
      const mine = mind.sent[key]!;
      const batches = messages[key]!;
      const leader = this.brokers.partition(site, mind.via, key)?.leader;
      if (!leader || mine.acked >= batches.length) return;
      const anew = mine.next > mine.acked && site.nowMs - mine.sentMs >= againMs;
      const until = Math.min(batches.length, mine.acked + openBatches);
      let next = anew ? mine.acked : mine.next;
      if (next >= until) return;
      for (; next < until; next += 1) {
        const [count, content] = batches[next]!;
        const bytes = contentOf(content)!;
        const nth = next * keys.length + i;
        const body: LogBody = { is: 'produce', key, nth, acks: 'all', bytes: site.store(bytes), count, sizeBytes: bytes.length };
        site.post(me, leader, body, wayMs);
      }
      sent[key] = { ...mine, next, sentMs: site.nowMs };
    });
    site.think(me, { ...mind, sent });
    return keys.every((key) => sent[key]!.acked >= messages[key]!.length);
  }

  private done(site: Site, me: string, { messages, topics }: Said): void {
    const { adds } = site.mind<Returner>(me)!;
    const count = Object.values(messages).reduce((sum, all) => sum + all.reduce((more, [n]) => more + n, 0), 0);
    const says = `${counted(count, this.words.message)} in ${counted(Object.keys(topics).length, this.words.topic)} ${adds ? 'taken' : 'put back'}`;
    site.answer(me.slice(1), { outcome: 'acknowledged', by: site.mind<Returner>(me)!.via, says, count });
  }
}
