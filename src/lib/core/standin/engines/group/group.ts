import { drawInt } from '../../../shared';
import type { Ask, Engine, Op, Site, Standing } from '../site';
import { asFar, entryAt, lastOf, membersOf, termAt, trimmed } from './record';
import type { Body, Entry, Mind, Record, Rules } from './types';

const wireMs: readonly [number, number] = [1, 4];
/** A leader that stays less favoured than a member that has everything hands over after so long. */
const handoverMs = 10_000;

/**
 * A group of members that agree on one log: one leads, entries count once enough members have them, and a member that has too little
 * never leads. Members are added and taken one at a time. Hearing from each other regularly isn't played out: a member knows at once
 * whether messages would come through, and acts after its patience. Source: Ongaro and Ousterhout, "In Search of an Understandable
 * Consensus Algorithm" (2014), and Ongaro's dissertation (2014), chapters 3 and 4.
 */
export class Group<S> implements Engine {
  /** Somebody leads no more, or from now on: whoever waits for that has to look again before this call ends. */
  private moved = false;

  constructor(private readonly rules: Rules<S>) {}

  // --- what is known -------------------------------------------------------------------------------------------------------------------

  record = (site: Site, id: string): Record<S> | undefined => site.disk<Record<S>>(id);
  mind = (site: Site, id: string): Mind | undefined => site.mind<Mind>(id);

  private think(site: Site, id: string, change: Partial<Mind>): Mind {
    const next = { ...(this.mind(site, id) ?? { role: 'joining' }), ...change } as Mind;
    site.think(id, next);
    return next;
  }

  private keep(site: Site, id: string, change: Partial<Record<S>>): Record<S> {
    const next = trimmed({ ...this.record(site, id)!, ...change });
    site.keep(id, next);
    return next;
  }

  private contact = (site: Site, a: string, b: string): boolean => site.up(a) && site.up(b) && site.reach(a, b);

  /** The leader that a member hears from, if it hears from one. */
  heard(site: Site, id: string): string | undefined {
    const term = this.record(site, id)?.term ?? 0;
    const known = [...new Set([...site.ids, ...site.running, ...(this.members(site, id) ?? [])])];
    return known.find(
      (one) => this.contact(site, id, one) && this.mind(site, one)?.role === 'leader' && (this.record(site, one)?.term ?? 0) >= term
    );
  }

  members(site: Site, id: string): readonly string[] | undefined {
    const record = this.record(site, id);
    return record && membersOf(record);
  }

  /** Whether a member belongs to the group, as far as its own log says. */
  belongs = (site: Site, id: string): boolean => this.members(site, id)?.includes(id) ?? false;

  /** A member that its own log takes out still stands while that doesn't count. Source: Ongaro's dissertation, section 4.2.2. */
  private stands(site: Site, id: string): boolean {
    const record = this.record(site, id);
    if (!record) return false;
    const counting = { ...record, log: record.log.slice(0, record.applied - record.base.index) };
    return membersOf(record).includes(id) || membersOf(counting).includes(id);
  }

  /** Whether a leader surely is the newest: so many members answer that one of them would know of a newer term, and its own term counts. */
  surelyLeads(site: Site, id: string): boolean {
    const record = this.record(site, id);
    if (!record || this.mind(site, id)?.role !== 'leader' || termAt(record, record.applied) !== record.term) return false;
    const reached = membersOf(record).filter((one) => this.contact(site, id, one));
    return (
      reached.length >= this.rules.electors(membersOf(record).length) &&
      reached.every((one) => (this.record(site, one)?.term ?? 0) <= record.term)
    );
  }

  private inReach(site: Site, id: string): number {
    return (this.members(site, id) ?? []).filter((one) => this.contact(site, id, one)).length;
  }

  enough(site: Site, id: string): boolean {
    return this.inReach(site, id) >= this.rules.electors(this.members(site, id)?.length ?? 1);
  }

  // --- alarms --------------------------------------------------------------------------------------------------------------------------

  private alarm(site: Site, id: string, name: string, afterMs: number): void {
    const mind = this.mind(site, id)!;
    if (mind.alarms?.[name] !== undefined) return;
    const set = (mind.alarmsSet ?? 0) + 1;
    const nth = site.nowMs * 1_000 + set;
    this.think(site, id, { alarms: { ...mind.alarms, [name]: nth }, alarmsSet: set });
    site.post(id, id, { is: 'alarm', name, nth } satisfies Body, afterMs);
  }

