import { setImmediate as nextTurn } from 'node:timers/promises';
import type { Expectation, FaultId } from '$core/drills';
import { isStale } from '$core/proofs';
import type { drillRepository, KeptDrill } from '../repositories/drills';
import type { StartedHost } from '../rehearsals/client';
import { covered } from '../views/covered';
import type { Drillable } from '../views/drills';
import { done, notFound, refused, type Answer, type Refusal } from './answer';
import type { LiveBus } from './live';
import { Permits } from './permits';
import type { RehearsalService } from './rehearsals';

/** Which drill: of whom, and with what. */
export interface Which {
  readonly namespace: string;
  readonly workload: string;
  readonly fault: FaultId;
}

/** What is asked of a drill; what is left out stays as it was the last time. */
interface Wish {
  readonly expectation?: Expectation;
  readonly way?: 'inside' | 'outside';
}

/** A round that is under way, or was: how far it has come. */
export interface Round {
  readonly total: number;
  readonly done: number;
  readonly running: boolean;
  readonly stopped: boolean;
  /** Drills that couldn't be run, each with why. */
  readonly skipped: readonly (Which & { readonly why: string })[];
}

/** A drill as it is shown: what was sent for it holds whole secrets, and stays here. */
export type ShownDrill = Omit<KeptDrill, 'begin' | 'end'> & { readonly stale: boolean };

/** A drill without what was sent for it. */
export function shownDrill({ begin: _, end: __, cause, ...one }: KeptDrill & { readonly stale: boolean }): ShownDrill {
  const { manifests } = cause ?? {};
  return { ...one, ...(cause ? { cause: { ...cause, ...(manifests ? { manifests: manifests.map(covered) } : {}) } } : {}) };
}

/** All drills of a rehearsal, as its sheet shows them. */
export interface Drills {
  readonly workloads: readonly Drillable[];
  readonly drills: readonly ShownDrill[];
  readonly round: Round | null;
}

interface Running {
  total: number;
  done: number;
  running: boolean;
  stopped: boolean;
  skipped: (Which & { why: string })[];
}

const cannot = (detail: string): Refusal => ({
  code: 'cannot-drill',
  status: 409,
  title: 'This drill cannot be run',
  detail: `It cannot be run: ${detail}.`,
  remedy: 'See the root line of its members, or choose another fault.'
});

/** Runs drills in workers of their own, beside each other, and keeps each as it ends. */
export class DrillService {
  private readonly rounds = new Map<string, Running>();
  /** Single drills don't wait for a round; many of either wait for each other. */
  private readonly singles: Permits;
  private readonly inRounds: Permits;

  /**
   * @param start starts a worker; called when drills are run, and its worlds are closed after them
   * @param atOnce so many are run beside each other
   */
  constructor(
    private readonly rehearsals: RehearsalService,
    private readonly store: ReturnType<typeof drillRepository>,
    private readonly bus: LiveBus,
    private readonly start: () => StartedHost,
    private readonly atOnce: number
  ) {
    this.singles = new Permits(atOnce);
    this.inRounds = new Permits(atOnce);
  }

  /** The latest drills, with whether what they tried has changed since. */
  async kept(id: string): Promise<Answer<(KeptDrill & { stale: boolean })[]>> {
    const state = await this.rehearsals.state(id);
    if (!state.ok) return state;
    const kept = await this.store.latest(id, state.value.clock.nowMs);
    if (!kept.length) return done([]);
    const isStale = await this.staleness(id, kept);
    return isStale.ok ? done(kept.map((one) => ({ ...one, stale: isStale.value(one) }))) : isStale;
  }

  /** Whether what a drill tried has changed since. */
  private async staleness(
    id: string,
    of: readonly Pick<KeptDrill, 'namespace' | 'workload'>[]
  ): Promise<Answer<(one: Pick<KeptDrill, 'namespace' | 'workload' | 'atMs' | 'plans' | 'stands'>) => boolean>> {
    const touched = await this.rehearsals.ask(id, 'touched', { sets: of.map((one) => ({ namespace: one.namespace, name: one.workload })) });
    if (!touched.ok) return touched;
    const at = new Map(touched.value.map((one) => [`${one.namespace}/${one.name}`, one]));
    return done((one) => {
      const found = at.get(`${one.namespace}/${one.workload}`);
      // What a wrong delete loses for good depends on what copies it, too.
      return isStale(found, one) || (one.plans !== undefined && one.plans !== found?.plans);
    });
  }

