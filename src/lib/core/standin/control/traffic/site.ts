import { same } from '../../../shared';
import { isReady, pairsMatch, setAskingFor, type AskObject, type Pod, type Process } from '../../../model';
import type { Answer, Engine, Site, MemberState } from '../../engines/site';
import { enginePartOf } from '../../provider/images';
import { memberFault } from '../../provider/policies';
import { hangsSince, isDark, isUnheard, keptApartFrom, nodesReach, slowMs, sluggishMs } from '../../provider/outages';
import { isStranded } from '../nodes/agent/mounts';
import { calledOver, nextTlsMs, talksTls, tlsFault } from '../../provider/tls';
import type { ClusterAccess } from '../loop';
import { mirrorOf } from '../mirrors/facts';
import { isNamed, LinkLooks, overLinkMs, strangers, wayOverFault } from './over-link';
import {
  doubled,
  farMember,
  followsRole,
  isClient,
  timeoutBody,
  unseen,
  wantedIn,
  type LateBody,
  type Mail,
  type Place,
  type Seen
} from './site-types';
import { SiteMemory } from './site-memory';
import { SiteVolumes, type Disk } from './site-volumes';

export type { Mail } from './site-types';

/** What a workload's engine sees of the stand-in during one call. Changes are gathered and written at the end of it. */
export class WorldSite extends SiteMemory implements Site {
  nowMs: number;
  readonly seed: number;
  readonly ids: readonly string[];
  readonly engineId: string | undefined;
  processes: readonly Process[];
  /** Members whose programs run. */
  readonly running: readonly string[];
  sent: Mail[] = [];
  engine: Engine | undefined;
  private readonly seen = new Map<string, Seen>();
  private readonly places: readonly Place[];
  private readonly links = new LinkLooks();
  /** Members that another one of the same name keeps out: their clusters have named them alike. */
  private readonly doubles: { readonly place: Place; readonly process: Process }[] = [];
  private readonly answers = new Map<string, Answer>();
  /** Members that have written to a slow volume in the step of this call: what they say in it leaves so much later (ms). */
  private readonly late = new Map<string, number>();
  private readonly answered: string[] = [];
  private stepFrom = 0;
  /** Until when what was looked up holds, if nothing changes (ms). */
  private sameUntilMs = Infinity;
  private readonly disturbed: boolean;

  /**
   * @param world the cluster that keeps what is under way
   * @param others further clusters that members of the workload stand in
   * @param founder the member that founds the group, where there are others
   */
  constructor(
    world: ClusterAccess,
    namespace: string,
    private readonly key: string,
    public nth: number,
    others: readonly ClusterAccess[] = [],
    founder?: string
  ) {
    super(world, namespace);
    this.nowMs = world.nowMs;
    this.seed = world.seed;
    const worlds = [world, ...others];
    const podsIn = worlds.map((one) => one.store.by<'Pod'>('podsOfWorkload', key));
    const processesIn = worlds.map((one) => one.store.by<'Process'>('processes', key));
    const firstPod = podsIn.flat()[0];
    this.engineId = processesIn.flat()[0]?.spec.engine ?? (firstPod && enginePartOf(firstPod)?.engine);
    this.places = worlds.map((one, i) => ({
      world: one,
      outages: one.store.list('Outage'),
      policies: one.store.list('NetworkPolicy').length > 0,
      volumes: new SiteVolumes(one, namespace, this.engineId ?? ''),
      processes: processesIn[i]!
    }));
    this.disturbed = this.places.some((one) => one.outages.length > 0);
    const processes: Process[] = [];
    const ids: string[] = [];
    this.places.forEach((place, i) => {
      for (const pod of podsIn[i]!) this.placed(pod.metadata.name, place).pod ??= pod;
      for (const one of place.processes)
        if (this.placed(one.metadata.name, place).place === place) {
          this.of(one.metadata.name).process = one;
          processes.push(one);
        } else this.doubles.push({ place, process: one });
      for (const id of wantedIn(place.world, key, podsIn[i]!)) if (!ids.includes(id)) ids.push(id);
    });
    if (founder !== undefined && !ids.includes(founder)) ids.unshift(founder);
    this.processes = processes;
    this.running = processes.map((one) => one.metadata.name);
    this.ids = ids;
  }