  private calm(site: Site, id: string, name: string): void {
    const alarms = this.mind(site, id)?.alarms;
    if (alarms?.[name] === undefined) return;
    const { [name]: _, ...rest } = alarms;
    this.think(site, id, { alarms: rest });
  }

  /** One pair of members keeps its latency, so that what is sent first arrives first. */
  private post(site: Site, from: string, to: string, body: Body): void {
    site.post(from, to, body, drawInt(site.seed, `wire|${from}|${to}`, ...wireMs));
  }

  // --- members come and go ---------------------------------------------------------------------------------------------------------------

  changed(site: Site): void {
    do {
      this.moved = false;
      this.lookRound(site);
    } while (this.moved);
  }

  private lookRound(site: Site): void {
    const known = new Set([...site.ids, ...site.running]);
    for (const id of [...known]) for (const one of this.members(site, id) ?? []) known.add(one);
    for (const id of known) {
      if (!site.up(id)) continue;
      if (!this.mind(site, id)) this.wake(site, id);
    }
    for (const id of known) {
      if (!site.up(id)) continue;
      if (this.mind(site, id)!.role === 'leader') this.lead(site, id);
      else this.watch(site, id);
    }
  }

  adopt(site: Site): void {
    const running = site.ids.filter((id) => site.up(id));
    const [first] = running;
    if (first === undefined || running.some((id) => this.mind(site, id))) return;
    const state = this.rules.found(first);
    const record: Record<S> = { term: 1, vote: first, base: { index: 1, term: 1, members: running }, log: [], applied: 1, state };
    for (const id of running) {
      if (!this.record(site, id)) site.keep(id, record);
      this.think(site, id, { role: id === first ? 'leader' : 'follower', leader: first });
    }
    const match = Object.fromEntries(running.filter((id) => id !== first).map((id) => [id, 1]));
    this.think(site, first, { match, giving: [], missed: [] });
  }

  private wake(site: Site, id: string): void {
    const record = this.record(site, id);
    if (record) {
      this.think(site, id, { role: 'follower' });
      site.say(id, `reads its store: position ${lastOf(record).index}, members ${membersOf(record).join(', ')}`);
      return;
    }
    if (id !== site.ids[0] || site.ids.some((one) => this.record(site, one))) {
      this.think(site, id, { role: 'joining' });
      site.say(id, 'finds its store empty and looks for the others');
      return;
    }
    const state = this.rules.found(id);
    site.keep(id, { term: 1, vote: id, base: { index: 0, term: 0, members: [id] }, log: [], applied: 0, state } satisfies Record<S>);
    site.say(id, 'finds no store anywhere and founds one');
    this.think(site, id, { role: 'candidate', votes: [id] });
    this.win(site, id);
  }

  /** A member that doesn't lead: waits for whoever does, or stands for it. */
  private watch(site: Site, id: string): void {
    const leader = this.heard(site, id);
    if (leader !== undefined) {
      this.calm(site, id, 'elect');
      if (this.mind(site, id)!.leader !== leader) this.think(site, id, { leader });
      return;
    }
    if (!this.stands(site, id) || site.leaving(id) || this.rules.priority?.(id) === 0) return;
    if (!this.enough(site, id)) {
      this.calm(site, id, 'elect');
      return;
    }
    const [least, most] = this.rules.patienceMs;
    this.alarm(site, id, 'elect', drawInt(site.seed, `patience|${id}|${site.nowMs}`, least, most));
  }

  // --- who leads -------------------------------------------------------------------------------------------------------------------------

  private campaign(site: Site, id: string, told: boolean): void {
    const record = this.record(site, id);
    if (!record || !this.stands(site, id)) return;
    const { term } = this.keep(site, id, { term: record.term + 1, vote: id });
    this.think(site, id, { role: 'candidate', votes: [id], leader: undefined });
    site.say(id, `stands for the lead, term ${term}`);
    if (this.won(site, id)) {
      this.win(site, id);
      return;
    }
    for (const one of membersOf(record)) if (one !== id) this.post(site, id, one, { is: 'ask-vote', term, last: lastOf(record), told });
    const [least, most] = this.rules.patienceMs;
    this.calm(site, id, 'elect');
    this.alarm(site, id, 'elect', drawInt(site.seed, `again|${id}|${site.nowMs}`, least, most));
  }

  private won(site: Site, id: string): boolean {
    const members = this.members(site, id)!;
    const votes = (this.mind(site, id)!.votes ?? []).filter((one) => members.includes(one));
    return votes.length >= this.rules.electors(members.length);
  }

