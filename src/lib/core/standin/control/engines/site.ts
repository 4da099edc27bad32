import { CoreError, same } from '../../../shared';
import { isReady, memberName, ordinalsOf, pairsMatch, type Asset, type Pod, type Process } from '../../../model';
import { sealedOver } from '../../engines/little-store';
import { assetsOf } from '../../engines/processes';
import { rowsIn } from '../../engines/registry';
import type { Answer, Engine, Site, Standing } from '../../engines/site';
import { enginePartOf, partOfLabel } from '../../provider/images';
import { isDark, nodesReach, slowMs } from '../../provider/outages';
import { talksTls, tlsFault } from '../../provider/tls';
import type { Hands } from '../loop';

/** Something on its way from one member (or client) to another. */
export interface Mail {
  readonly atMs: number;
  readonly nth: number;
  readonly from: string;
  readonly to: string;
  readonly body: unknown;
}

interface Kept<T> {
  readonly process: string;
  readonly data: T;
}

const timeoutBody = { is: 'timeout' } as const;
const isClient = (id: string): boolean => id.startsWith('~');

/** What a workload's engine sees of the stand-in during one call. Changes are gathered and written at the end of it. */
export class WorldSite implements Site {
  readonly nowMs: number;
  readonly seed: number;
  readonly ids: readonly string[];
  readonly engineId: string | undefined;
  readonly processes = new Map<string, Process>();
  readonly sent: Mail[] = [];
  engine: Engine | undefined;
  private readonly pods = new Map<string, Pod>();
  private readonly assets = new Map<string, readonly Asset[]>();
  private readonly disksKept = new Map<string, unknown>();
  private readonly beside = new Map<string, unknown>();
  private readonly answers = new Map<string, Answer>();

  constructor(
    private readonly world: Hands,
    private readonly namespace: string,
    private readonly workload: string,
    public nth: number
  ) {
    this.nowMs = world.nowMs;
    this.seed = world.seed;
    const key = `${namespace}/${workload}`;
    for (const pod of world.store.by<'Pod'>('podsOfWorkload', key)) this.pods.set(pod.metadata.name, pod);
    for (const one of world.store.by<'Process'>('processes', key)) this.processes.set(one.metadata.name, one);
    this.ids = this.wanted();
    const [process] = this.processes.values();
    const [pod] = this.pods.values();
    this.engineId = process?.spec.engine ?? (pod && enginePartOf(pod.spec)?.engine);
  }

  /** Members that ought to be: those of the workload's sets, then whatever else runs for it. */
  private wanted(): string[] {
    const sets = this.world.store
      .list('StatefulSet', this.namespace)
      .filter(
        (set) =>
          (set.spec.template.metadata?.labels?.[partOfLabel] ?? set.metadata.name) === this.workload && enginePartOf(set.spec.template.spec)
      );
    const members = sets.flatMap((set) => ordinalsOf(set).map((ordinal) => memberName(set, ordinal)));
    const known = new Set(members);
    const owners = new Set(sets.map((set) => set.metadata.uid));
    const others = [...this.pods.values()].filter(
      (pod) => !known.has(pod.metadata.name) && !pod.metadata.ownerReferences?.some((one) => owners.has(one.uid))
    );
    return [...members, ...others.map((pod) => pod.metadata.name).sort()];
  }

  get running(): Iterable<string> {
    return this.processes.keys();
  }

  up = (id: string): boolean => {
    if (isClient(id))
      return this.world.store.get('Ask', this.namespace, id.slice(1))?.status?.outcome === undefined && !this.answers.has(id.slice(1));
    const pod = this.pods.get(id);
    return this.processes.has(id) && pod !== undefined && !isDark(this.world.store, pod.spec.nodeName ?? '');
  };

  leaving = (id: string): boolean => this.pods.get(id)?.metadata.deletionTimestamp !== undefined;

  reach = (a: string, b: string): boolean => {
    if (a === b || isClient(a) || isClient(b)) return true;
    const [one, two] = [this.pods.get(a), this.pods.get(b)];
    if (!one || !two || !nodesReach(this.world.store, one.spec.nodeName ?? '', two.spec.nodeName ?? '')) return false;
    if (this.untrusted(a, one) || this.untrusted(b, two)) return false;
    return this.met(a, b) || this.finds(a, two) || this.finds(b, one);
  };

