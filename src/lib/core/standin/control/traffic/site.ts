import { CoreError, same } from '../../../shared';
import { isReady, memberNames, pairsMatch, setAskingFor, type Outage, type Pod, type Process } from '../../../model';
import type { Answer, Engine, Site, MemberState } from '../../engines/site';
import { enginePartOf } from '../../provider/images';
import { memberFault } from '../../provider/policies';
import { hangsSince, isDark, isUnheard, keptApartFrom, nodesReach, slowMs, sluggishMs } from '../../provider/outages';
import { isStranded } from '../nodes/agent/mounts';
import { talksTls, tlsFault } from '../../provider/tls';
import type { ClusterAccess } from '../loop';
import { SiteVolumes } from './site-volumes';

/** Something on its way from one member (or client) to another. */
export interface Mail {
  readonly atMs: number;
  readonly nth: number;
  readonly from: string;
  readonly to: string;
  readonly body: unknown;
  /** It waited for a slow volume: what follows from the same to the same doesn't overtake it. */
  readonly late?: true;
}

interface Kept<T> {
  readonly process: string;
  readonly data: T;
}

/** What has been looked up of a member (or a client) during one call; nothing of it changes before the call ends, but for `mind`. */
interface Seen {
  pod: Pod | undefined;
  process: Process | undefined;
  up: boolean | undefined;
  hangs: boolean | undefined;
  untrusted: string | null | undefined;
  mind: unknown;
  mindRead: boolean;
  reached: Map<string, boolean> | undefined;
}

const timeoutBody = { is: 'timeout' } as const;
/** What a member says to a client once a slow volume has taken what it wrote. */
interface LateBody {
  readonly is: 'answer-late';
  readonly answer: Answer;
}
const isClient = (id: string): boolean => id.startsWith('~');

/** What a workload's engine sees of the stand-in during one call. Changes are gathered and written at the end of it. */
export class WorldSite implements Site {
  readonly nowMs: number;
  readonly seed: number;
  readonly ids: readonly string[];
  readonly engineId: string | undefined;
  readonly processes: readonly Process[];
  /** Members whose programs run. */
  readonly running: readonly string[];
  readonly sent: Mail[] = [];
  engine: Engine | undefined;
  private readonly seen = new Map<string, Seen>();
  private readonly volumes: SiteVolumes;
  private readonly answers = new Map<string, Answer>();
  /** Members that have written to a slow volume in the step of this call: what they say in it leaves so much later (ms). */
  private readonly late = new Map<string, number>();
  private readonly answered: string[] = [];
  private stepFrom = 0;
  private readonly outages: readonly Outage[];
  private readonly policies: boolean;

  constructor(
    private readonly world: ClusterAccess,
    private readonly namespace: string,
    private readonly key: string,
    public nth: number
  ) {
    this.nowMs = world.nowMs;
    this.seed = world.seed;
    this.outages = world.store.list('Outage');
    this.policies = world.store.list('NetworkPolicy').length > 0;
    const pods = world.store.by<'Pod'>('podsOfWorkload', key);
    this.processes = world.store.by<'Process'>('processes', key);
    for (const pod of pods) this.of(pod.metadata.name).pod = pod;
    for (const one of this.processes) this.of(one.metadata.name).process = one;
    this.running = this.processes.map((one) => one.metadata.name);
    this.ids = this.wanted(pods);
    this.engineId = this.processes[0]?.spec.engine ?? (pods[0] && enginePartOf(pods[0])?.engine);
    this.volumes = new SiteVolumes(world, namespace, this.engineId ?? '');
  }

  private of(id: string): Seen {
    let seen = this.seen.get(id);
    if (!seen)
      this.seen.set(
        id,
        (seen = {
          pod: undefined,
          process: undefined,
          up: undefined,
          hangs: undefined,
          untrusted: undefined,
          mind: undefined,
          mindRead: false,
          reached: undefined
        })
      );
    return seen;
  }

