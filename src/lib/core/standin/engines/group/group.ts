import type { Ask, Engine, Op, Site, MemberState } from '../site';
import { Leading } from './leading';
import { lastOf, membersOf, termAt } from './record';
import type { Body, Entry, Record } from './types';

/**
 * A group of members that agree on one log: one leads, entries count once enough members have them, and a member that has too little
 * never leads. Members are added and taken one at a time. Hearing from each other regularly isn't played out: a member knows at once
 * whether messages would come through, and acts after its patience. Source: Ongaro and Ousterhout, "In Search of an Understandable
 * Consensus Algorithm" (2014), and Ongaro's dissertation (2014), chapters 3 and 4.
 */
export class Group<S> extends Leading<S> implements Engine {
  // --- following -------------------------------------------------------------------------------------------------------------------------

  protected appending(site: Site, id: string, from: string, body: Body & { is: 'append' }): void {
    const record = this.record(site, id);
    if (!record) {
      this.post(site, id, from, { is: 'appended', term: body.term, ok: false, match: 0, applied: 0, lost: true });
      return;
    }
    if (body.term < record.term) {
      this.post(site, id, from, { is: 'appended', term: record.term, ok: false, match: 0, applied: record.applied });
      return;
    }
    this.heed(site, id, body.term);
    this.think(site, id, { role: 'follower', leader: from });
    const now = this.record(site, id)!;
    const reply = (more: { ok: boolean; match: number; lost?: boolean }) =>
      this.post(site, id, from, { is: 'appended', term: now.term, applied: this.record(site, id)!.applied, ...more });
    const mine = termAt(now, body.prev.index);
    if (body.prev.index > now.base.index ? mine !== body.prev.term : body.prev.index === now.base.index && mine !== body.prev.term) {
      // What it holds beyond what counts may be wrong; if even that disagrees, it has to take the state whole.
      const lost = body.prev.index <= now.applied;
      reply({ ok: false, match: Math.min(now.applied, body.prev.index - 1), lost });
      return;
    }
    let log = now.log;
    for (const entry of body.entries) {
      const have = termAt({ ...now, log }, entry.index);
      if (entry.index <= now.base.index || have === entry.term) continue;
      if (entry.index <= now.applied) {
        reply({ ok: false, match: 0, lost: true });
        return;
      }
      log = [...log.slice(0, entry.index - now.base.index - 1), entry];
    }
    const match = body.entries.length ? body.entries[body.entries.length - 1]!.index : body.prev.index;
    const was = membersOf(now).includes(id);
    this.keep(site, id, { log });
    const upTo = Math.min(body.commit, match);
    if (upTo > now.applied) this.apply(site, id, upTo);
    if (match >= body.commit && !this.mind(site, id)!.whole) this.think(site, id, { whole: true });
    if (!was && this.belongs(site, id)) site.say(id, 'belongs to the group');
    reply({ ok: true, match });
  }

  protected appended(site: Site, id: string, from: string, { term, ok, match, applied, lost }: Body & { is: 'appended' }): void {
    this.heed(site, id, term);
    const mind = this.mind(site, id)!;
    const record = this.record(site, id)!;
    if (mind.role !== 'leader' || term !== record.term) return;
    const giving = (mind.giving ?? []).filter((one) => one !== from);
    if (!ok) {
      if (mind.giving?.includes(from)) return;
      if (lost) this.give(site, id, from);
      else {
        this.think(site, id, { match: { ...mind.match, [from]: match } });
        this.probe(site, id, from, match);
      }
      return;
    }
    const has = Math.max(match, mind.match?.[from] ?? -1);
    const whole = has >= lastOf(record).index;
    const missed = whole ? (mind.missed ?? []).filter((one) => one !== from) : (mind.missed ?? []);
    this.think(site, id, { match: { ...mind.match, [from]: has }, giving, missed });
    this.advance(site, id);
    if (this.mind(site, id)!.role !== 'leader') return;
    this.catchUp(site, id, from);
    if (whole) this.tell(site, id, from, applied);
    this.reconfigure(site, id);
    this.favour(site, id);
  }

  /** Looks further back for where another log agrees. Until it has answered, nothing is known of it. */
  protected probe(site: Site, id: string, to: string, index: number): void {
    const record = this.record(site, id)!;
    const term = termAt(record, index);
    const { match = {} } = this.mind(site, id)!;
    const { [to]: _, ...rest } = match;
    this.think(site, id, { match: rest });
    if (term === undefined) this.give(site, id, to);
    else this.appendFrom(site, id, to, index);
  }

  protected stateCame(site: Site, id: string, from: string, { term, record }: Body & { is: 'state' }): void {
    const mine = this.record(site, id);
    if (mine && mine.term > term) return;
    const vote = mine?.term === term ? mine.vote : undefined;
    site.keep(id, { ...(record as Record<S>), term, ...(vote === undefined ? {} : { vote }) });
    this.think(site, id, { role: 'follower', leader: from, whole: true });
    site.say(id, `has the state up to position ${record.base.index}`);
    this.post(site, id, from, { is: 'appended', term, ok: true, match: record.base.index, applied: record.base.index });
  }

  // --- whatever arrives --------------------------------------------------------------------------------------------------------------------

  arrived(site: Site, to: string, from: string, raw: unknown): void {
    if (!this.mind(site, to)) return;
    this.taken(site, to, from, raw as Body);
    if (this.moved) this.changed(site);
  }