  /** Why others don't talk to a member: where members show certificates, it has none that holds for its name. */
  untrusted(id: string, pod: Pod): string | undefined {
    return talksTls(this.options(id)) ? tlsFault(this.world.store, pod) : undefined;
  }

  /** Members that have met keep each other's address for as long as both programs run. */
  private met(a: string, b: string): boolean {
    const known = this.world.memory<Readonly<Record<string, string>>>('met').get(this.processes.get(a)?.metadata.uid ?? '');
    return known !== undefined && known[b] === this.processes.get(b)?.metadata.uid;
  }

  private finds(a: string, other: Pod): boolean {
    const { subdomain } = other.spec;
    const service = this.world.store.get('Service', this.namespace, subdomain ?? '');
    const found =
      service?.spec.clusterIP === 'None' &&
      pairsMatch(service.spec.selector, other.metadata.labels) &&
      (service.spec.publishNotReadyAddresses === true || isReady(other));
    if (!found) return false;
    const [mine, theirs] = [this.processes.get(a)?.metadata.uid, this.processes.get(other.metadata.name)?.metadata.uid];
    const met = this.world.memory<Readonly<Record<string, string>>>('met');
    if (mine && theirs) {
      met.set(mine, { ...met.get(mine), [other.metadata.name]: theirs });
      met.set(theirs, { ...met.get(theirs), [a]: mine });
    }
    return true;
  }

  /** Assets behind a member's claims: its pod's, or, where it doesn't run, none. */
  private assetsFor(id: string): readonly Asset[] {
    let found = this.assets.get(id);
    if (!found) {
      const pod = this.pods.get(id);
      found = pod ? assetsOf(this.world.store, pod) : this.keptAssets(id);
      this.assets.set(id, found);
    }
    return found;
  }

  /** The volumes of a member that has no pod just now, by the claims that its set made for it. */
  private keptAssets(id: string): Asset[] {
    return this.world.store.list('StatefulSet', this.namespace).flatMap((set) => {
      if (!ordinalsOf(set).some((ordinal) => memberName(set, ordinal) === id)) return [];
      return (set.spec.volumeClaimTemplates ?? []).flatMap((template) => {
        const claim = this.world.store.get('PersistentVolumeClaim', this.namespace, `${template.metadata.name}-${id}`);
        const volume = this.world.store.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
        const asset = this.world.store.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
        return asset ? [asset] : [];
      });
    });
  }

  disks = (id: string): number => this.assetsFor(id).length;

  disk = <T>(id: string, nth = 0): T | undefined => {
    const asset = this.assetsFor(id)[nth];
    if (asset) {
      // Shared files lie in the volume as they are: whoever mounts it writes there too.
      const there = this.engineId === 'shared-files' ? asset.status?.store?.rows : asset.status?.engine;
      const kept = this.disksKept.has(asset.metadata.name) ? this.disksKept.get(asset.metadata.name) : there;
      return kept as T | undefined;
    }
    if (nth > 0 || this.assetsFor(id).length) return undefined;
    return (this.beside.has(id) ? this.beside.get(id) : this.besideMemory(id)) as T | undefined;
  };

  private besideMemory(id: string): unknown {
    const uid = this.pods.get(id)?.metadata.uid;
    return uid === undefined ? undefined : this.world.memory<unknown>('beside').get(uid);
  }

  keep = (id: string, data: unknown, nth = 0): void => {
    const asset = this.assetsFor(id)[nth];
    if (asset) this.disksKept.set(asset.metadata.name, data);
    else this.beside.set(id, data);
  };

  mind = <T>(id: string): T | undefined => {
    const kept = this.world.memory<Kept<T>>('minds').get(`${this.namespace}/${id}`);
    if (kept && isClient(id)) return kept.data;
    return kept && kept.process === this.processes.get(id)?.metadata.uid ? kept.data : undefined;
  };

  think = (id: string, data: unknown): void => {
    const process = this.processes.get(id)?.metadata.uid ?? '';
    this.world.memory<Kept<unknown>>('minds').set(`${this.namespace}/${id}`, { process, data });
  };

  part = (id: string): string => {
    const pod = this.pods.get(id);
    const part = this.processes.get(id)?.spec.part ?? (pod && enginePartOf(pod.spec)?.part);
    if (part !== undefined) return part;
    const set = this.world.store
      .list('StatefulSet', this.namespace)
      .find((one) => ordinalsOf(one).some((ordinal) => memberName(one, ordinal) === id));
    return (set && enginePartOf(set.spec.template.spec)?.part) ?? '';
  };