  /** How many of the latest drills came out worse than expected, of those that still hold at a moment (virtual ms). */
  async worse(id: string, untilMs: number): Promise<number> {
    const worse = (await this.store.verdicts(id, untilMs)).filter((one) => one.state === 'worse');
    if (!worse.length) return 0;
    const isStale = await this.staleness(id, worse);
    return isStale.ok ? worse.filter((one) => !isStale.value(one)).length : 0;
  }

  async all(id: string): Promise<Answer<Drills>> {
    const workloads = await this.rehearsals.ask(id, 'drillable', {});
    if (!workloads.ok) return workloads;
    const drills = await this.kept(id);
    return drills.ok ? done({ workloads: workloads.value, drills: drills.value.map(shownDrill), round: this.roundOf(id) }) : drills;
  }

  private roundOf(id: string): Round | null {
    const round = this.rounds.get(id);
    return round ? { ...round, skipped: [...round.skipped] } : null;
  }

  private async told(id: string): Promise<void> {
    const state = await this.rehearsals.state(id);
    if (state.ok) this.bus.publish({ rehearsal: id, kind: 'proved', clock: state.value.clock, revision: state.value.revision });
  }

  /** Runs one drill and keeps how it came out. What is demanded stays with it, until somebody demands something else. */
  async run(id: string, which: Which & Wish, revision?: number): Promise<Answer<ShownDrill>> {
    const old = await this.rehearsals.staleFor(id, revision);
    if (old) return refused(old);
    return this.singles.with(async () => {
      const host = this.start();
      try {
        const opened = await this.open(host, id);
        if (!opened.ok) return opened;
        const found = await this.one(host, id, which);
        if (!found.ok) return found;
        await this.told(id);
        return done(shownDrill({ ...found.value, stale: false }));
      } finally {
        await host.end();
      }
    });
  }

  private async open(host: StartedHost, id: string): Promise<Answer<true>> {
    const opening = await this.rehearsals.opening(id);
    if (!opening.ok) return opening;
    await host.open(opening.value);
    return done(true as const);
  }

  private async one(
    host: StartedHost,
    id: string,
    { namespace, workload, fault, expectation, way }: Which & Wish
  ): Promise<Answer<KeptDrill>> {
    const before = await this.kept(id);
    const last = before.ok
      ? before.value.find((one) => one.namespace === namespace && one.workload === workload && one.fault === fault)
      : undefined;
    const demanded = expectation ?? (last?.demanded ? last.expectation : undefined);
    const from = way ?? last?.way;
    const found = await host.ask(id, 'drill', {
      namespace,
      workload,
      fault,
      ...(demanded ? { demanded } : {}),
      ...(from ? { way: from } : {})
    });
    if (!found) return refused(notFound(`The workload ${namespace}/${workload}`));
    if (!found.drill) return refused(cannot(found.not ?? 'nothing is known of it'));
    const kept: KeptDrill = { ...found.drill, namespace, workload, demanded: demanded !== undefined };
    await this.store.add(id, kept);
    return done(kept);
  }