  private win(site: Site, id: string): void {
    const record = this.record(site, id)!;
    this.calm(site, id, 'elect');
    this.think(site, id, { role: 'leader', leader: id, match: {}, sent: {}, giving: [], missed: [] });
    site.say(id, `leads from here on, term ${record.term}`);
    this.append(site, id, {});
    this.moved = true;
  }

  /** Takes in a newer term, if it is one. */
  private heed(site: Site, id: string, term: number): void {
    const record = this.record(site, id);
    if (!record || term <= record.term) return;
    const { vote: _, ...rest } = record;
    site.keep(id, { ...rest, term });
    if (this.mind(site, id)!.role === 'leader') site.say(id, `hears of term ${term} and leads no more`);
    this.stepDown(site, id);
  }

  private stepDown(site: Site, id: string): void {
    this.moved = true;
    this.think(site, id, { role: 'follower', leader: undefined, votes: [], match: {}, sent: {}, giving: [], missed: [] });
    this.calm(site, id, 'missed');
    this.calm(site, id, 'handover');
  }

  private askedForVote(site: Site, id: string, from: string, body: Body & { is: 'ask-vote' }): void {
    // A member that hears a leader doesn't help to unseat it. Source: Ongaro's dissertation, section 4.2.3.
    if (!body.told && this.heard(site, id) !== undefined && this.heard(site, id) !== from) return;
    this.heed(site, id, body.term);
    const record = this.record(site, id);
    if (!record) return;
    const free = record.vote === undefined || record.vote === from;
    const granted = body.term === record.term && free && asFar(body.last, lastOf(record)) && this.mind(site, id)!.role !== 'leader';
    if (granted) this.keep(site, id, { vote: from });
    this.post(site, id, from, { is: 'vote', term: record.term, granted });
  }

  private voted(site: Site, id: string, from: string, { term, granted }: Body & { is: 'vote' }): void {
    this.heed(site, id, term);
    const mind = this.mind(site, id)!;
    if (mind.role !== 'candidate' || !granted || term !== this.record(site, id)?.term) return;
    this.think(site, id, { votes: [...new Set([...(mind.votes ?? []), from])] });
    if (this.won(site, id)) this.win(site, id);
  }

  // --- leading ---------------------------------------------------------------------------------------------------------------------------

  private others = (site: Site, id: string): string[] =>
    [...new Set([...membersOf(this.record(site, id)!), ...site.ids.filter((one) => !site.leaving(one))])].filter((one) => one !== id);

  private lead(site: Site, id: string): void {
    const members = this.members(site, id)!;
    const gone = this.others(site, id).filter((one) => !this.contact(site, id, one));
    const { match = {}, sent = {}, giving = [], missed = [] } = this.mind(site, id)!;
    if (gone.some((one) => match[one] !== undefined || sent[one] !== undefined || giving.includes(one)))
      this.think(site, id, {
        match: Object.fromEntries(Object.entries(match).filter(([one]) => !gone.includes(one))),
        sent: Object.fromEntries(Object.entries(sent).filter(([one]) => !gone.includes(one))),
        giving: giving.filter((one) => !gone.includes(one))
      });
    const unmissed = gone.filter((one) => members.includes(one) && !missed.includes(one));
    if (unmissed.length || !this.enough(site, id)) {
      const [least, most] = this.rules.patienceMs;
      this.alarm(site, id, 'missed', drawInt(site.seed, `missed|${id}|${site.nowMs}`, least, most));
    } else this.calm(site, id, 'missed');
    for (const one of this.others(site, id)) if (!gone.includes(one)) this.catchUp(site, id, one);
    if (site.leaving(id) && !this.rules.leavesOnStop) this.handOver(site, id);
    this.favour(site, id);
    this.reconfigure(site, id);
  }

  /** Sends another member what it lacks, if it lacks something. */
  private catchUp(site: Site, id: string, to: string): void {
    const { match = {}, giving = [] } = this.mind(site, id)!;
    const record = this.record(site, id)!;
    const last = lastOf(record);
    const has = match[to];
    if (giving.includes(to) || (has !== undefined && has >= last.index)) return;
    if (has !== undefined && termAt(record, has) === undefined) {
      this.give(site, id, to);
      return;
    }
    const sent = this.mind(site, id)!.sent?.[to];
    if (sent && (has === undefined || sent.index >= last.index)) return;
    this.appendFrom(site, id, to, Math.max(has ?? last.index, sent?.index ?? 0));
  }