  /**
   * For the next call, where nothing outside of the workload has moved since the last: what was looked up stays.
   * @returns whether it can be; a certificate that begins or ceases to hold meanwhile moves without a change
   */
  again(nth: number): boolean {
    const processes = this.world.store.by<'Process'>('processes', this.key);
    if (this.spans || this.world.nowMs >= this.sameUntilMs || processes.length !== this.processes.length) return false;
    this.nowMs = this.world.nowMs;
    this.nth = nth;
    this.sent = [];
    this.answers.clear();
    this.late.clear();
    this.answered.length = this.stepFrom = 0;
    for (const id of this.seen.keys()) if (isClient(id)) this.seen.delete(id);
    this.processes = processes;
    return this.places[0]!.volumes.again();
  }

  /** A member, for the first time seen in a place. */
  private placed(id: string, place: Place): Seen {
    const seen = this.of(id);
    if (seen.place && seen.place !== place) return { ...seen };
    seen.place = place;
    return seen;
  }

  private placeOf(id: string): Place {
    return this.of(id).place ?? this.places[0]!;
  }

  /** The name of the cluster that a place is, where there are several. */
  private readonly clusterOf = (place: Place): string => place.world.store.elsewhere?.here ?? '';

  private of(id: string): Seen {
    let seen = this.seen.get(id);
    if (!seen) this.seen.set(id, (seen = unseen()));
    return seen;
  }

  up(id: string): boolean {
    const seen = this.of(id);
    if (seen.up !== undefined) return seen.up;
    if (isClient(id)) return this.askNamed(id.slice(1))?.status?.outcome === undefined && !this.answers.has(id.slice(1));
    const { outages, world } = this.placeOf(id);
    return (seen.up =
      seen.process !== undefined &&
      seen.pod !== undefined &&
      !((outages.length && isDark(world.store, seen.pod.spec.nodeName ?? '')) || this.hangs(id)));
  }

  /** Whether a member's program hangs: it does nothing, and what comes for it waits. */
  hangs(id: string): boolean {
    const files = this.engineId === 'shared-files';
    if ((!this.disturbed && !files) || isClient(id)) return false;
    const seen = this.of(id);
    if (seen.hangs !== undefined) return seen.hangs;
    const { outages, world } = this.placeOf(id);
    return (seen.hangs =
      hangsSince(world.store, this.namespace, id, outages) !== undefined ||
      (files && seen.pod !== undefined && isStranded(world.store, seen.pod)));
  }

  leaving(id: string): boolean {
    return this.of(id).pod?.metadata.deletionTimestamp !== undefined;
  }

  reach(a: string, b: string): boolean {
    if (a === b) return true;
    if (isClient(a) || isClient(b)) return this.comes(a, b);
    const row = (this.of(a).reached ??= new Map<string, boolean>());
    let through = row.get(b);
    if (through === undefined) row.set(b, (through = this.comes(a, b)));
    return through;
  }

  private comes(a: string, b: string): boolean {
    if (!isClient(a) && !isClient(b)) return this.finds(a, b);
    const [client, member] = isClient(a) ? [a, b] : [b, a];
    if (this.shutFrom(member)) return false;
    const [from, to] = [this.placeOfAsk(client.slice(1)), this.placeOf(member)];
    return from === to || this.links.fault(from.world.store, this.clusterOf(to)) === undefined;
  }

  /** Whether clients don't come to a member: it is cut off from them, or its node is. */
  shutFrom(id: string): boolean {
    if (!this.disturbed) return false;
    const { outages, world } = this.placeOf(id);
    if (!outages.length) return false;
    const node = this.of(id).pod?.spec.nodeName;
    return keptApartFrom(outages, this.namespace, id, 'clients') || (node !== undefined && isUnheard(world.store, node));
  }