  options = (id: string): Readonly<Record<string, string>> => this.processes.get(id)?.spec.options ?? {};
  option = (id: string, name: string): string | undefined => this.options(id)[name];

  store = (bytes: Uint8Array): string => {
    const kept = this.world.memory<Uint8Array>('bytes');
    const name = `bytes-${kept.size}`;
    kept.set(name, bytes);
    return name;
  };
  bytes = (name: string): Uint8Array => {
    const bytes = this.world.memory<Uint8Array>('bytes').get(name);
    if (!bytes) throw new CoreError('Site.bytes', 'only what was kept can be read', name);
    return bytes;
  };

  private slowness(id: string): number {
    const node = this.pods.get(id)?.spec.nodeName;
    return node === undefined ? 0 : slowMs(this.world.store, node);
  }

  post = (from: string, to: string, body: unknown, afterMs: number): void => {
    const slow = from === to ? 0 : this.slowness(from) + this.slowness(to);
    this.sent.push({ atMs: this.nowMs + Math.max(1, Math.round(afterMs + slow)), nth: this.nth++, from, to, body });
  };

  /** Answers an ask as unknown unless it is answered sooner. */
  timeout(ask: string, afterMs: number): void {
    this.sent.push({ atMs: this.nowMs + afterMs, nth: this.nth++, from: `~${ask}`, to: `~${ask}`, body: timeoutBody });
  }

  timedOut(to: string, body: unknown): boolean {
    if ((body as { is?: string }).is !== timeoutBody.is) return false;
    this.answer(to.slice(1), { outcome: 'unknown', says: 'nobody answered within 30 s; it may or may not have been done' });
    return true;
  }

  say = (id: string, text: string, grave = false): void => this.world.say(`Pod ${this.namespace}/${id}`, text, grave);

  answer = (ask: string, answer: Answer): void => {
    if (!this.answers.has(ask)) this.answers.set(ask, answer);
  };

  /** Members that an ask may go to. */
  podsAsked(member: string | undefined): Pod[] {
    const all = member === undefined ? this.ids : [member];
    return all.flatMap((id) => (this.processes.has(id) && this.pods.has(id) ? [this.pods.get(id)!] : []));
  }

  /** Writes everything that has changed. */
  flush(): void {
    const { world } = this;
    for (const list of this.assets.values())
      for (const asset of list) {
        const { name } = asset.metadata;
        if (this.disksKept.has(name)) this.keepAsset(name, this.disksKept.get(name));
      }
    for (const [id, data] of this.beside) {
      const uid = this.pods.get(id)?.metadata.uid;
      if (uid !== undefined) world.memory<unknown>('beside').set(uid, data);
    }
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
    for (const ask of world.store.by<'Ask'>('asks', `${this.namespace}/${this.workload}`))
      if (!ask.status) world.put({ ...ask, status: { askedMs: this.nowMs } });
    if (!this.engine) return;
    for (const [id, process] of this.processes) {
      const pod = this.pods.get(id);
      const fault = pod && this.untrusted(id, pod);
      const found: Standing = this.engine.standing(this, id);
      const standing: Standing = fault ? { ...found, ready: false, says: `others refuse it: ${fault}` } : found;
      const { status } = process;
      if (!same(status, standing)) world.put({ ...world.store.get('Process', this.namespace, id)!, status: { ...standing } });
    }
  }

  private keepAsset(name: string, data: unknown): void {
    const asset = this.world.store.get('Asset', '', name);
    if (!asset || asset.status?.engine === data) return;
    if (this.engineId === 'shared-files') {
      const rows = data as [string, string][];
      if (asset.status?.store?.rows !== rows)
        this.world.put({ ...asset, status: { attachedTo: [], ...asset.status, store: sealedOver(asset.status?.store, rows) } });
      return;
    }
    const before = rowsIn(this.engineId ?? '', asset.status?.engine);
    const rows = rowsIn(this.engineId ?? '', data);
    const store = rows && !(before && same(before, rows)) ? sealedOver(asset.status?.store, rows) : asset.status?.store;
    this.world.put({ ...asset, status: { attachedTo: [], ...asset.status, engine: data, ...(store ? { store } : {}) } });
  }
}