  /** A fork of the moment that a drill was tried from, on which its fault has just been put in; the load isn't repeated. */
  async fork(id: string, { namespace, workload, fault }: Which): Promise<Answer<{ id: string }>> {
    const kept = await this.kept(id);
    if (!kept.ok) return kept;
    const drill = kept.value.find((one) => one.namespace === namespace && one.workload === workload && one.fault === fault);
    if (!drill) return refused(notFound(`The drill ${fault} of ${namespace}/${workload}`, 'Run it first.'));
    if (drill.measured.back !== undefined)
      return refused({
        code: 'cannot-drill',
        status: 409,
        title: 'This drill leaves no fork',
        detail: `${fault} strikes what the load writes, and a fork has no load: there would be nothing to see.`,
        remedy: 'See what the drill itself shows, and put a copy back on the sheet Backups.'
      });
    const taken = new Set((await this.rehearsals.all()).map((one) => one.fork));
    const name = `${workload}-${fault}`.slice(0, 50).replace(/-+$/, '');
    let nth = 1;
    const named = (n: number) => (n === 1 ? name : `${name}-${n}`);
    while (taken.has(named(nth))) nth += 1;
    const made = await this.rehearsals.fork(id, named(nth), drill.atMs);
    if (!made.ok) return made;
    const place = drill.in === undefined ? made.value.id : `${drill.in}~${made.value.fork}`;
    for (const action of drill.begin) {
      const acted = await this.rehearsals.act(place, action);
      if (!acted.ok) return acted;
    }
    return done({ id: made.value.id });
  }

  /** Begins a round over all drills that never ran or are stale; what is asked for by workload, where it is. */
  async begin(id: string, only?: { namespace: string; workload: string }): Promise<Answer<Round>> {
    if (this.rounds.get(id)?.running) return done(this.roundOf(id)!);
    const all = await this.all(id);
    if (!all.ok) return all;
    // Somebody else may have begun one meanwhile.
    if (this.rounds.get(id)?.running) return done(this.roundOf(id)!);
    const fresh = new Set(all.value.drills.filter((one) => !one.stale).map((one) => `${one.namespace}/${one.workload}/${one.fault}`));
    const queue = all.value.workloads
      .filter((one) => !one.notNow && (!only || (one.namespace === only.namespace && one.name === only.workload)))
      .flatMap((one) =>
        one.offers
          .filter((offer) => offer.target !== undefined && !fresh.has(`${one.namespace}/${one.name}/${offer.fault}`))
          .map((offer): Which => ({ namespace: one.namespace, workload: one.name, fault: offer.fault }))
      );
    void this.over(id, queue);
    return done(this.roundOf(id)!);
  }

  /** Runs some drills as a round that is watched and stopped like any other; given once it is over. One that is under way goes on instead. */
  async some(id: string, queue: readonly Which[]): Promise<void> {
    if (!this.rounds.get(id)?.running) await this.over(id, [...queue]);
  }

  private async over(id: string, queue: Which[]): Promise<void> {
    const round: Running = { total: queue.length, done: 0, running: queue.length > 0, stopped: false, skipped: [] };
    this.rounds.set(id, round);
    // Where the data are closed meanwhile nothing more can be kept; what was finished is.
    if (queue.length) await this.work(id, round, queue).catch(() => void (round.running = false));
  }

  private async work(id: string, round: Running, queue: Which[]): Promise<void> {
    const lane = async (): Promise<void> => {
      const host = this.start();
      try {
        const opened = await this.open(host, id);
        for (let next = queue.shift(); next && !round.stopped; next = queue.shift()) {
          const which = next;
          const found = opened.ok ? await this.inRounds.with(() => this.one(host, id, which)) : opened;
          if (!found.ok) round.skipped.push({ ...next, why: found.refusal.detail });
          round.done += 1;
          await this.told(id);
          // Others get their turn, also where the worker is this very thread.
          await nextTurn();
        }
      } catch (error) {
        round.skipped.push(
          ...queue.splice(0).map((one) => ({ ...one, why: error instanceof Error ? error.message : 'the worker has ended' }))
        );
      } finally {
        await host.end();
      }
    };
    await Promise.all(Array.from({ length: Math.min(this.atOnce, queue.length) }, lane));
    round.running = false;
    await this.told(id);
  }

  /** No more drills are begun; those under way are waited for no longer than the process lives. */
  end(): void {
    for (const round of this.rounds.values()) round.stopped = true;
  }

  /** Stops a round: the drills under way are finished and kept, no more are begun. */
  async stop(id: string): Promise<Answer<Round>> {
    const round = this.rounds.get(id);
    if (!round) return refused(notFound('A round of drills', 'Begin one first.'));
    round.stopped = true;
    await this.told(id);
    return done(this.roundOf(id)!);
  }
}
