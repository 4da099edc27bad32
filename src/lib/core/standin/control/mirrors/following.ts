import { refOf, type Mirror } from '../../../model';
import { namedIn } from '../../engines/copies';
import type { Op } from '../../engines/site';
import { linkDelayMs, linkTo } from '../../provider/links';
import { asked, dropAsks, type Asked } from '../backup/asking';
import type { Broken } from '../backup/facts';
import { carriedPerSecond } from '../backup/pace';
import type { ClusterAccess } from '../loop';
import { forgetMirror, mirrorFault, mirrorKey, promotedFrom } from './facts';

/** How a mirror stands. */
export type Status = NonNullable<Mirror['status']>;
type Unshared = NonNullable<Status['unshared']>;

/** So many of what the other one never got are listed; made up. */
const mostListed = 50;

/** What has come and is to be taken in, from one call to the next. */
export interface Carried {
  readonly op: Op;
  /** What is sent instead where it was sent before, and nobody answered. */
  readonly again?: Op;
  /** Names the ask, so that what is sent twice is taken once. */
  readonly step: string;
  readonly bytes: number;
  readonly dueMs: number;
  /** All that was written over there by then is in it (virtual ms). */
  readonly momentMs: number;
  /** What the status says once it is taken in. */
  readonly then: Partial<Status>;
  /** SHA-256 of what the other one held then, where it tells. */
  readonly checksum?: string | undefined;
  readonly sent?: boolean;
  /** It is in: so it was answered. */
  readonly taken?: Pick<Asked, 'version'>;
  /** More is to follow at once. */
  readonly more?: boolean;
}

/** One mirror during one call. What an engine's news are like is said by those that derive from it. */
export abstract class Following {
  protected readonly key: string;
  protected readonly namespace: string;

  constructor(
    protected readonly world: ClusterAccess,
    protected one: Mirror
  ) {
    this.key = mirrorKey(one);
    this.namespace = one.metadata.namespace ?? '';
  }

  /**
   * Asks over there what is new; gives it once it has come, with what it weighs, or where there is nothing the moment (virtual ms) by which that was so.
   * Undefined: still under way, or nothing to be done in this call.
   */
  protected abstract look(): Omit<Carried, 'dueMs'> | number | undefined;
  /** What is left to do once it is in; gives what the status says of it then, undefined while that is under way. */
  protected abstract after(carried: Carried): Partial<Status> | undefined;

  protected get status(): Status {
    return this.one.status!;
  }

  protected here(step: string, op: Op): Asked | undefined {
    return asked(this.world, this.key, step, { namespace: this.namespace, workload: this.one.spec.workload }, op);
  }

  protected there(step: string, op: Op): Asked | undefined {
    return asked(this.world, this.key, step, this.one.spec.from, op);
  }

  protected get hands(): Map<string, Carried> {
    return this.world.memory<Carried>('mirrorHands');
  }

  protected note(more: Partial<Status>): void {
    const before = this.status;
    const sinceMs = more.phase === undefined || more.phase === before.phase ? before.sinceMs : this.world.nowMs;
    this.one = this.world.put({ ...this.one, status: { ...before, ...more, sinceMs } });
  }

  /** It can't go on just now, and tries again. */
  protected behind({ says, remedy, at }: Broken): undefined {
    if (this.status.phase !== 'Behind' || this.status.says !== says) this.world.event(this.one, 'MirrorBehind', `${says}.`, 'Warning');
    this.note({ phase: 'Behind', says, remedy, at: { ...at } });
    this.again();
  }

  protected behindHere = (says: string, remedy: string): undefined => this.behind({ says, remedy, at: refOf(this.one) });

  /** Nobody answered, or said no. */
  protected refused(who: string, got: Asked): undefined {
    const says = got.says ?? 'nobody answered';
    const remedy = says.includes('of its own')
      ? 'Take that away here, or name something else in spec.only.'
      : 'It tries again by itself; see the root line of whoever refuses.';
    return this.behindHere(`${who}: ${says}`, remedy);
  }

  private again(): void {
    this.world.after(this.one.spec.everySeconds * 1_000, this.key, true);
  }

  /** Lists what this one has that the other never got. */
  protected unshared(all: readonly { readonly what: string; readonly value: string }[], stays: boolean, count = all.length): Unshared {
    if (count) {
      const fate = stays ? 'they stay here' : 'they are given up';
      this.world.event(this.one, 'MirrorUnshared', `${count} writes of its own never came to the other: ${fate}.`, 'Warning');
    }
    return { count, stays, first: all.slice(0, mostListed).map((one) => ({ ...one })) };
  }