  protected taken(site: Site, to: string, from: string, body: Body): void {
    switch (body.is) {
      case 'ask-vote':
        return this.askedForVote(site, to, from, body);
      case 'vote':
        return this.voted(site, to, from, body);
      case 'append':
        return this.appending(site, to, from, body);
      case 'appended':
        return this.appended(site, to, from, body);
      case 'state':
        return this.stateCame(site, to, from, body);
      case 'go':
        if (body.term === this.record(site, to)?.term) this.campaign(site, to, true);
        return;
      case 'forward':
        if (this.mind(site, to)!.role === 'leader')
          this.append(site, to, { op: body.op, ...(body.ask === undefined ? {} : { ask: body.ask, taker: from }) });
        return;
      case 'done':
        return this.finish(site, to, body);
      case 'alarm':
        if (this.mind(site, to)!.alarms?.[body.name] === body.nth) this.rang(site, to, body.name);
    }
  }

  protected rang(site: Site, id: string, name: string): void {
    this.calm(site, id, name);
    const mind = this.mind(site, id)!;
    if (name === 'elect') {
      if (mind.role === 'leader' || this.heard(site, id) !== undefined || !this.enough(site, id) || site.leaving(id)) {
        if (mind.role !== 'leader') this.watch(site, id);
        return;
      }
      this.campaign(site, id, false);
    } else if (mind.role !== 'leader') return;
    else if (name === 'missed') {
      const members = this.members(site, id)!;
      const missed = members.filter((one) => !this.contact(site, id, one));
      const fresh = missed.filter((one) => !(mind.missed ?? []).includes(one));
      if (fresh.length) site.say(id, `hasn't heard from ${fresh.join(', ')}`, true);
      this.think(site, id, { missed: [...new Set([...(mind.missed ?? []), ...missed])] });
      if (!this.enough(site, id)) {
        site.say(
          id,
          `reaches ${this.inReach(site, id)} of ${members.length} members, itself included: no majority, it leads no more`,
          true
        );
        this.stepDown(site, id);
      } else {
        this.advance(site, id);
      }
    } else if (name === 'handover' && this.favoured(site, id)) this.handOver(site, id);
  }

  // --- clients -----------------------------------------------------------------------------------------------------------------------------

  /** The member that leads and is reached, for whoever asks without naming one. */
  leader(site: Site): string | undefined {
    return site.ids.find((one) => site.up(one) && this.mind(site, one)?.role === 'leader' && this.enough(site, one));
  }

  /** Takes a write: at the leader at once, elsewhere where any member takes them. */
  write(site: Site, ask: Ask, id: string): void {
    const mind = this.mind(site, id);
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', by: id, says });
    if (!mind || !this.belongs(site, id)) return refuse('it has not joined yet');
    if (mind.role === 'leader') {
      // A leader that knows of no majority refuses; one that only lost it just now takes the write, which then never counts.
      if (!this.enough(site, id) && mind.missed?.length)
        return refuse(`it reaches ${this.inReach(site, id)} of ${this.members(site, id)!.length} members: no majority`);
      return this.append(site, id, { op: ask.op, ask: ask.id });
    }
    const leader = this.heard(site, id);
    if (leader === undefined)
      return refuse(
        this.enough(site, id)
          ? 'nobody leads yet'
          : `it reaches ${this.inReach(site, id)} of ${this.members(site, id)!.length} members, itself included: no majority`
      );
    if (!this.rules.anyTakes) return refuse(`it is a ${this.rules.words.follower}; ${leader} takes writes`);
    this.post(site, id, leader, { is: 'forward', ask: ask.id, op: ask.op });
  }

  /** What a leader decides by itself, without a client. */
  propose(site: Site, id: string, op: Op): void {
    const record = this.record(site, id);
    if (!record || this.mind(site, id)?.role !== 'leader') return;
    const underWay = ({ index, op: other }: Entry) =>
      index > record.applied && other?.do === op.do && other.place === op.place && other.key === op.key;
    if (record.log.some(underWay)) return;
    this.append(site, id, { op });
    if (this.moved) this.changed(site);
  }

  ask(site: Site, ask: Ask): void {
    const id = ask.member ?? this.leader(site) ?? site.ids.find((one) => site.up(one));
    if (id === undefined || !site.up(id)) return site.answer(ask.id, { outcome: 'refused', says: `${id ?? 'nobody'} doesn't answer` });
    this.write(site, ask, id);
    if (this.moved) this.changed(site);
  }

  standing(site: Site, id: string): MemberState {
    const record = this.record(site, id);
    const mind = this.mind(site, id);
    const position = record ? record.applied : 0;
    if (!mind) return { role: '', ready: false, says: 'is down', position };
    const { words } = this.rules;
    const term = record?.term;
    const more = { position, ...(term === undefined ? {} : { term }) };
    if (!record || !this.belongs(site, id)) {
      const leader = this.heard(site, id);
      const giving = leader !== undefined && this.mind(site, leader)?.giving?.includes(id);
      return {
        role: 'joining',
        ready: false,
        says: giving ? `takes state from ${leader}` : leader ? `joins ${leader}` : 'finds nobody to join',
        ...more
      };
    }
    const leader = mind.role === 'leader' ? id : this.heard(site, id);
    if (leader === undefined || !this.enough(site, id)) {
      const n = membersOf(record).length;
      const says = this.enough(site, id) ? 'nobody leads yet' : `no majority: reaches ${this.inReach(site, id)} of ${n}, itself included`;
      return { role: words.alone, ready: false, says, ...more };
    }
    const ahead = lastOf(this.record(site, leader)!).index;
    return {
      role: leader === id ? words.leader : words.follower,
      ready: true,
      says: '',
      lag: Math.max(0, ahead - (leader === id ? ahead : position)),
      leader,
      ...more
    };
  }
}