  private finds(a: string, b: string): boolean {
    const one = this.of(a).pod;
    const two = this.of(b).pod;
    if (!one || !two) return false;
    const [here, there] = [this.placeOf(a), this.placeOf(b)];
    if (this.disturbed && [a, b].some((id) => keptApartFrom(this.placeOf(id).outages, this.namespace, id, 'members'))) return false;
    if (here !== there) return this.findsOver(a, b, one, two);
    const { store } = here.world;
    if (here.outages.length && !nodesReach(store, one.spec.nodeName ?? '', two.spec.nodeName ?? '')) return false;
    // Who may call is answered: one of the two has to be let through.
    if (here.policies && memberFault(store, one, two) && memberFault(store, two, one)) return false;
    if (this.untrusted(a, one) || this.untrusted(b, two)) return false;
    return this.met(a, b) || this.meets(a, two) || this.meets(b, one);
  }

  /** The same where the two stand in different clusters: over the link between them, by names that it carries. */
  private findsOver(a: string, b: string, one: Pod, two: Pod): boolean {
    const [here, there] = [this.placeOf(a), this.placeOf(b)];
    const [from, to] = [farMember(here, one), farMember(there, two)];
    if (wayOverFault(from, to, this.links) !== undefined || this.untrusted(a, one) || this.untrusted(b, two)) return false;
    const { workload } = this;
    if (talksTls(this.options(a)) && strangers(from, to, workload)) return false;
    if (this.met(a, b)) return true;
    return (isNamed(from, to, this.links) && this.meets(a, two)) || (isNamed(to, from, this.links) && this.meets(b, one));
  }

  /** Why others don't talk to a member: where members show certificates, it has none that holds for its name. */
  untrusted(id: string, pod: Pod): string | undefined {
    const seen = this.of(id);
    if (seen.untrusted === undefined) {
      const tls = talksTls(this.options(id));
      seen.untrusted = (tls ? this.shownFault(id, pod) : undefined) ?? null;
      if (tls) this.sameUntilMs = Math.min(this.sameUntilMs, nextTlsMs(this.placeOf(id).world.store, pod));
    }
    return seen.untrusted ?? undefined;
  }

  /** What others don't take of a member's certificate: in its own cluster, and where there are others, under the name it has over there. */
  private shownFault(id: string, pod: Pod): string | undefined {
    const { store } = this.placeOf(id).world;
    return tlsFault(store, pod) ?? (this.spans ? tlsFault(store, pod, calledOver(store, pod)) : undefined);
  }

  private met(a: string, b: string): boolean {
    return this.knows(this.of(a).process?.metadata.uid, b, this.of(b).process?.metadata.uid);
  }

  private meets(a: string, other: Pod): boolean {
    const { subdomain } = other.spec;
    const service = this.placeOf(other.metadata.name).world.store.get('Service', this.namespace, subdomain ?? '');
    const found =
      service?.spec.clusterIP === 'None' &&
      pairsMatch(service.spec.selector, other.metadata.labels) &&
      (service.spec.publishNotReadyAddresses === true || isReady(other));
    if (!found) return false;
    const [mine, theirs] = [this.of(a).process?.metadata.uid, this.of(other.metadata.name).process?.metadata.uid];
    if (mine && theirs) {
      this.keepsInMind(mine, other.metadata.name, theirs);
      this.keepsInMind(theirs, a, mine);
    }
    return true;
  }

  private disksOf(id: string, seen: Seen): readonly Disk[] {
    return (seen.disks ??= (seen.place ?? this.places[0]!).volumes.of(id, seen.pod));
  }

  disks(id: string): number {
    return this.disksOf(id, this.of(id)).length;
  }

  disk<T>(id: string, nth = 0): T | undefined {
    const seen = this.of(id);
    return (seen.place ?? this.places[0]!).volumes.read(this.disksOf(id, seen), id, seen.pod, nth) as T | undefined;
  }

  keep(id: string, data: unknown, nth = 0): void {
    const seen = this.of(id);
    const { outages, volumes } = seen.place ?? this.places[0]!;
    const disks = this.disksOf(id, seen);
    const pod = outages.length ? seen.pod : undefined;
    const lateMs = pod && volumes.read(disks, id, pod, nth) !== data ? sluggishMs(outages, pod) : 0;
    if (lateMs > 0) this.late.set(id, lateMs);
    volumes.keep(disks, id, seen.pod, data, nth);
  }

