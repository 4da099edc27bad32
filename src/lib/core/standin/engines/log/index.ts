import type { Ask, Engine, Site, MemberState } from '../site';
import { counted } from '../words';
import { Brokers, meetMs, sessionMs } from './broker';
import { Clients } from './clients';
import { TopicCopies, type TopicWords } from './copying';
import { MetaGroup } from './meta';
import { accountIn, type BrokerMind, type LogBody, type LogDisk } from './types';

/**
 * Log broker: topics of partitions, each led by one broker and copied by others; coordinators (or the brokers themselves) agree on who
 * leads. A message that all caught-up replicas acknowledged survives as long as one of them keeps its volume; only a replica that was caught up leads.
 */
function wishIn(value: string | undefined): { replicas?: number; least?: number } | undefined {
  if (!value) return {};
  try {
    const read: unknown = JSON.parse(value);
    return typeof read === 'object' && read !== null ? read : undefined;
  } catch {
    return undefined;
  }
}

/** A log broker: topics in partitions with leaders and followers, led by coordinators or by brokers that coordinate themselves. */
export class LogBroker implements Engine {
  readonly meta: MetaGroup;
  readonly brokers: Brokers;
  readonly clients: Clients;
  private readonly copies: TopicCopies;

  /** @param leads name of the part whose members lead partitions; @param words what a topic and a message are called there */
  constructor(
    private readonly leads = 'broker',
    refuses?: ConstructorParameters<typeof Brokers>[1],
    words: TopicWords = { topic: 'topic', message: 'message' }
  ) {
    this.meta = new MetaGroup(leads);
    this.brokers = new Brokers(this.meta, refuses);
    this.clients = new Clients(this.brokers, leads);
    this.copies = new TopicCopies(this.brokers, leads, words);
  }

  ofPart(site: Site, part: string): readonly string[] {
    return this.meta.ofPart(site, part);
  }

  changed(site: Site): void {
    this.meta.group.changed(this.meta.within(site));
    this.after(site);
  }

  /** Whoever decides looks at which brokers are there; each broker at what was decided. */
  private after(site: Site): void {
    const decider = this.meta.keepers(site).find((id) => site.up(id) && this.brokers.leadsGroup(site, id));
    if (decider !== undefined) this.sessions(site, decider);
    for (const id of this.ofPart(site, this.leads)) if (site.up(id)) this.brokers.look(site, id);
    // A helper that has met all brokers once stays, whoever of them goes later.
    for (const id of this.ofPart(site, 'helper'))
      if (site.up(id) && !site.mind<BrokerMind>(id)?.met && this.allThere(site)) this.alarm(site, id, 'meet', meetMs[1]);
  }

  private sessions(site: Site, decider: string): void {
    const state = site.disk<LogDisk>(decider)?.meta?.state;
    if (!state) return;
    for (const id of this.ofPart(site, this.leads)) {
      const there = site.up(id) && site.reach(decider, id);
      const down = state.down.includes(id);
      if (there && down) this.meta.group.propose(this.meta.within(site), decider, { do: 'up', key: id });
      else if (!there && !down && site.disk<LogDisk>(id)?.registered) this.alarm(site, decider, `session:${id}`);
    }
  }

  private allThere(site: Site): boolean {
    const wanted = site.ids.filter((one) => site.part(one) === this.leads);
    return wanted.length > 0 && wanted.every((one) => site.up(one) && this.brokers.known(site, one));
  }

  private alarm(site: Site, id: string, name: string, afterMs = sessionMs): void {
    const mind = site.mind<BrokerMind>(id) ?? {};
    if (mind.alarms?.[name] !== undefined) return;
    const set = (mind.set ?? 0) + 1;
    const nth = site.nowMs * 1_000 + set;
    site.think(id, { ...mind, alarms: { ...mind.alarms, [name]: nth }, set });
    site.post(id, id, { is: 'alarm', name, nth } satisfies LogBody, afterMs);
  }