  /** Members that ought to be: those of the workload's sets, then whatever else runs for it. */
  private wanted(pods: readonly Pod[]): readonly string[] {
    const sets = this.world.store.by<'StatefulSet'>('setsOfWorkload', this.key).filter((set) => enginePartOf(set.spec.template));
    const members = sets.length === 1 ? memberNames(sets[0]!) : sets.flatMap(memberNames);
    const owned = (pod: Pod) =>
      members.includes(pod.metadata.name) ||
      (pod.metadata.ownerReferences?.some((one) => sets.some((set) => set.metadata.uid === one.uid)) ?? false);
    let others: string[] | undefined;
    for (const pod of pods) if (!owned(pod)) (others ??= []).push(pod.metadata.name);
    return others ? [...members, ...others.sort()] : members;
  }

  up(id: string): boolean {
    if (isClient(id))
      return this.world.store.get('Ask', this.namespace, id.slice(1))?.status?.outcome === undefined && !this.answers.has(id.slice(1));
    const seen = this.of(id);
    return (seen.up ??=
      seen.process !== undefined &&
      seen.pod !== undefined &&
      !((this.outages.length && isDark(this.world.store, seen.pod.spec.nodeName ?? '')) || this.hangs(id)));
  }

  /** Whether a member's program hangs: it does nothing, and what comes for it waits. */
  hangs(id: string): boolean {
    const files = this.engineId === 'shared-files';
    if ((!this.outages.length && !files) || isClient(id)) return false;
    const seen = this.of(id);
    return (seen.hangs ??=
      hangsSince(this.world.store, this.namespace, id, this.outages) !== undefined ||
      (files && seen.pod !== undefined && isStranded(this.world.store, seen.pod)));
  }

  leaving(id: string): boolean {
    return this.of(id).pod?.metadata.deletionTimestamp !== undefined;
  }

  reach(a: string, b: string): boolean {
    if (a === b) return true;
    const row = (this.of(a).reached ??= new Map<string, boolean>());
    let through = row.get(b);
    if (through === undefined) row.set(b, (through = isClient(a) || isClient(b) ? !this.shutFrom(isClient(a) ? b : a) : this.finds(a, b)));
    return through;
  }

  /** Whether clients don't come to a member: it is cut off from them, or its node is. */
  shutFrom(id: string): boolean {
    if (!this.outages.length) return false;
    const node = this.of(id).pod?.spec.nodeName;
    return keptApartFrom(this.outages, this.namespace, id, 'clients') || (node !== undefined && isUnheard(this.world.store, node));
  }

  private finds(a: string, b: string): boolean {
    const one = this.of(a).pod;
    const two = this.of(b).pod;
    if (!one || !two) return false;
    if (this.outages.length && !nodesReach(this.world.store, one.spec.nodeName ?? '', two.spec.nodeName ?? '')) return false;
    if (this.outages.length && [a, b].some((id) => keptApartFrom(this.outages, this.namespace, id, 'members'))) return false;
    // Who may call is answered: one of the two has to be let through.
    if (this.policies && memberFault(this.world.store, one, two) && memberFault(this.world.store, two, one)) return false;
    if (this.untrusted(a, one) || this.untrusted(b, two)) return false;
    return this.met(a, b) || this.meets(a, two) || this.meets(b, one);
  }

  /** Why others don't talk to a member: where members show certificates, it has none that holds for its name. */
  untrusted(id: string, pod: Pod): string | undefined {
    const seen = this.of(id);
    if (seen.untrusted === undefined) seen.untrusted = (talksTls(this.options(id)) ? tlsFault(this.world.store, pod) : undefined) ?? null;
    return seen.untrusted ?? undefined;
  }

  /** Members that have met keep each other's address for as long as both programs run. */
  private met(a: string, b: string): boolean {
    const known = this.world.memory<Readonly<Record<string, string>>>('met').get(this.of(a).process?.metadata.uid ?? '');
    return known !== undefined && known[b] === this.of(b).process?.metadata.uid;
  }