  mind<T>(id: string): T | undefined {
    const seen = this.of(id);
    if (!seen.mindRead) [seen.mind, seen.mindRead] = [this.mindOf(id, seen.process?.metadata.uid), true];
    return seen.mind as T | undefined;
  }

  think(id: string, data: unknown): void {
    const seen = this.of(id);
    [seen.mind, seen.mindRead] = [data, true];
    this.keepMind(id, seen.process?.metadata.uid, data);
  }

  part(id: string): string {
    const pod = this.of(id).pod;
    const part = this.of(id).process?.spec.part ?? (pod && enginePartOf(pod)?.part);
    if (part !== undefined) return part;
    const set = setAskingFor(this.placeOf(id).world.store, this.namespace, id);
    return (set && enginePartOf(set.spec.template)?.part) ?? '';
  }

  options(id: string): Readonly<Record<string, string>> {
    return this.of(id).process?.spec.options ?? {};
  }
  option(id: string, name: string): string | undefined {
    return this.options(id)[name];
  }

  private slowness(id: string): number {
    const node = this.of(id).pod?.spec.nodeName;
    const { outages, world } = this.placeOf(id);
    return node === undefined || !outages.length ? 0 : slowMs(world.store, node);
  }

  post(from: string, to: string, body: unknown, afterMs: number): void {
    const slow = from === to ? 0 : this.slowness(from) + this.slowness(to);
    const over = from === to || !this.spans ? 0 : this.overLink(from, to, body);
    const atMs = this.nowMs + Math.max(1, Math.round(afterMs + slow + over));
    // What was lost and sent again isn't overtaken by what was sent after it.
    this.sent.push({ atMs, nth: this.nth++, from, to, body, ...(over > 0 ? { late: true as const } : {}) });
  }

  /** How much longer something takes over a link, in ms: its delay, its bandwidth for what is large, and sending again what got lost. */
  private overLink(from: string, to: string, body: unknown): number {
    const placeOf = (id: string) => (isClient(id) ? this.placeOfAsk(id.slice(1)) : this.placeOf(id));
    const [here, there] = [placeOf(from), placeOf(to)];
    if (here === there) return 0;
    return overLinkMs(here.world.store, this.clusterOf(there), this.links, body, `${from}|${to}|${this.nth}`, this.seed);
  }

  private toItself(ask: string, afterMs: number, body: unknown): void {
    this.sent.push({ atMs: this.nowMs + afterMs, nth: this.nth++, from: `~${ask}`, to: `~${ask}`, body });
  }

  /** Answers an ask as unknown unless it is answered sooner. */
  timeout(ask: string, afterMs: number): void {
    this.toItself(ask, afterMs, timeoutBody);
  }

  timedOut(to: string, body: unknown): boolean {
    if (!isClient(to)) return false;
    const { is } = body as { is?: string };
    if (is === 'answer-late') {
      this.give(to.slice(1), (body as LateBody).answer);
      return true;
    }
    if (is !== timeoutBody.is) return false;
    this.answer(to.slice(1), { outcome: 'unknown', says: 'nobody answered within 30 s; it may or may not have been done' });
    return true;
  }

  say(id: string, text: string, grave = false): void {
    this.placeOf(id).world.say(`Pod ${this.namespace}/${id}`, text, grave);
  }

  answer(ask: string, answer: Answer): void {
    const roundMs = answer.by === undefined || !this.spans ? 0 : this.roundMs(ask, answer.by);
    if (roundMs === 0) return this.give(ask, answer);
    this.toItself(ask, roundMs, { is: 'answer-late', answer } satisfies LateBody);
  }

  /** Whether members stand in several clusters. */
  get spans(): boolean {
    return this.places.length > 1;
  }

  /** How long a client's call to a member and the answer are under way between clusters, in ms. */
  private roundMs(ask: string, member: string): number {
    const [from, to] = [this.placeOfAsk(ask), this.placeOf(member)];
    return from === to ? 0 : 2 * this.links.delayMs(from.world.store, this.clusterOf(to));
  }