  private rang(site: Site, id: string, { name, nth }: LogBody & { is: 'alarm' }): void {
    const mind = site.mind<BrokerMind>(id) ?? {};
    if (mind.alarms?.[name] !== nth) return;
    if (name === 'meet' && site.part(id) === 'helper') return site.think(id, { met: true } satisfies BrokerMind);
    if (!name.startsWith('session:')) return this.brokers.rang(site, id, name);
    const { [name]: _, ...alarms } = mind.alarms;
    site.think(id, { ...mind, alarms });
    const broker = name.slice(8);
    const state = site.disk<LogDisk>(id)?.meta?.state;
    if (!this.brokers.leadsGroup(site, id) || !state || state.down.includes(broker) || (site.up(broker) && site.reach(id, broker))) return;
    site.say(id, `hasn't heard from ${broker}: others lead for it`, true);
    this.meta.group.propose(this.meta.within(site), id, { do: 'down', key: broker });
  }

  arrived(site: Site, to: string, from: string, raw: unknown): void {
    const body = raw as LogBody;
    switch (body.is) {
      case 'meta':
        this.meta.group.arrived(this.meta.within(site), to, from, body.body);
        break;
      case 'alarm':
        this.rang(site, to, body);
        break;
      case 'hello':
        this.brokers.hear(site, to, from, body);
        break;
      case 'copy':
        this.brokers.take(site, to, from, body);
        break;
      case 'have':
        this.brokers.has(site, to, from, body);
        break;
      case 'produce':
        this.brokers.produce(site, to, from, body);
        break;
      case 'read':
        this.brokers.read(site, to, from, body);
        break;
      case 'produced':
      case 'batches':
      case 'again':
        if (this.copies.isOne(site, to)) this.copies.arrived(site, to, body);
        else if (body.is === 'produced') this.clients.produced(site, to, body);
        else if (body.is === 'batches') this.clients.batches(site, to, body);
        else this.clients.again(site, to);
        return;
    }
    if (body.is === 'meta' || body.is === 'alarm') this.after(site);
  }

  ask(site: Site, ask: Ask): void {
    const { op, member } = ask;
    const via = member ?? this.ofPart(site, this.leads).find((id) => site.up(id) && this.brokers.known(site, id));
    if (via === undefined || !site.up(via))
      return site.answer(ask.id, { outcome: 'refused', says: `${via ?? 'no broker'} doesn't answer` });
    const denied = ask.as && this.denied(site, via, ask.as, op);
    if (denied !== undefined) return site.answer(ask.id, { outcome: 'refused', by: via, says: `access denied: ${denied}` });
    if (op.do === 'produce' || op.do === 'consume') return this.clients.start(site, ask, via);
    if (['copy', 'put-back', 'news', 'take'].includes(op.do)) return this.copies.start(site, ask, via);
    if (op.do === 'drop') return this.decided(site, { ...ask, op: { ...op, do: 'drop-topic' } }, via);
    if (op.do === 'topics') return this.topics(site, ask, via);
    if (op.do === 'groups') return this.groups(site, ask, via);
    if (!['make-topic', 'make-account', 'drop-account'].includes(op.do))
      return site.answer(ask.id, { outcome: 'refused', by: via, says: `it knows no ${op.do}` });
    const value = op.do === 'make-topic' ? this.wish(site, ask) : (op.value ?? '');
    if (value === undefined)
      return site.answer(ask.id, { outcome: 'refused', by: via, says: 'its value is no JSON such as {"replicas": 3, "least": 2}' });
    this.decided(site, { ...ask, op: { ...op, value } }, via);
  }

  /** Why an account may not do something; undefined when it may. */
  private denied(
    site: Site,
    via: string,
    { account, mark }: NonNullable<Ask['as']>,
    { do: wish, place = '' }: Ask['op']
  ): string | undefined {
    const { accounts = {} } = this.brokers.known(site, via) ?? {};
    const kept = Object.hasOwn(accounts, account) ? accountIn(accounts[account]) : undefined;
    if (!kept) return `there is no account ${account}`;
    if (mark !== kept.mark) return mark === '' ? 'no password was shown' : 'the password is wrong';
    if (wish === 'topics' || wish === 'groups') return undefined;
    const reads = ['consume', 'copy', 'news'].includes(wish);
    const may = wish === 'produce' ? kept.write : reads ? kept.read : [];
    if ((place !== '' && may.includes(place)) || may.includes('*')) return undefined;
    const what = place || 'everything';
    return `${account} may not ${wish === 'produce' ? `write ${place}` : reads ? `read ${what}` : wish.replace('-', ' ')}`;
  }