  /** Sends the entries after one, with what counts by now. */
  private appendFrom(site: Site, id: string, to: string, index: number): void {
    const record = this.record(site, id)!;
    const prev = { index, term: termAt(record, index)! };
    const entries = record.log.slice(index - record.base.index);
    const commit = record.applied;
    this.think(site, id, { sent: { ...this.mind(site, id)!.sent, [to]: { index: lastOf(record).index, commit } } });
    this.post(site, id, to, { is: 'append', term: record.term, prev, entries, commit });
  }

  private give(site: Site, id: string, to: string): void {
    const record = this.record(site, id)!;
    const mind = this.mind(site, id)!;
    this.think(site, id, { giving: [...(mind.giving ?? []), to] });
    site.say(id, `hands its whole state to ${to}`);
    if (site.up(to)) site.say(to, `takes the whole state from ${id}`);
    const point = { index: record.applied, term: termAt(record, record.applied)! };
    const upTo = record.log.slice(0, record.applied - record.base.index);
    const { vote: _, ...rest } = record;
    const given: Record<S> = { ...rest, base: { ...point, members: membersOf({ ...record, log: upTo }) }, log: [] };
    site.post(id, to, { is: 'state', term: record.term, record: given } satisfies Body, this.rules.givingMs(site, record.state, to));
  }

  /** Adds an entry to the leader's own log and sends it on. */
  private append(site: Site, id: string, what: Pick<Entry, 'op' | 'members' | 'ask' | 'taker'>): void {
    const record = this.record(site, id)!;
    const entry: Entry = { index: lastOf(record).index + 1, term: record.term, ...what };
    this.keep(site, id, { log: [...record.log, entry] });
    for (const one of this.others(site, id)) if (this.contact(site, id, one)) this.catchUp(site, id, one);
    this.advance(site, id);
  }

  /** Whatever enough members have counts from here on. */
  private advance(site: Site, id: string): void {
    const record = this.record(site, id)!;
    const mind = this.mind(site, id)!;
    if (mind.role !== 'leader') return;
    const { match = {}, missed = [] } = mind;
    const members = membersOf(record);
    const present = members.filter((one) => !missed.includes(one));
    for (let index = lastOf(record).index; index > record.applied && termAt(record, index) === record.term; index -= 1) {
      const have = members.filter((one) => (one === id ? true : (match[one] ?? -1) >= index));
      const changes = record.log.some((one) => one.members && one.index > record.applied && one.index <= index);
      if (!this.rules.counts(members, have, present) || (changes && have.length <= members.length / 2)) continue;
      this.apply(site, id, index);
      const after = this.record(site, id)!;
      const last = lastOf(after).index;
      for (const one of this.others(site, id))
        if (this.contact(site, id, one) && (match[one] ?? -1) >= last) this.tell(site, id, one, record.applied);
      if (!membersOf(after).includes(id)) {
        site.say(id, 'has left the group');
        this.stepDown(site, id);
      } else this.reconfigure(site, id);
      return;
    }
  }

  /** Takes entries into the state, up to one; a leader answers whoever asked for them. */
  private apply(site: Site, id: string, upTo: number): void {
    const leads = this.mind(site, id)?.role === 'leader';
    let record = this.record(site, id)!;
    for (let index = record.applied + 1; index <= upTo; index += 1) {
      const entry = entryAt(record, index)!;
      const result = entry.op ? this.rules.apply(record.state, entry.op, entry) : { state: record.state };
      record = { ...record, applied: index, ...('state' in result ? { state: result.state } : {}) };
      if (!leads || entry.ask === undefined) continue;
      const done: Body & { is: 'done' } =
        'refused' in result
          ? { is: 'done', ask: entry.ask, outcome: 'refused', says: result.refused }
          : { is: 'done', ask: entry.ask, outcome: 'acknowledged', says: `counts at position ${index}`, version: index };
      if (entry.taker === undefined || entry.taker === id) this.finish(site, id, done);
      else this.post(site, id, entry.taker, done);
    }
    this.keep(site, id, record);
  }

  private finish(site: Site, id: string, { ask, outcome, says, version }: Body & { is: 'done' }): void {
    site.answer(ask, { outcome, by: id, says, ...(version === undefined ? {} : { version }) });
  }