  private give(ask: string, answer: Answer): void {
    // What a member says that clients are cut off from never comes to them.
    if (answer.by !== undefined && (this.spans ? !this.reach(`~${ask}`, answer.by) : this.shutFrom(answer.by))) return;
    if (this.answers.has(ask)) return;
    this.answers.set(ask, answer);
    if (this.disturbed) this.answered.push(ask);
  }

  /** Where a client asks from: its ask stands there. Asks in other clusters than the first carry the cluster's name behind an @. */
  private placeOfAsk(ask: string): Place {
    const at = ask.indexOf('@');
    return (at < 0 ? undefined : this.places.find((one) => this.clusterOf(one) === ask.slice(at + 1))) ?? this.places[0]!;
  }

  private askNamed(ask: string): AskObject | undefined {
    return this.placeOfAsk(ask).world.store.get('Ask', this.namespace, ask.split('@')[0]!);
  }

  /** All that clients ask, in all clusters: under which name it is known here, and where it stands. */
  asks(): { readonly name: string; readonly ask: AskObject; readonly world: ClusterAccess }[] {
    if (!this.spans)
      return this.world.store.by<'Ask'>('asks', this.key).map((ask) => ({ name: ask.metadata.name, ask, world: this.world }));
    return this.places.flatMap((place, i) =>
      place.world.store.by<'Ask'>('asks', this.key).map((ask) => ({
        name: i === 0 ? ask.metadata.name : `${ask.metadata.name}@${this.clusterOf(place)}`,
        ask,
        world: place.world
      }))
    );
  }

  /** Members that an ask may go to: those of the cluster that it is asked in, or the one that it names. */
  podsAsked(member: string | undefined, world: ClusterAccess): Pod[] {
    const all = member === undefined ? this.ids.filter((id) => this.placeOf(id).world === world) : [member];
    return all.flatMap((id) => {
      const { pod, process } = this.of(id);
      return pod && process ? [pod] : [];
    });
  }

  /** The cluster that a member stands in. */
  worldOf(id: string): ClusterAccess {
    return this.placeOf(id).world;
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
        this.toItself(ask, lateMs, { is: 'answer-late', answer } satisfies LateBody);
      }
      this.late.clear();
    }
    this.stepFrom = this.sent.length;
    this.answered.length = 0;
  }

  /** Writes everything that has changed. */
  flush(): void {
    for (const { volumes } of this.places) volumes.flush();
    for (const [name, answer] of this.answers) {
      const ask = this.askNamed(name);
      if (!ask || ask.status?.outcome) continue;
      const { rows, ...rest } = answer;
      this.placeOfAsk(name).world.put({
        ...ask,
        status: {
          askedMs: ask.status?.askedMs ?? this.nowMs,
          answeredMs: this.nowMs,
          ...rest,
          ...(rows ? { rows: rows.map(([a, b]): [string, string] => [a, b]) } : {})
        }
      });
      this.forget(`~${name}`);
    }
    for (const { ask, world } of this.asks()) if (!ask.status) world.put({ ...ask, status: { askedMs: this.nowMs } });
    if (!this.engine) return;
    for (const { place, process } of this.doubles) this.stands(place.world, process, doubled);
    for (const process of this.processes) {
      const id = process.metadata.name;
      // A program that hangs says nothing: it stands as it stood.
      if (this.hangs(id)) continue;
      const pod = this.of(id).pod;
      const fault = pod && this.untrusted(id, pod);
      const found: MemberState = this.engine.standing(this, id);
      const told = found.role === 'primary' && this.follows(this.placeOf(id)) ? { ...found, role: followsRole } : found;
      const standing: MemberState = fault ? { ...told, ready: false, says: `others refuse it: ${fault}` } : told;
      this.stands(this.placeOf(id).world, process, standing);
    }
  }

  private get workload(): string {
    return this.key.slice(this.namespace.length + 1);
  }

  /** Whether the workload follows one of another cluster: whoever leads then only takes over what comes from there. */
  private follows({ world }: Place): boolean {
    return mirrorOf(world.store, this.namespace, this.workload) !== undefined;
  }

  private stands(world: ClusterAccess, { metadata, status }: Process, standing: MemberState): void {
    const now = world.store.get('Process', this.namespace, metadata.name);
    if (now && !same(status, standing)) world.put({ ...now, status: { ...standing } });
  }
}