  private meets(a: string, other: Pod): boolean {
    const { subdomain } = other.spec;
    const service = this.world.store.get('Service', this.namespace, subdomain ?? '');
    const found =
      service?.spec.clusterIP === 'None' &&
      pairsMatch(service.spec.selector, other.metadata.labels) &&
      (service.spec.publishNotReadyAddresses === true || isReady(other));
    if (!found) return false;
    const [mine, theirs] = [this.of(a).process?.metadata.uid, this.of(other.metadata.name).process?.metadata.uid];
    const met = this.world.memory<Readonly<Record<string, string>>>('met');
    if (mine && theirs) {
      met.set(mine, { ...met.get(mine), [other.metadata.name]: theirs });
      met.set(theirs, { ...met.get(theirs), [a]: mine });
    }
    return true;
  }

  disks(id: string): number {
    return this.volumes.of(id, this.of(id).pod).length;
  }

  disk<T>(id: string, nth = 0): T | undefined {
    return this.volumes.read(id, this.of(id).pod, nth) as T | undefined;
  }

  keep(id: string, data: unknown, nth = 0): void {
    const pod = this.outages.length ? this.of(id).pod : undefined;
    const lateMs = pod && this.volumes.read(id, pod, nth) !== data ? sluggishMs(this.outages, pod) : 0;
    if (lateMs > 0) this.late.set(id, lateMs);
    this.volumes.keep(id, this.of(id).pod, data, nth);
  }

  mind<T>(id: string): T | undefined {
    const seen = this.of(id);
    if (!seen.mindRead) [seen.mind, seen.mindRead] = [this.mindKept(id), true];
    return seen.mind as T | undefined;
  }

  private mindKept(id: string): unknown {
    const kept = this.world.memory<Kept<unknown>>('minds').get(`${this.namespace}/${id}`);
    return kept && (isClient(id) || kept.process === this.of(id).process?.metadata.uid) ? kept.data : undefined;
  }

  think(id: string, data: unknown): void {
    const seen = this.of(id);
    const process = seen.process?.metadata.uid ?? '';
    [seen.mind, seen.mindRead] = [data, true];
    this.world.memory<Kept<unknown>>('minds').set(`${this.namespace}/${id}`, { process, data });
  }

  part(id: string): string {
    const pod = this.of(id).pod;
    const part = this.of(id).process?.spec.part ?? (pod && enginePartOf(pod)?.part);
    if (part !== undefined) return part;
    const set = setAskingFor(this.world.store, this.namespace, id);
    return (set && enginePartOf(set.spec.template)?.part) ?? '';
  }

  options(id: string): Readonly<Record<string, string>> {
    return this.of(id).process?.spec.options ?? {};
  }
  option(id: string, name: string): string | undefined {
    return this.options(id)[name];
  }

  store(bytes: Uint8Array): string {
    const kept = this.world.memory<Uint8Array>('bytes');
    const name = `bytes-${kept.size}`;
    kept.set(name, bytes);
    return name;
  }
  bytes(name: string): Uint8Array {
    const bytes = this.world.memory<Uint8Array>('bytes').get(name);
    if (!bytes) throw new CoreError('Site.bytes', 'only what was kept can be read', name);
    return bytes;
  }

  private slowness(id: string): number {
    const node = this.of(id).pod?.spec.nodeName;
    return node === undefined || !this.outages.length ? 0 : slowMs(this.world.store, node);
  }

  post(from: string, to: string, body: unknown, afterMs: number): void {
    const slow = from === to ? 0 : this.slowness(from) + this.slowness(to);
    this.sent.push({ atMs: this.nowMs + Math.max(1, Math.round(afterMs + slow)), nth: this.nth++, from, to, body });
  }

  /** Answers an ask as unknown unless it is answered sooner. */
  timeout(ask: string, afterMs: number): void {
    this.sent.push({ atMs: this.nowMs + afterMs, nth: this.nth++, from: `~${ask}`, to: `~${ask}`, body: timeoutBody });
  }

  timedOut(to: string, body: unknown): boolean {
    if (!isClient(to)) return false;
    const { is } = body as { is?: string };
    if (is === 'answer-late') {
      this.answer(to.slice(1), (body as LateBody).answer);
      return true;
    }
    if (is !== timeoutBody.is) return false;
    this.answer(to.slice(1), { outcome: 'unknown', says: 'nobody answered within 30 s; it may or may not have been done' });
    return true;
  }

