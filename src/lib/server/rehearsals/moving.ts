import { setImmediate as nextTurn } from 'node:timers/promises';
import { atLimit, clockOf, farthestMs, latestMs, nothingNext, type Clock, type ClockMove, type Moved } from './clock';
import { sliceCalls, type Slices } from './slices';
import { headAt, withKin, type Stage } from './standing';

/** What the host tells of its own accord. */
export type Tell = (id: string, clock: Clock) => void;

/** Moves the clocks of rehearsals, in slices; tells how far it has got. */
export class Mover {
  /** @param stands whether a rehearsal is still the one that stands under its name */
  constructor(
    private readonly slices: Slices,
    private readonly tell: Tell,
    private readonly stands: (one: Stage) => boolean
  ) {}

  /** Moves the clock: back and forth over what has been, ahead into what hasn't. */
  async move(one: Stage, move: ClockMove): Promise<Moved> {
    await one.busy;
    withKin(one, { halted: false });
    let says: string | undefined;
    if ('run' in move) {
      if (one.headMs >= latestMs) says = atLimit;
      else this.play(one, move.run);
    } else {
      withKin(one, { running: 0 });
      if ('until' in move) says = await this.runSettled(one);
      else if ('answered' in move) await this.runAnswered(one, move.answered);
      else if ('untilMs' in move) await this.seek(one, move.untilMs);
      else if ('step' in move && move.step === 1 && one.headMs >= one.world.nowMs) says = await this.stepOn(one);
      else if ('step' in move) await this.seek(one, this.neighbour(one, move.step));
      void this.spreadViews(one);
    }
    return { ...clockOf(one), ...(says === undefined ? {} : { says }) };
  }

  /** Tells of all clocks that go with it. */
  private tellAll({ kin }: Stage): void {
    for (const one of kin) this.tell(one.id, clockOf(one));
  }

  private async runTo(one: Stage, targetMs: number): Promise<void> {
    let told = Date.now();
    for (;;) {
      const done = await this.slices.run(() => one.world.runUntil(targetMs, sliceCalls));
      if (done || one.halted) break;
      if (Date.now() - told > 200) {
        headAt(one, one.world.nowMs);
        this.tellAll(one);
        told = Date.now();
      }
    }
    headAt(one, one.world.nowMs);
  }

  private async runSettled(one: Stage): Promise<string | undefined> {
    if (one.world.nowMs >= latestMs) return atLimit;
    if (one.world.settled && one.headMs >= one.world.nowMs) return 'Settled already: nothing is under way.';
    const limitMs = Math.min(latestMs, one.world.nowMs + farthestMs);
    let told = Date.now();
    for (;;) {
      const done = await this.slices.run(() => one.world.runSettled(sliceCalls, limitMs));
      headAt(one, one.world.nowMs);
      if (done || one.halted) break;
      if (Date.now() - told > 200) {
        this.tellAll(one);
        told = Date.now();
      }
    }
    if (one.halted || one.world.settled) return undefined;
    return one.world.nowMs >= latestMs ? atLimit : 'After a day of its clock it still has not settled: something goes on again and again.';
  }

  /** Runs to the next change, if there is one within a day and before the clock's limit. */
  private async stepOn(one: Stage): Promise<string | undefined> {
    const { world } = one;
    const [count, fromMs] = [world.journal.changes.length, world.nowMs];
    const lastMs = Math.min(latestMs, fromMs + farthestMs);
    while (world.journal.changes.length === count && world.nextMs !== undefined && world.nextMs <= lastMs) {
      world.runUntil(world.nextMs);
      if (world.calls % sliceCalls === 0) await nextTurn();
    }
    headAt(one, world.nowMs);
    if (world.journal.changes.length > count) return undefined;
    if (world.nowMs >= latestMs) return atLimit;
    return nothingNext(world.nextMs === undefined ? undefined : world.nextMs - world.nowMs);
  }

  /** Runs on until an ask has its answer, which comes within a minute or not at all. */
  private async runAnswered(one: Stage, ask: { namespace: string; id: string }): Promise<void> {
    const lastMs = one.world.nowMs + 60_000;
    const open = () => !one.world.store.get('Ask', ask.namespace, ask.id)?.status?.outcome;
    while (open() && one.world.nextMs !== undefined && one.world.nextMs <= lastMs) {
      one.world.runUntil(one.world.nextMs);
      await nextTurn();
    }
    headAt(one, one.world.nowMs);
    this.tellAll(one);
  }

  /** Gets ready for looking back, between other work. */
  private async spreadViews(one: Stage): Promise<void> {
    for (const _ of one.views.spread()) await nextTurn();
  }

  private async seek(one: Stage, targetMs: number): Promise<void> {
    if (targetMs > one.world.nowMs) await this.runTo(one, Math.min(targetMs, latestMs));
    else headAt(one, targetMs);
  }

  private neighbour(one: Stage, step: 1 | -1): number {
    const { changes } = one.world.journal;
    const count = one.world.journal.countAt(one.headMs);
    if (step === 1) return changes[count]?.atMs ?? one.world.nowMs;
    const here = changes[count - 1];
    if (!here) return 0;
    if (here.atMs < one.headMs) return here.atMs;
    const before = one.world.journal.countAt(here.atMs - 1);
    return changes[before - 1]?.atMs ?? 0;
  }

  private play(one: Stage, speed: number): void {
    const wasRunning = one.running > 0;
    withKin(one, { running: speed });
    one.lastTickAt = Date.now();
    if (wasRunning) return;
    const tick = async () => {
      if (one.running === 0 || !this.stands(one)) return;
      const now = Date.now();
      const targetMs = Math.min(latestMs, one.headMs + Math.round((now - one.lastTickAt) * one.running));
      one.lastTickAt = now;
      if (!one.frozen && !one.busy) await this.seek(one, targetMs);
      if (one.headMs >= latestMs) withKin(one, { running: 0 });
      this.tellAll(one);
      setTimeout(() => void tick(), 150);
    };
    setTimeout(() => void tick(), 100);
  }
}
