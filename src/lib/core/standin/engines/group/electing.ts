import { drawInt } from '../../../shared';
import type { Site } from '../site';
import { Known } from './known';
import { asFar, lastOf, membersOf } from './record';
import type { Body, Entry, Record } from './types';

/** Who founds a group, who belongs to it, and who leads it. */
export abstract class Electing<S> extends Known<S> {
  /** Adds an entry to the leader's own log and sends it on. */
  protected abstract append(site: Site, id: string, what: Pick<Entry, 'op' | 'members' | 'ask' | 'taker'>): void;
  /** What a leader does when members came or went. */
  protected abstract lead(site: Site, id: string): void;

  // --- members come and go ---------------------------------------------------------------------------------------------------------------

  changed(site: Site): void {
    do {
      this.moved = false;
      this.lookRound(site);
    } while (this.moved);
  }

  protected lookRound(site: Site): void {
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
      // They agree: nobody lacks what another has.
      this.think(site, id, { role: id === first ? 'leader' : 'follower', leader: first, whole: true });
    }
    const match = Object.fromEntries(running.filter((id) => id !== first).map((id) => [id, 1]));
    this.think(site, first, { match, giving: [], missed: [] });
  }

  protected wake(site: Site, id: string): void {
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
  protected watch(site: Site, id: string): void {
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

  protected campaign(site: Site, id: string, told: boolean): void {
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

  protected won(site: Site, id: string): boolean {
    const members = this.members(site, id)!;
    const votes = (this.mind(site, id)!.votes ?? []).filter((one) => members.includes(one));
    return votes.length >= this.rules.electors(members.length);
  }

  protected win(site: Site, id: string): void {
    const record = this.record(site, id)!;
    this.calm(site, id, 'elect');
    this.think(site, id, { role: 'leader', leader: id, match: {}, sent: {}, giving: [], missed: [] });
    site.say(id, `leads from here on, term ${record.term}`);
    this.append(site, id, {});
    this.moved = true;
  }

  /** Takes in a newer term, if it is one. */
  protected heed(site: Site, id: string, term: number): void {
    const record = this.record(site, id);
    if (!record || term <= record.term) return;
    const { vote: _, ...rest } = record;
    site.keep(id, { ...rest, term });
    if (this.mind(site, id)!.role === 'leader') site.say(id, `hears of term ${term} and leads no more`);
    this.stepDown(site, id);
  }

  protected stepDown(site: Site, id: string): void {
    this.moved = true;
    this.think(site, id, { role: 'follower', leader: undefined, votes: [], match: {}, sent: {}, giving: [], missed: [] });
    this.calm(site, id, 'missed');
    this.calm(site, id, 'handover');
  }

  protected askedForVote(site: Site, id: string, from: string, body: Body & { is: 'ask-vote' }): void {
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

  protected voted(site: Site, id: string, from: string, { term, granted }: Body & { is: 'vote' }): void {
    this.heed(site, id, term);
    const mind = this.mind(site, id)!;
    if (mind.role !== 'candidate' || !granted || term !== this.record(site, id)?.term) return;
    this.think(site, id, { votes: [...new Set([...(mind.votes ?? []), from])] });
    if (this.won(site, id)) this.win(site, id);
  }
}
