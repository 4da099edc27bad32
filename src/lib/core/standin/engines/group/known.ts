import { drawInt } from '../../../shared';
import type { Site } from '../site';
import { membersOf, termAt, trimmed } from './record';
import type { Body, Mind, Record, Rules } from './types';

const wireMs: readonly [number, number] = [1, 4];

/** What a group's members know and keep, and how they reach each other. */
export abstract class Known<S> {
  /** Somebody leads no more, or from now on: whoever waits for that has to look again before this call ends. */
  protected moved = false;

  constructor(protected readonly rules: Rules<S>) {}

  // --- what is known -------------------------------------------------------------------------------------------------------------------

  record(site: Site, id: string): Record<S> | undefined {
    return site.disk<Record<S>>(id);
  }
  mind(site: Site, id: string): Mind | undefined {
    return site.mind<Mind>(id);
  }

  protected think(site: Site, id: string, change: Partial<Mind>): Mind {
    const next = { ...(this.mind(site, id) ?? { role: 'joining' }), ...change } as Mind;
    site.think(id, next);
    return next;
  }

  protected keep(site: Site, id: string, change: Partial<Record<S>>): Record<S> {
    const next = trimmed({ ...this.record(site, id)!, ...change });
    site.keep(id, next);
    return next;
  }

  protected contact(site: Site, a: string, b: string): boolean {
    return site.up(a) && site.up(b) && site.reach(a, b);
  }

  /** The leader that a member hears from, if it hears from one. */
  heard(site: Site, id: string): string | undefined {
    const term = this.record(site, id)?.term ?? 0;
    const leads = (one: string) =>
      this.mind(site, one)?.role === 'leader' && this.contact(site, id, one) && (this.record(site, one)?.term ?? 0) >= term;
    for (const one of site.ids) if (leads(one)) return one;
    for (const one of site.running) if (leads(one)) return one;
    for (const one of this.members(site, id) ?? []) if (leads(one)) return one;
    return undefined;
  }

  members(site: Site, id: string): readonly string[] | undefined {
    const record = this.record(site, id);
    return record && membersOf(record);
  }

  /** Whether a member belongs to the group, as far as its own log says. */
  belongs(site: Site, id: string): boolean {
    return this.members(site, id)?.includes(id) ?? false;
  }

  /** A member that its own log takes out still stands while that doesn't count. Source: Ongaro's dissertation, section 4.2.2. */
  protected stands(site: Site, id: string): boolean {
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

  protected inReach(site: Site, id: string): number {
    return (this.members(site, id) ?? []).filter((one) => this.contact(site, id, one)).length;
  }

  enough(site: Site, id: string): boolean {
    return this.inReach(site, id) >= this.rules.electors(this.members(site, id)?.length ?? 1);
  }

  // --- alarms --------------------------------------------------------------------------------------------------------------------------

  protected alarm(site: Site, id: string, name: string, afterMs: number): void {
    const mind = this.mind(site, id)!;
    if (mind.alarms?.[name] !== undefined) return;
    const set = (mind.alarmsSet ?? 0) + 1;
    const nth = site.nowMs * 1_000 + set;
    this.think(site, id, { alarms: { ...mind.alarms, [name]: nth }, alarmsSet: set });
    site.post(id, id, { is: 'alarm', name, nth } satisfies Body, afterMs);
  }

  protected calm(site: Site, id: string, name: string): void {
    const alarms = this.mind(site, id)?.alarms;
    if (alarms?.[name] === undefined) return;
    const { [name]: _, ...rest } = alarms;
    this.think(site, id, { alarms: rest });
  }

  /** One pair of members keeps its latency, so that what is sent first arrives first. */
  protected post(site: Site, from: string, to: string, body: Body): void {
    site.post(from, to, body, drawInt(site.seed, `wire|${from}|${to}`, ...wireMs));
  }
}
