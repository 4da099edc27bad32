import { drawInt } from '../../../shared';
import type { Site } from '../site';
import { Electing } from './electing';
import { entryAt, lastOf, membersOf, termAt } from './record';
import type { Body, Entry, Record } from './types';

/** A leader that stays less favoured than a member that has everything hands over after so long. */
const handoverMs = 10_000;

/** What a leader does: sends entries on, counts who has them, answers, and takes members in and out. */
export abstract class Leading<S> extends Electing<S> {
  // --- leading ---------------------------------------------------------------------------------------------------------------------------

  protected others(site: Site, id: string): string[] {
    const found: string[] = [];
    for (const one of membersOf(this.record(site, id)!)) if (one !== id && !found.includes(one)) found.push(one);
    for (const one of site.ids) if (one !== id && !site.leaving(one) && !found.includes(one)) found.push(one);
    return found;
  }

  protected lead(site: Site, id: string): void {
    const members = this.members(site, id)!;
    const others = this.others(site, id);
    const gone = others.filter((one) => !this.contact(site, id, one));
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
    for (const one of others) if (!gone.includes(one)) this.catchUp(site, id, one);
    if (site.leaving(id) && !this.rules.leavesOnStop) this.handOver(site, id);
    this.favour(site, id);
    this.reconfigure(site, id);
  }

  /** Sends another member what it lacks, if it lacks something. */
  protected catchUp(site: Site, id: string, to: string): void {
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
  protected appendFrom(site: Site, id: string, to: string, index: number): void {
    const record = this.record(site, id)!;
    const prev = { index, term: termAt(record, index)! };
    const entries = record.log.slice(index - record.base.index);
    const commit = record.applied;
    this.think(site, id, { sent: { ...this.mind(site, id)!.sent, [to]: { index: lastOf(record).index, commit } } });
    this.post(site, id, to, { is: 'append', term: record.term, prev, entries, commit });
  }

  protected give(site: Site, id: string, to: string): void {
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
  protected append(site: Site, id: string, what: Pick<Entry, 'op' | 'members' | 'ask' | 'taker'>): void {
    const record = this.record(site, id)!;
    const entry: Entry = { index: lastOf(record).index + 1, term: record.term, ...what, ...(what.op ? { atMs: site.nowMs } : {}) };
    this.keep(site, id, { log: [...record.log, entry] });
    for (const one of this.others(site, id)) if (this.contact(site, id, one)) this.catchUp(site, id, one);
    this.advance(site, id);
  }

  /** Whatever enough members have counts from here on. */
  protected advance(site: Site, id: string): void {
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
        // Whoever leaves lets somebody lead at once, so that nobody has to miss it first. Source: Ongaro's dissertation, 3.10 and 4.2.2.
        this.handOver(site, id);
        if (this.mind(site, id)!.role === 'leader') this.stepDown(site, id);
      } else this.reconfigure(site, id);
      return;
    }
  }

  /** Takes entries into the state, up to one; a leader answers whoever asked for them. */
  protected apply(site: Site, id: string, upTo: number): void {
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
          : { is: 'done', ask: entry.ask, outcome: 'acknowledged', says: `committed at position ${index}`, version: index };
      if (entry.taker === undefined || entry.taker === id) this.finish(site, id, done);
      else this.post(site, id, entry.taker, done);
    }
    this.keep(site, id, record);
  }

  protected finish(site: Site, id: string, { ask, outcome, says, version }: Body & { is: 'done' }): void {
    site.answer(ask, { outcome, by: id, says, ...(version === undefined ? {} : { version }) });
  }

  /** One member more or less, if one is due and no other change is under way. */
  protected reconfigure(site: Site, id: string): void {
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
  protected handOver(site: Site, id: string): void {
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
  protected favoured(site: Site, id: string): boolean {
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

  protected favour(site: Site, id: string): void {
    if (this.mind(site, id)!.role !== 'leader') return;
    if (this.favoured(site, id)) this.alarm(site, id, 'handover', handoverMs);
    else this.calm(site, id, 'handover');
  }

  /** Tells a member that has everything how much of it counts, if it doesn't know. */
  protected tell(site: Site, id: string, to: string, applied: number): void {
    const record = this.record(site, id)!;
    const sent = this.mind(site, id)!.sent?.[to];
    if (applied < record.applied && (sent?.commit ?? -1) < record.applied) this.appendFrom(site, id, to, lastOf(record).index);
  }
}