  /** Has something decided by whoever decides. */
  decided(site: Site, ask: Ask, via: string): void {
    const keeper = this.meta.keepers(site).find((id) => site.up(id) && this.brokers.leadsGroup(site, id) && site.reach(via, id));
    if (keeper === undefined)
      return site.answer(ask.id, { outcome: 'refused', by: via, says: 'no coordinator leads, so nothing can be made' });
    this.meta.group.ask(this.meta.within(site), { ...ask, member: keeper });
    this.after(site);
  }

  /** What is asked of a topic, filled up; nothing when it can't be read. */
  private wish(site: Site, { op }: Ask): string | undefined {
    const wish = wishIn(op.value);
    if (!wish) return undefined;
    const brokers = this.ofPart(site, this.leads).filter((id) => site.up(id) && this.brokers.known(site, id));
    const replicas = wish.replicas ?? Math.min(3, brokers.length);
    return JSON.stringify({ partitions: op.count ?? 3, replicas, least: wish.least ?? Math.max(1, replicas - 1), brokers });
  }

  private topics(site: Site, ask: Ask, via: string): void {
    const known = this.brokers.known(site, via);
    const rows = Object.entries(known?.topics ?? {}).flatMap(([name, { partitions }]) =>
      partitions.map((one, i): [string, string] => [`${name}/${i}`, `leader ${one.leader ?? 'none'}, caught up ${one.caughtUp.join(', ')}`])
    );
    site.answer(ask.id, {
      outcome: 'acknowledged',
      by: via,
      says: counted(Object.keys(known?.topics ?? {}).length, 'topic'),
      rows,
      count: rows.length
    });
  }

  /** How far groups of readers have read, and how much they have before them. */
  private groups(site: Site, ask: Ask, via: string): void {
    const known = this.brokers.known(site, via);
    const { groups = {}, topics = {} } = known ?? {};
    const rows = Object.entries(groups).flatMap(([group, read]) =>
      Object.entries(read).flatMap(([topic, offsets]) =>
        offsets.map((offset, p): [string, string] => {
          const leader = topics[topic]?.partitions[p]?.leader;
          const behind =
            leader && site.up(leader) ? `${this.brokers.log(site, leader, `${topic}/${p}`).high - (offset ?? 0)} behind` : 'no leader';
          return [`${group} ${topic}/${p}`, `goes on at ${offset ?? 'its first message'}, ${behind}`];
        })
      )
    );
    site.answer(ask.id, { outcome: 'acknowledged', by: via, says: counted(Object.keys(groups).length, 'group'), rows, count: rows.length });
  }

  standing(site: Site, id: string): MemberState {
    const part = site.part(id);
    const within = this.meta.within(site);
    if (part === 'helper') {
      const wanted = site.ids.filter((one) => site.part(one) === this.leads);
      const there = wanted.filter((one) => site.up(one) && this.brokers.known(site, one)).length;
      const ready = site.up(id) && site.mind<BrokerMind>(id)?.met === true;
      return { role: 'helper', ready, says: ready ? '' : `waits for the brokers: ${there} of ${wanted.length} are ready`, position: 0 };
    }
    const keeps = this.meta.keepers(site).includes(id);
    const mine = keeps ? this.meta.group.standing(within, id) : undefined;
    if (part === 'coordinator') {
      const joined = site.up(id) && this.meta.group.belongs(within, id);
      return { ...mine!, role: mine!.role === 'leads' ? 'coordinator, leads' : 'coordinator', ready: joined, says: mine!.says };
    }
    const known = this.brokers.known(site, id);
    if (!site.up(id) || !known)
      return { role: 'broker', ready: false, says: site.up(id) ? mine?.says || 'finds no coordinator' : 'is down', position: 0 };
    const { leads, position, lag } = this.brokers.counted(site, id, this.ofPart(site, this.leads));
    const decides = mine?.role === 'leads' ? ', decides' : '';
    return { role: `leads ${leads}${decides}`, ready: true, says: '', position, lag };
  }
}
