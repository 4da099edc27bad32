import { nameFault, type ApiObject, type Link, type Ref } from '$core/model';
import type { Rehearsal } from '../repositories/rehearsals';
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
  linkWithItself,
  noOther,
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

  /** What goes with a clock that was moved is kept, and told. */
  private async kinMoved(id: string): Promise<void> {
    for (const other of this.kinOf(id)) {
      if (other === id) continue;
      const [clock, one] = [await this.parts.host.status(other), await this.parts.store.find(other)];
      await this.keepClock(other, clock);
      this.parts.bus.publish({ rehearsal: other, kind: 'clock', clock, revision: one?.revision ?? 0 });
    }
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
      await this.kinMoved(id);
      return done(clock);
    });
  }

  /** Takes an action: looked at, written down, carried out, then answered. Refused as a whole or not at all. */
  async act(id: string, action: Action, revision?: number) {
    const open = await this.changeable(id);
    if (!open.ok) return open;
    return this.inTurn(id, () => this.acted(id, action, revision));
  }

  /**
   * What is done in clusters that have one clock is carried out in the order of its moments, at one moment in the order of the clusters'
   * names; so that it is never another one the second time, nothing is done in two of them at the same moment.
   */
  private async ownMoment(id: string): Promise<void> {
    const others = this.kinOf(id).filter((one) => one !== id);
    if (!others.length) return;
    const { nowMs, frontierMs } = await this.parts.host.status(id);
    const lastMs = await this.parts.store.lastActionMs(others);
    if (lastMs === nowMs && nowMs <= frontierMs) await this.parts.host.move(id, { untilMs: nowMs + 1 });
  }

  /** The same for one whose turn it is. */
  private async acted(id: string, action: Action, revision?: number) {
    const { host, store, bus } = this.parts;
    const one = await this.ready(id, revision);
    if (!one.ok) return one;
    const full = await this.keeper.noRoom();
    if (full) return refused(full);
    await this.ownMoment(id);
    const { atMs, refusals, outcomes } = await host.prepare(id, action);
    if (refusals.length) return refused(refusalOf(refusals));
    let newRevision: number;
    try {
      newRevision = await store.append(
        id,
        { atMs, action },
        this.kinOf(id).filter((other) => other !== id)
      );
    } catch (error) {
      await host.drop(id);
      throw error;
    }
    this.parts.kept?.();
    const carried = await this.carriedOut(id);
    if (!carried.ok) return carried;
    const clock = carried.value;
    bus.publish({ rehearsal: id, kind: 'acted', clock, revision: newRevision });
    await this.kinMoved(id);
    this.keeper.saveSoon(id, clock);
    return done({ nowMs: clock.nowMs, revision: newRevision, outcomes });
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
    await store.withdraw([id]);
    for (const one of this.kinOf(id)) {
      this.held.delete(one);
      this.broken.delete(one);
    }
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
      const kin = this.kinOf(id);
      const at = await store.withdraw(kin);
      if (at === undefined) return refused(nothingToUndo());
      await this.letGo(id);
      for (const other of kin) this.broken.delete(other);
      // What was taken back may be what joined them.
      if (kin.length > 1) await this.learnKin();
      let clock: Clock | undefined;
      for (const other of kin) {
        const one = await this.opened(other);
        if (!one) continue;
        const its = await host.status(other);
        if (other === id) clock = its;
        bus.publish({ rehearsal: other, kind: 'acted', clock: its, revision: one.revision });
      }
      return clock ? done(clock) : refused(unknownRehearsal(id));
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
    const idOf = (from: string) => `${from.split('~')[0]}~${name}`;
    const made = await this.inTurn(id, async (): Promise<Answer<number>> => {
      const from = await this.ready(id, revision);
      if (!from.ok) return from;
      const clock = await host.status(id);
      const moment = atMs ?? clock.nowMs;
      if (moment > clock.frontierMs) return refused(nothingThereYet(moment, clock.frontierMs));
      const kin = (await this.kinBy(moment)).get(id) ?? [id];
      for (const each of kin) if (await store.find(idOf(each))) return refused(forkTaken(idOf(each)));
      const counts = new Map<string, number>();
      const forks: { one: Rehearsal; from: string }[] = [];
      for (const from of kin) {
        const revision = await store.actionsUntil(from, moment);
        counts.set(from, revision);
        const at = { parent: from, forkedAtMs: moment, headMs: moment, frontierMs: moment };
        forks.push({ from, one: { id: idOf(from), cluster: from.split('~')[0]!, fork: name, ...at, revision } });
      }
      await store.addForks(forks, moment);
      if (kin.length > 1) await this.learnKin();
      // The world beside it is there already: nothing has to be replayed.
      if (!clock.running && moment === clock.frontierMs && clock.nowMs === moment && kin.length === this.kinOf(id).length) {
        await host.copy(kin.map((from) => [from, idOf(from)] as const));
        for (const from of kin) this.held.add(idOf(from));
      }
      return done(counts.get(id)!);
    });
    if (!made.ok) return made;
    for (const each of this.kinOf(forkId)) bus.publish({ rehearsal: each, kind: 'forked', clock: null, revision: made.value });
    return this.state(forkId);
  }

  /**
   * Joins a cluster to another one by a link. The clock that is behind runs on to the other's moment; from there on they are one. In a fork
   * it is the fork of the same name that is joined.
   */
  async join(id: string, cluster: string, link: Omit<Link['spec'], 'to'>, revision?: number) {
    const open = await this.changeable(id);
    if (!open.ok) return open;
    const { fork } = open.value;
    const other = fork === null ? cluster : `${cluster}~${fork}`;
    if (other === id) return refused(linkWithItself(id));
    if (!(await this.parts.store.find(other))) return refused(noOther(other, fork));
    const there = await this.changeable(other);
    if (!there.ok) return there;
    const action: Action = { type: 'join', with: cluster, link };
    const joined = () => this.joined(id, other, action, revision);
    // Always in the same order, so that two who link the same clusters never wait for each other.
    const [first, second] = [id, other].sort((a, b) => (this.kinOf(a)[0]! < this.kinOf(b)[0]! ? -1 : 1)) as [string, string];
    return this.inTurn(first, () => (this.kinOf(first).includes(second) ? joined() : this.inTurn(second, joined)));
  }

  /** Both have their turn: they are brought to one moment, stood up together, and joined; where that fails they stay apart. */
  private async joined(id: string, other: string, action: Action, revision: number | undefined) {
    const { host } = this.parts;
    const both = [await this.ready(id, revision), await this.ready(other, undefined)];
    for (const one of both) if (!one.ok) return one;
    const frontiers = await Promise.all([id, other].map(async (one) => (await host.status(one)).frontierMs));
    // It touches two worlds, so it has its moment for itself.
    const untilMs = Math.max(...frontiers) + 1;
    const standAt = async (one: string, atMs: number) => {
      await host.halt(one);
      await this.keepClock(one, await host.move(one, { untilMs: atMs }));
      await this.kinMoved(one);
    };
    if (this.kinOf(id).includes(other)) {
      await standAt(id, untilMs);
      return this.acted(id, action, revision);
    }
    for (const one of [id, other]) await standAt(one, untilMs);
    const all = [...this.kinOf(id), ...this.kinOf(other)].sort();
    const before = this.kin;
    for (const one of [id, other]) await this.letGo(one);
    await this.standTogether(new Map([...before, ...all.map((one) => [one, all] as const)]));
    let kept = false;
    try {
      const acted = await this.acted(id, action, revision);
      kept = acted.ok;
      return acted;
    } finally {
      if (!kept) {
        await this.letGo(id);
        this.kin = before;
      }
    }
  }

  /** Takes a fork away. The trunk of a cluster stays. */
  async drop(id: string, revision?: number): Promise<Answer<{ id: string }>> {
    const one = await this.parts.store.find(id);
    if (!one) return refused(unknownRehearsal(id));
    if (one.fork === null) return refused(trunkStays(id));
    return this.inTurn(id, async () => {
      const old = await this.stale(id, revision);
      if (old) return refused(old);
      const kin = this.kinOf(id);
      for (const each of kin) {
        await this.parts.store.remove(each);
        this.broken.delete(each);
      }
      await this.letGo(id);
      if (kin.length > 1) await this.learnKin();
      return done({ id });
    });
  }
}