  say(id: string, text: string, grave = false): void {
    this.world.say(`Pod ${this.namespace}/${id}`, text, grave);
  }

  answer(ask: string, answer: Answer): void {
    // What a member says that clients are cut off from never comes to them.
    if (answer.by !== undefined && this.shutFrom(answer.by)) return;
    if (this.answers.has(ask)) return;
    this.answers.set(ask, answer);
    if (this.outages.length) this.answered.push(ask);
  }

  /** Members that an ask may go to. */
  podsAsked(member: string | undefined): Pod[] {
    const all = member === undefined ? this.ids : [member];
    return all.flatMap((id) => {
      const { pod, process } = this.of(id);
      return pod && process ? [pod] : [];
    });
  }

  /** The end of one step of a call: one thing that came was seen to. Whoever waits for a slow volume says all that follows later. */
  stepped(): void {
    if (this.late.size) {
      for (let i = this.stepFrom; i < this.sent.length; i += 1) {
        const mail = this.sent[i]!;
        const lateMs = mail.from === mail.to ? undefined : this.late.get(mail.from);
        if (lateMs !== undefined) this.sent[i] = { ...mail, atMs: mail.atMs + lateMs, late: true };
      }
      for (const ask of this.answered) {
        const answer = this.answers.get(ask)!;
        const lateMs = this.late.get(answer.by ?? '');
        if (lateMs === undefined) continue;
        this.answers.delete(ask);
        const to = `~${ask}`;
        this.sent.push({
          atMs: this.nowMs + lateMs,
          nth: this.nth++,
          from: to,
          to,
          body: { is: 'answer-late', answer } satisfies LateBody
        });
      }
      this.late.clear();
    }
    this.stepFrom = this.sent.length;
    this.answered.length = 0;
  }

  /** What was sent, in the order of each way: nothing overtakes what waits for a slow volume. @param before what is still on its way */
  inOrder(before: readonly Mail[]): readonly Mail[] {
    const lastMs = new Map<string, number>();
    const wayOf = ({ from, to }: Mail) => `${from}|${to}`;
    for (const mail of before) if (mail.late) lastMs.set(wayOf(mail), Math.max(mail.atMs, lastMs.get(wayOf(mail)) ?? 0));
    if (!lastMs.size && !this.sent.some((mail) => mail.late)) return this.sent;
    return this.sent.map((mail) => {
      const way = wayOf(mail);
      const least = lastMs.get(way);
      if (mail.from === mail.to || (!mail.late && least === undefined)) return mail;
      const atMs = Math.max(mail.atMs, least ?? 0);
      lastMs.set(way, atMs);
      return { ...mail, atMs, late: true };
    });
  }

  /** Writes everything that has changed. */
  flush(): void {
    const { world } = this;
    this.volumes.flush();
    for (const [name, answer] of this.answers) {
      const ask = world.store.get('Ask', this.namespace, name);
      if (!ask || ask.status?.outcome) continue;
      const { rows, ...rest } = answer;
      world.put({
        ...ask,
        status: {
          askedMs: ask.status?.askedMs ?? this.nowMs,
          answeredMs: this.nowMs,
          ...rest,
          ...(rows ? { rows: rows.map(([a, b]): [string, string] => [a, b]) } : {})
        }
      });
      world.memory('minds').delete(`${this.namespace}/~${name}`);
    }
    for (const ask of world.store.by<'Ask'>('asks', this.key)) if (!ask.status) world.put({ ...ask, status: { askedMs: this.nowMs } });
    if (!this.engine) return;
    for (const process of this.processes) {
      const id = process.metadata.name;
      // A program that hangs says nothing: it stands as it stood.
      if (this.hangs(id)) continue;
      const pod = this.of(id).pod;
      const fault = pod && this.untrusted(id, pod);
      const found: MemberState = this.engine.standing(this, id);
      const standing: MemberState = fault ? { ...found, ready: false, says: `others refuse it: ${fault}` } : found;
      const { status } = process;
      if (!same(status, standing)) world.put({ ...world.store.get('Process', this.namespace, id)!, status: { ...standing } });
    }
  }
}