  /** One member more or less, if one is due and no other change is under way. */
  private reconfigure(site: Site, id: string): void {
    const record = this.record(site, id)!;
    const { role, match = {} } = this.mind(site, id)!;
    if (role !== 'leader' || termAt(record, record.applied) !== record.term) return;
    if (record.log.some((one) => one.members && one.index > record.applied)) return;
    const members = membersOf(record);
    const leaves = (one: string) => !site.ids.includes(one) || (this.rules.leavesOnStop && site.leaving(one));
    // The leader itself goes last.
    const going = members.filter(leaves).sort((a, b) => Number(a === id) - Number(b === id))[0];
    if (going !== undefined && members.length > 1) {
      site.say(id, `${going} leaves the group`);
      this.append(site, id, { members: members.filter((one) => one !== going) });
      return;
    }
    const last = lastOf(record).index;
    const coming = site.ids.find(
      (one) => !members.includes(one) && !site.leaving(one) && this.contact(site, id, one) && (match[one] ?? -1) >= last
    );
    if (coming === undefined) return;
    site.say(id, `${coming} joins the group`);
    this.append(site, id, { members: [...members, coming] });
  }

  /** A leader that is told to stop lets somebody lead who has everything. */
  private handOver(site: Site, id: string): void {
    const record = this.record(site, id)!;
    const last = lastOf(record).index;
    const { match = {} } = this.mind(site, id)!;
    const heir = membersOf(record)
      .filter((one) => one !== id && (match[one] ?? -1) >= last && this.contact(site, id, one) && !site.leaving(one))
      .sort((a, b) => (this.rules.priority?.(b) ?? 0) - (this.rules.priority?.(a) ?? 0))[0];
    if (heir === undefined) return;
    site.say(id, `hands the lead to ${heir}`);
    this.stepDown(site, id);
    this.post(site, id, heir, { is: 'go', term: record.term });
  }

  /** Whether a member with a higher priority could lead. */
  private favoured(site: Site, id: string): boolean {
    const { priority } = this.rules;
    const { match = {} } = this.mind(site, id)!;
    const record = this.record(site, id)!;
    return (
      priority !== undefined &&
      membersOf(record).some(
        (one) => priority(one) > priority(id) && this.contact(site, id, one) && (match[one] ?? -1) >= lastOf(record).index
      )
    );
  }

  private favour(site: Site, id: string): void {
    if (this.mind(site, id)!.role !== 'leader') return;
    if (this.favoured(site, id)) this.alarm(site, id, 'handover', handoverMs);
    else this.calm(site, id, 'handover');
  }

  // --- following -------------------------------------------------------------------------------------------------------------------------

  private appending(site: Site, id: string, from: string, body: Body & { is: 'append' }): void {
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
    if (!was && this.belongs(site, id)) site.say(id, 'belongs to the group');
    reply({ ok: true, match });
  }

  private appended(site: Site, id: string, from: string, { term, ok, match, applied, lost }: Body & { is: 'appended' }): void {
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

  /** Tells a member that has everything how much of it counts, if it doesn't know. */
  private tell(site: Site, id: string, to: string, applied: number): void {
    const record = this.record(site, id)!;
    const sent = this.mind(site, id)!.sent?.[to];
    if (applied < record.applied && (sent?.commit ?? -1) < record.applied) this.appendFrom(site, id, to, lastOf(record).index);
  }

  /** Looks further back for where another log agrees. Until it has answered, nothing is known of it. */
  private probe(site: Site, id: string, to: string, index: number): void {
    const record = this.record(site, id)!;
    const term = termAt(record, index);
    const { match = {} } = this.mind(site, id)!;
    const { [to]: _, ...rest } = match;
    this.think(site, id, { match: rest });
    if (term === undefined) this.give(site, id, to);
    else this.appendFrom(site, id, to, index);
  }

  private stateCame(site: Site, id: string, from: string, { term, record }: Body & { is: 'state' }): void {
    const mine = this.record(site, id);
    if (mine && mine.term > term) return;
    const vote = mine?.term === term ? mine.vote : undefined;
    site.keep(id, { ...(record as Record<S>), term, ...(vote === undefined ? {} : { vote }) });
    this.think(site, id, { role: 'follower', leader: from });
    site.say(id, `has the state up to position ${record.base.index}`);
    this.post(site, id, from, { is: 'appended', term, ok: true, match: record.base.index, applied: record.base.index });
  }

  // --- whatever arrives --------------------------------------------------------------------------------------------------------------------

  arrived(site: Site, to: string, from: string, raw: unknown): void {
    if (!this.mind(site, to)) return;
    this.taken(site, to, from, raw as Body);
    if (this.moved) this.changed(site);
  }

  private taken(site: Site, to: string, from: string, body: Body): void {
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

  private rang(site: Site, id: string, name: string): void {
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

  standing(site: Site, id: string): Standing {
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
