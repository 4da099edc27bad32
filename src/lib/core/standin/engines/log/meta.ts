import { majorityOf } from '../../../shared';
import { Group, type Rules } from '../group';
import type { Site } from '../site';
import { accountIn, type LogBody, type LogDisk, type BrokerMind, type Meta, type Partition, type Topic } from './types';

const emptyMeta: Meta = { topics: {}, down: [], accounts: {} };

/** A partition whose leader has gone goes to a caught-up replica that is there, or waits for one; it never goes to one that lacks something. */
function ledAnew(part: Partition, down: readonly string[]): Partition {
  if (part.leader !== null && !down.includes(part.leader)) return part;
  const heir = part.caughtUp.find((one) => !down.includes(one)) ?? null;
  return heir === part.leader ? part : { ...part, leader: heir, epoch: part.epoch + 1 };
}

const overAll = (meta: Meta, change: (part: Partition, topic: string, nth: number) => Partition): Meta['topics'] =>
  Object.fromEntries(
    Object.entries(meta.topics).map(([name, topic]) => [
      name,
      { ...topic, partitions: topic.partitions.map((one, i) => change(one, name, i)) }
    ])
  );

/** More partitions than any one topic of a rehearsal is given; common practice, no source. */
const mostPartitions = 1_000;
const whole = (n: unknown): boolean => Number.isInteger(n) && Number(n) >= 1;

/** A topic of so many partitions and replicas over the brokers that are there, or why it can't be had. @param value what is asked for, as JSON */
export function makeTopic(meta: Meta, name: string, value: string): Topic | string {
  const { partitions, replicas, least, brokers, limitBytes } = JSON.parse(value) as {
    partitions: number;
    replicas: number;
    least: number;
    brokers: string[];
    limitBytes?: number;
  };
  if (meta.topics[name]) return `the topic ${name} exists already`;
  if (!whole(partitions) || partitions > mostPartitions)
    return `partitions must be a whole number from 1 to ${mostPartitions}, not ${partitions}`;
  for (const wish of [replicas, least]) if (!whole(wish)) return `replicas must be a whole number from 1 on, not ${wish}`;
  const live = brokers.filter((one) => !meta.down.includes(one));
  if (live.length < replicas) return `${replicas} replicas were asked for and ${live.length} brokers are there`;
  if (least > replicas) return `${least} caught-up replicas of ${replicas} can't be had`;
  // What is left of one of that name that was dropped is of an older epoch.
  const epoch = (meta.dropped?.[name] ?? 0) + 1;
  return {
    least,
    ...(limitBytes === undefined ? {} : { limitBytes }),
    partitions: Array.from({ length: partitions }, (_, p) => {
      const mine = Array.from({ length: replicas }, (__, r) => live[(p + r) % live.length]!);
      return { leader: mine[0]!, epoch, replicas: mine, caughtUp: mine };
    })
  };
}

/** What the coordinators decide, entry by entry. */
export const metaRules: Rules<Meta> = {
  empty: emptyMeta,
  found: () => emptyMeta,
  apply(meta, op) {
    const { place = '', key = '', value = '' } = op;
    switch (op.do) {
      case 'make-topic': {
        const topic = makeTopic(meta, place, value);
        return typeof topic === 'string' ? { refused: topic } : { state: { ...meta, topics: { ...meta.topics, [place]: topic } } };
      }
      case 'drop-topic': {
        const { [place]: topic, ...topics } = meta.topics;
        if (!topic) return { refused: `there is no topic ${place}` };
        const epoch = Math.max(...topic.partitions.map((one) => one.epoch));
        const groups = Object.fromEntries(
          Object.entries(meta.groups ?? {}).flatMap(([group, { [place]: _, ...read }]) => (Object.keys(read).length ? [[group, read]] : []))
        );
        return { state: { ...meta, topics, groups, dropped: { ...meta.dropped, [place]: epoch } } };
      }
      case 'make-account':
        return accountIn(value)
          ? { state: { ...meta, accounts: { ...meta.accounts, [key]: value } } }
          : { refused: 'its value is no JSON such as {"mark": "1f2e", "write": ["gate-scans"], "read": []}' };
      case 'drop-account': {
        const { [key]: _, ...accounts } = meta.accounts;
        return { state: { ...meta, accounts } };
      }
      case 'down': {
        const down = [...new Set([...meta.down, key])];
        return { state: { ...meta, down, topics: overAll(meta, (one) => ledAnew(one, down)) } };
      }
      case 'up': {
        const down = meta.down.filter((one) => one !== key);
        return { state: { ...meta, down, topics: overAll(meta, (one) => ledAnew(one, down)) } };
      }
      case 'caught-up': {
        const { epoch, leader, caughtUp } = JSON.parse(value) as { epoch: number; leader: string; caughtUp: string[] };
        const part = meta.topics[place]?.partitions[Number(key)];
        if (!part || part.epoch !== epoch || part.leader !== leader) return { refused: 'somebody else leads by now' };
        const topics = overAll(meta, (one, topic, nth) => (topic === place && nth === Number(key) ? { ...one, caughtUp } : one));
        return { state: { ...meta, topics } };
      }
      case 'commit-offsets': {
        const offsets = JSON.parse(value) as (number | null)[];
        if (meta.topics[place]?.partitions.length !== offsets.length) return { refused: `the topic ${place} has other partitions` };
        const groups = { ...meta.groups, [key]: { ...meta.groups?.[key], [place]: offsets } };
        return { state: { ...meta, groups } };
      }
      default:
        return { refused: `coordinators know no ${op.do}` };
    }
  },
  counts: (members, have) => have.length >= majorityOf(members.length),
  electors: majorityOf,
  anyTakes: true,
  leavesOnStop: false,
  patienceMs: [2_000, 4_000],
  givingMs: () => 1_000,
  words: { leader: 'leads', follower: 'follows', alone: 'no majority' }
};

