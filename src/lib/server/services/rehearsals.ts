import { nameFault, type ApiObject, type Ref } from '$core/model';
import { asManifest, writeManifests } from '$core/manifest';
import type { Action } from '$core/standin';
import { latestMs, type Clock, type ClockMove, type Moved } from '../rehearsals/clock';
import { done, notFound, refusalOf, refused, unknownRehearsal, type Answer, type Refusal } from './answer';
import { StandingRehearsals, type RehearsalState } from './standing';
import {
  notCarriedOut,
  tooFarAhead,
  nameNeeded,
  nothingToUndo,
  badForkName,
  nothingThereYet,
  forkTaken,
  trunkStays
} from './rehearsal-refusals';

/** What is taken away, and how. */
interface Removing {
  readonly ref: Ref;
  readonly keepMembers?: boolean;
  readonly force?: boolean;
  readonly foreground?: boolean;
  readonly more?: readonly Ref[];
}

/** What can be done with rehearsals. Whatever changes one goes through its queue, so that two editors never mix. */
export class RehearsalService extends StandingRehearsals {
  private readonly persisted = new Map<string, number>();

  private async keepClock(id: string, clock: Clock): Promise<void> {
    await this.parts.store.setClock(id, clock.nowMs, clock.frontierMs);
    this.parts.kept?.();
    this.keeper.saveSoon(id, clock);
  }

  /** Told by the host when a clock moves by itself. */
  async told(id: string, clock: Clock): Promise<void> {
    try {
      await this.toldOf(id, clock);
    } catch (error) {
      // What runs by itself isn't kept any more: it stops, and says so.
      if (clock.running) await this.parts.host.halt(id).catch(() => undefined);
      this.parts.unkept?.(error, id);
    }
  }

  private async toldOf(id: string, clock: Clock): Promise<void> {
    const last = this.persisted.get(id) ?? 0;
    if (Date.now() - last > 1_000 || !clock.running) {
      this.persisted.set(id, Date.now());
      if (clock.running) await this.parts.store.setClock(id, clock.nowMs, clock.frontierMs);
    }
    const one = await this.parts.store.find(id);
    if (one) this.parts.bus.publish({ rehearsal: id, kind: 'clock', clock, revision: one.revision });
  }