  private follows(momentMs: number, more: Partial<Status> = {}): void {
    if (this.status.phase !== 'Follows') this.world.event(this.one, 'MirrorFollows', `It follows ${this.one.spec.from.workload}.`);
    const { remedy: _, at: __, ...rest } = this.status;
    this.one = { ...this.one, status: rest };
    this.note({ ...more, phase: 'Follows', says: '', momentMs });
  }

  /** What has come arrives at the pace of the link, and is taken in. Gives whether it is. */
  private takes(hand: Carried): boolean {
    const { world, key } = this;
    if (world.nowMs < hand.dueMs) {
      world.after(hand.dueMs - world.nowMs, key);
      return false;
    }
    let now = hand;
    if (!now.taken) {
      const got = this.here(hand.step, hand.op);
      if (!got) {
        if (!hand.sent) this.hands.set(key, { ...hand, sent: true });
        return false;
      }
      if (got.outcome !== 'acknowledged') {
        // Whether it counts isn't known where nobody answered: it is sent again as it is.
        if (got.outcome === 'refused') this.hands.delete(key);
        else if (hand.again) this.hands.set(key, { ...hand, op: hand.again });
        this.refused(`${this.one.spec.workload} took nothing`, got);
        return false;
      }
      now = { ...hand, taken: { version: got.version } };
      this.hands.set(key, now);
    }
    const then = this.after(now);
    if (!then) return false;
    this.hands.delete(key);
    const { takes = 0, bytes = 0 } = this.status;
    this.follows(hand.momentMs, { ...hand.then, ...then, takes: takes + 1, bytes: bytes + hand.bytes });
    return true;
  }

  private promote(): void {
    dropAsks(this.world, this.key);
    forgetMirror(this.world, this.key);
    const { momentMs } = this.status;
    const { remedy: _, at: __, ...rest } = this.status;
    this.one = { ...this.one, status: rest };
    const { workload, from } = this.one.spec;
    const says =
      momentMs === undefined
        ? `${workload} never held what ${from.workload} of ${from.cluster} held`
        : `${workload} takes writes itself; it holds what ${from.workload} of ${from.cluster} held by its last look`;
    this.note({ phase: 'Promoted', says });
    this.world.event(this.one, 'MirrorPromoted', `${says}.`);
  }

  /** Goes as far as it gets in this call. */
  goOn(): void {
    const { world, key } = this;
    if (!this.one.status || (this.one.status.phase === 'Promoted' && !this.one.spec.promoted)) {
      const { own, offsets, sinceMs = -1 } = this.one.status ?? {};
      // How far the two were one: as this one knows, or the other one, where it followed this one later.
      const newer = (promotedFrom(world.store, this.one)?.status?.sinceMs ?? -1) < sinceMs;
      const known = newer ? { ...(own === undefined ? {} : { own }), ...(offsets ? { offsets } : {}) } : {};
      const status: Status = { phase: 'Starting', says: 'begins', sinceMs: world.nowMs, ...known };
      this.one = world.put({ ...this.one, status });
    }
    const { promoted } = this.one.spec;
    if (this.status.phase === 'Promoted') return;
    const hand = this.hands.get(key);
    // What is on its way in already may come to count: it is waited for, so that the last position is true.
    if (promoted && !hand?.sent) return this.promote();
    const fault = hand?.sent ? undefined : mirrorFault(world.store, this.one);
    if (fault) {
      // What was on its way over a link that carries nothing any more never arrives.
      this.hands.delete(key);
      return this.behind(fault);
    }
    if (hand) {
      if (!this.takes(hand)) return;
      if (promoted) return this.promote();
      return hand.more ? world.after(1, key) : this.again();
    }
    const found = this.look();
    if (found === undefined) return;
    if (typeof found === 'number') {
      this.follows(found);
      return this.again();
    }
    const { cluster } = this.one.spec.from;
    const perSecond = Math.min(carriedPerSecond.out, linkTo(world.store, cluster)?.spec.bytesPerSecond ?? Infinity);
    const waitMs = Math.ceil(linkDelayMs(world.store, cluster) + (1_000 * found.bytes) / perSecond);
    this.hands.set(key, { ...found, dueMs: world.nowMs + waitMs });
    world.after(Math.max(1, waitMs), key);
  }
}

/** The names in a text of a copy that two don't hold alike. */
export const namesApart = (mine: string, theirs: string): { what: string; value: string }[] => {
  const its = new Map(namedIn(theirs));
  return (namedIn(mine) ?? []).flatMap(([what, value]) => (its.get(what) === value ? [] : [{ what, value }]));
};