/** A site's members by their parts, and the site as the group sees it. */
interface View {
  readonly ids: Site['ids'];
  readonly running: Site['running'];
  readonly parts: Map<string, string[]>;
  within?: Site;
}

/** The coordinators' group within a site in which brokers run too. Their messages travel in envelopes, their data lies beside a broker's. */
export class MetaGroup {
  readonly group = new Group<Meta>(metaRules);
  /** What was looked up of sites asked before: who there is doesn't change during a call. */
  private readonly views = new WeakMap<Site, View>();

  /** @param leads name of the part whose members lead and copy partitions */
  constructor(readonly leads: string) {}

  private viewOf(site: Site): View {
    const known = this.views.get(site);
    if (known && known.ids === site.ids && known.running === site.running) return known;
    const view: View = { ids: site.ids, running: site.running, parts: new Map() };
    for (const id of new Set([...site.ids, ...site.running])) {
      const part = site.part(id);
      const mine = view.parts.get(part);
      if (mine) mine.push(id);
      else view.parts.set(part, [id]);
    }
    this.views.set(site, view);
    return view;
  }

  /** Members of one part: those that ought to be, then others that run. */
  ofPart(site: Site, part: string): readonly string[] {
    return this.viewOf(site).parts.get(part) ?? [];
  }

  /** Those who keep the metadata: coordinators where there are any, else the brokers themselves. */
  keepers(site: Site): readonly string[] {
    const { parts } = this.viewOf(site);
    return parts.get('coordinator') ?? parts.get(this.leads) ?? [];
  }

  /** The site as the group sees it. */
  within(site: Site): Site {
    const view = this.viewOf(site);
    return (view.within ??= this.siteWithin(site));
  }

  private siteWithin(site: Site): Site {
    const keepers = this.keepers(site);
    const ids = keepers.filter((id) => site.ids.includes(id));
    return {
      nowMs: site.nowMs,
      seed: site.seed,
      ids,
      running: [...site.running].filter((id) => keepers.includes(id)),
      up: (id) => site.up(id),
      leaving: (id) => site.leaving(id),
      reach: (a, b) => site.reach(a, b),
      disks: (id) => site.disks(id),
      part: (id) => site.part(id),
      option: (id, name) => site.option(id, name),
      store: (bytes) => site.store(bytes),
      bytes: (name) => site.bytes(name),
      say: (id, text, grave) => site.say(id, text, grave),
      answer: (ask, answer) => site.answer(ask, answer),
      disk: <T>(id: string) => site.disk<LogDisk>(id)?.meta as T | undefined,
      keep: (id, meta) => site.keep(id, { ...site.disk<LogDisk>(id), meta }),
      mind: <T>(id: string) => site.mind<BrokerMind>(id)?.group as T | undefined,
      think: (id, group) => site.think(id, { ...site.mind<BrokerMind>(id), group }),
      post: (from, to, body, afterMs) => site.post(from, to, { is: 'meta', body } satisfies LogBody, afterMs)
    };
  }

  /** Whether everybody who ought to keep the metadata has joined; brokers that keep it themselves don't wait for each other. */
  complete(site: Site): boolean {
    const wanted = site.ids.filter((id) => site.part(id) === 'coordinator');
    if (!wanted.length) return true;
    const within = this.within(site);
    return wanted.some((one) => {
      const members = this.group.members(within, one);
      return members !== undefined && wanted.every((other) => members.includes(other));
    });
  }

  /** The metadata that counts, from the keeper that decides, if it is reached and surely still decides. */
  newest(site: Site, id: string): { at: number; meta: Meta } | undefined {
    const within = this.within(site);
    for (const one of this.keepers(site)) {
      if (!site.up(one) || !site.reach(id, one) || !this.group.surelyLeads(within, one)) continue;
      const record = site.disk<LogDisk>(one)!.meta!;
      return { at: record.applied, meta: record.state };
    }
    return undefined;
  }
}