  async move(id: string, move: ClockMove, revision?: number): Promise<Answer<Moved>> {
    const { host, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    if ('untilMs' in move && move.untilMs > latestMs) {
      return refused(tooFarAhead(move.untilMs));
    }
    const old = await this.stale(id, revision);
    if (old) return refused(old);
    // A pause has to get through while a run is in the queue.
    if ('pause' in move || 'run' in move) await host.halt(id);
    return this.inTurn(id, async () => {
      const one = await this.ready(id, revision);
      if (!one.ok) return one;
      const clock = await host.move(id, move);
      await this.keepClock(id, clock);
      bus.publish({ rehearsal: id, kind: 'clock', clock, revision: one.value.revision });
      return done(clock);
    });
  }

  /** Takes an action: looked at, written down, carried out, then answered. Refused as a whole or not at all. */
  async act(id: string, action: Action, revision?: number) {
    const { host, store, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    return this.inTurn(id, async () => {
      const one = await this.ready(id, revision);
      if (!one.ok) return one;
      const full = await this.keeper.noRoom();
      if (full) return refused(full);
      const { atMs, refusals, outcomes } = await host.prepare(id, action);
      if (refusals.length) return refused(refusalOf(refusals));
      let newRevision: number;
      try {
        newRevision = await store.append(id, { atMs, action });
      } catch (error) {
        await host.drop(id);
        throw error;
      }
      this.parts.kept?.();
      const carried = await this.carriedOut(id);
      if (!carried.ok) return carried;
      const clock = carried.value;
      bus.publish({ rehearsal: id, kind: 'acted', clock, revision: newRevision });
      this.keeper.saveSoon(id, clock);
      return done({ nowMs: clock.nowMs, revision: newRevision, outcomes });
    });
  }

  /**
   * Carries out what was written down. Where that fails (its worker died, say) the rehearsal is stood up anew from what is written: either
   * it stands with the action, or the action is taken out again. So what is answered and what is kept never differ.
   */
  private async carriedOut(id: string): Promise<Answer<Clock>> {
    const { host, store } = this.parts;
    let why: unknown;
    try {
      return done(await host.commit(id));
    } catch (error) {
      why = error;
    }
    try {
      await this.letGo(id).catch(() => undefined);
      if ((await this.opened(id)) && !this.broken.has(id)) return done(await host.status(id));
    } catch (error) {
      why = error;
    }
    await store.withdraw(id);
    this.held.delete(id);
    this.broken.delete(id);
    this.parts.unkept?.(why, id);
    return refused(notCarriedOut((why instanceof Error ? why.message : String(why)).split('\n')[0]!.slice(0, 200)));
  }

  /** Why something isn't sent yet: data would be lost, and the cluster's name doesn't stand beside it. */
  async lossGuard(
    id: string,
    objects: readonly ApiObject[],
    replace: readonly Ref[],
    confirm: string | undefined
  ): Promise<Refusal | undefined> {
    const one = await this.open(id);
    const sheet = one && (await this.ask(id, 'changeSheet', { objects, replace }));
    if (!one || !sheet?.ok || !sheet.value.lost.length || confirm === one.cluster) return undefined;
    return nameNeeded(one.cluster, confirm, sheet.value.lost);
  }

  /** The same for a restore in place. */
  async restoreGuard(
    id: string,
    ask: { namespace: string; claim: string; snapshot: string },
    confirm: string | undefined
  ): Promise<Refusal | undefined> {
    const one = await this.open(id);
    const sheet = one && (await this.ask(id, 'restore', ask));
    if (!one || !sheet?.ok || !sheet.value.lost.length || confirm === one.cluster) return undefined;
    return nameNeeded(one.cluster, confirm, sheet.value.lost);
  }

  send = (id: string, objects: readonly ApiObject[], revision?: number, replace: readonly Ref[] = []) =>
    this.act(id, { type: 'send', objects, ...(replace.length ? { replace } : {}) }, revision);

  remove = (id: string, { ref, keepMembers = false, force = false, foreground = false, more = [] }: Removing, revision?: number) =>
    this.act(
      id,
      {
        type: 'remove',
        ref,
        keepMembers,
        ...(force ? { force } : {}),
        ...(foreground ? { foreground } : {}),
        ...(more.length ? { more } : {})
      },
      revision
    );

  /** Finds one object and sends it altered, as if its manifest had been edited by hand. */
  private async alter(
    id: string,
    kind: 'StatefulSet' | 'PersistentVolumeClaim',
    ref: { namespace: string; name: string },
    change: (one: ApiObject) => ApiObject,
    revision?: number
  ) {
    const found = await this.ask(id, 'objects', { kind, ...ref });
    if (!found.ok) return found;
    const [object] = found.value;
    if (!object) return refused(notFound(`${kind} ${ref.namespace}/${ref.name}`));
    const read = await this.read(writeManifests([asManifest(change(object))]));
    return read.ok ? this.send(id, read.value, revision) : read;
  }

  scale = (id: string, { replicas, ...ref }: { namespace: string; name: string; replicas: number }, revision?: number) =>
    this.alter(id, 'StatefulSet', ref, (one) => (one.kind === 'StatefulSet' ? { ...one, spec: { ...one.spec, replicas } } : one), revision);

  grow = (id: string, { size, ...ref }: { namespace: string; name: string; size: string }, revision?: number) =>
    this.alter(
      id,
      'PersistentVolumeClaim',
      ref,
      (one) =>
        one.kind === 'PersistentVolumeClaim'
          ? {
              ...one,
              spec: { ...one.spec, resources: { ...one.spec.resources, requests: { ...one.spec.resources.requests, storage: size } } }
            }
          : one,
      revision
    );

  /** Takes the latest action back, with everything that followed from it. */
  async undo(id: string, revision?: number): Promise<Answer<Clock>> {
    const { host, store, bus } = this.parts;
    const open = await this.open(id);
    if (!open) return refused(unknownRehearsal(id));
    const still = await this.readOnly(id);
    if (still) return refused(still);
    return this.inTurn(id, async () => {
      const old = await this.stale(id, revision);
      if (old) return refused(old);
      if (!(await store.find(id))) return refused(unknownRehearsal(id));
      const at = await store.withdraw(id);
      if (at === undefined) return refused(nothingToUndo());
      await this.letGo(id);
      const one = await this.opened(id);
      if (!one) return refused(unknownRehearsal(id));
      const clock = await host.status(id);
      bus.publish({ rehearsal: id, kind: 'acted', clock, revision: one.revision });
      return done(clock);
    });
  }

  /** Makes a copy of a rehearsal from a moment on; the rehearsal itself isn't touched. */
  async fork(id: string, name: string, atMs: number | undefined, revision?: number): Promise<Answer<RehearsalState>> {
    const { store, host, bus } = this.parts;
    const open = await this.changeable(id);
    if (!open.ok) return open;
    const one = open.value;
    const fault = nameFault(name, 'label');
    if (fault) return refused(badForkName(name, fault));
    const full = await this.keeper.noRoom();
    if (full) return refused(full);
    const forkId = `${one.cluster}~${name}`;
    const made = await this.inTurn(id, async (): Promise<Answer<number>> => {
      const from = await this.ready(id, revision);
      if (!from.ok) return from;
      const clock = await host.status(id);
      const moment = atMs ?? clock.nowMs;
      if (moment > clock.frontierMs) return refused(nothingThereYet(moment, clock.frontierMs));
      if (await store.find(forkId)) return refused(forkTaken(forkId));
      const count = await store.actionsUntil(id, moment);
      const fork = { id: forkId, cluster: one.cluster, fork: name, parent: id, forkedAtMs: moment, headMs: moment, frontierMs: moment };
      await store.addFork({ ...fork, revision: count }, id, moment);
      // The world beside it is there already: nothing has to be replayed.
      if (!clock.running && moment === clock.frontierMs && clock.nowMs === moment) {
        await host.copy(id, forkId);
        this.held.add(forkId);
      }
      return done(count);
    });
    if (!made.ok) return made;
    bus.publish({ rehearsal: forkId, kind: 'forked', clock: null, revision: made.value });
    return this.state(forkId);
  }

  /** Takes a fork away. The trunk of a cluster stays. */
  async drop(id: string, revision?: number): Promise<Answer<{ id: string }>> {
    const one = await this.parts.store.find(id);
    if (!one) return refused(unknownRehearsal(id));
    if (one.fork === null) return refused(trunkStays(id));
    return this.inTurn(id, async () => {
      const old = await this.stale(id, revision);
      if (old) return refused(old);
      await this.parts.store.remove(id);
      this.broken.delete(id);
      await this.letGo(id);
      return done({ id });
    });
  }
}
