import { clockOf, stampOf, wordsOf } from '../shared';
import { isReady, nodeReady, type ApiObject, type Pod, type StorageClass } from '../model';
import { breakOf, rootLine } from '../rootline';
import { assetOf, backendOf, claimAsset, driverTraits, type Action, type TimedAction, type World } from '../standin';
import type { Check } from './types';

/** What came of trying a class: evidence like any proof, and the actions that led to it, so that they can be repeated elsewhere. */
export interface Trial {
  readonly class: string;
  readonly state: 'holds' | 'broken';
  readonly says: string;
  readonly atMs: number;
  readonly untilMs: number;
  readonly checks: readonly Check[];
  readonly actions: readonly TimedAction[];
}

/** Longest wait for one step of a trial, in virtual ms. */
const mostMs = 600_000;
/** A pod that hasn't come up by then counts as refused, where refusal is what is expected. */
const refusedMs = 90_000;

/** A world with a record of what was done to it. */
class TrialRun {
  readonly actions: TimedAction[] = [];
  readonly checks: Check[] = [];
  readonly space: string;

  constructor(readonly world: World) {
    this.space = `try-it-${Math.floor(world.nowMs / 1_000)}`;
  }
  act(action: Action): void {
    if (this.world.act(action).length === 0) this.actions.push({ atMs: this.world.nowMs, action });
  }
  /** Runs until something holds; gives the time it took, or undefined when it didn't come in time. */
  until(holds: () => boolean, limitMs = mostMs): number | undefined {
    const fromMs = this.world.nowMs;
    while (!holds()) {
      const next = this.world.nextMs;
      if (next === undefined || next > fromMs + limitMs) {
        this.world.runUntil(fromMs + limitMs);
        return holds() ? this.world.nowMs - fromMs : undefined;
      }
      this.world.runUntil(next);
    }
    return this.world.nowMs - fromMs;
  }
  pod(name: string): Pod | undefined {
    return this.world.store.get('Pod', this.space, name);
  }
  check(asked: string, expected: string, got: string, ok: boolean): boolean {
    this.checks.push({ asked, expected, got, ok });
    return ok;
  }
  /** Why a pod isn't up: the first break of its line. */
  why(name: string): string {
    const line = rootLine(this.world.store, { kind: 'Pod', namespace: this.space, name });
    const broken = line && breakOf(line);
    return broken ? `${broken.title}: ${broken.says}` : 'it has not come up in time';
  }
}

const claimName = 'try';

function podYaml(space: string, name: string, node?: string): ApiObject {
  return {
    apiVersion: 'v1',
    kind: 'Pod',
    metadata: { name, namespace: space },
    spec: {
      ...(node ? { nodeSelector: { 'kubernetes.io/hostname': node } } : {}),
      containers: [
        {
          name: 'main',
          image: 'shelf.standin.example/tools/try-it:r1',
          resources: { requests: { cpu: '10m', memory: '16Mi' } },
          volumeMounts: [{ name: 'data', mountPath: '/data' }]
        }
      ],
      volumes: [{ name: 'data', persistentVolumeClaim: { claimName } }]
    }
  };
}

function begin(trial: TrialRun, one: StorageClass): boolean {
  const { store } = trial.world;
  const mode = (driverTraits(store, one.provisioner)?.modes?.[0] ?? 'ReadWriteOnce') as 'ReadWriteOnce';
  const storage = String(backendOf(store, one.provisioner)?.spec.leastSize ?? '1Gi');
  const objects: ApiObject[] = [
    { apiVersion: 'v1', kind: 'Namespace', metadata: { name: trial.space } },
    {
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name: claimName, namespace: trial.space },
      spec: { accessModes: [mode], storageClassName: one.metadata.name, resources: { requests: { storage } } }
    }
  ];
  trial.act({ type: 'send', objects });
  trial.world.runUntil(trial.world.nowMs + 1_000);
  trial.act({ type: 'send', objects: [podYaml(trial.space, 'first')] });
  const bound = trial.until(() => store.get('PersistentVolumeClaim', trial.space, claimName)?.status?.phase === 'Bound');
  const handle = claimAsset(store, trial.space, claimName)?.metadata.name;
  if (
    !trial.check(
      `a claim of ${storage}, ${mode}`,
      'Bound',
      bound === undefined ? trial.why('first') : `Bound after ${wordsOf(bound)}, handle ${handle}`,
      bound !== undefined
    )
  )
    return false;
  const up = trial.until(() => isReady(trial.pod('first')));
  const node = trial.pod('first')?.spec.nodeName;
  return trial.check(
    'a pod mounts it',
    'mounted and ready',
    up === undefined ? trial.why('first') : `on ${node}, ready after ${wordsOf(up)}`,
    up !== undefined
  );
}

function readsBack(trial: TrialRun): void {
  const { store } = trial.world;
  const value = `written at ${stampOf(trial.world.nowMs)}`;
  trial.act({ type: 'write', namespace: trial.space, pod: 'first', key: 'try', value });
  const asset = assetOf(store, trial.pod('first')!);
  const row = asset?.status?.store?.rows.find(([key]) => key === 'try')?.[1];
  trial.check(
    'written and read back',
    value,
    row === undefined ? 'nothing' : `${row}; SHA-256 ${asset!.status!.store!.checksum.slice(0, 12)}…`,
    row === value
  );
}

/** A second pod, on a given node: allowed or refused, as the access mode says. */
function second(trial: TrialRun, name: string, node: string, allowed: boolean, mode: string): void {
  trial.act({ type: 'send', objects: [podYaml(trial.space, name, node)] });
  const up = trial.until(() => isReady(trial.pod(name)), allowed ? mostMs : refusedMs);
  const asked = `a second pod on ${node}`;
  const expected = allowed ? `allowed by ${mode}, and reads what the first wrote` : `refused by ${mode}`;
  if (!allowed) trial.check(asked, expected, up === undefined ? trial.why(name) : 'it came up', up === undefined);
  else {
    const pod = trial.pod(name);
    const row = up !== undefined && pod ? assetOf(trial.world.store, pod)?.status?.store?.rows.find(([key]) => key === 'try') : undefined;
    trial.check(
      asked,
      expected,
      up === undefined ? trial.why(name) : row ? `ready after ${wordsOf(up)}; it reads the row` : 'ready, but it reads nothing',
      row !== undefined
    );
  }
  trial.act({ type: 'remove', ref: { kind: 'Pod', namespace: trial.space, name } });
  trial.until(() => trial.pod(name) === undefined);
}

function clearAway(trial: TrialRun, one: StorageClass): void {
  const { store } = trial.world;
  const asset = claimAsset(store, trial.space, claimName);
  const volume = store.get('PersistentVolumeClaim', trial.space, claimName)?.spec.volumeName ?? '';
  trial.act({ type: 'remove', ref: { kind: 'Namespace', namespace: '', name: trial.space } });
  trial.until(() => !store.get('Namespace', '', trial.space));
  if (!asset) return;
  const keeps = one.reclaimPolicy === 'Retain';
  const { name } = asset.metadata;
  const gone = () => !store.get('Asset', '', name);
  const released = () => store.get('PersistentVolume', '', volume)?.status?.phase === 'Released';
  const came = trial.until(keeps ? released : gone);
  const there = store.get('Asset', '', name) !== undefined;
  trial.check(
    'everything taken away',
    keeps ? 'the policy is Retain: the asset stays, the volume is Released' : 'the policy is Delete: the asset goes',
    there
      ? `${name} is still there${released() ? ', the volume is Released' : ''}`
      : `${name} is gone${came === undefined ? '' : ` after ${wordsOf(came)}`}`,
    keeps ? there && released() : !there
  );
  if (!keeps) return;
  // Nothing of a trial is left behind, whatever the policy.
  trial.act({ type: 'remove', ref: { kind: 'PersistentVolume', namespace: '', name: volume } });
  trial.until(() => !store.get('PersistentVolume', '', volume));
  trial.act({ type: 'remove', ref: { kind: 'Asset', namespace: '', name } });
}

/** Nodes where a second pod could stand: the first's own, and another one. */
function nodesFor(trial: TrialRun): { same: string; other?: string } {
  const same = trial.pod('first')?.spec.nodeName ?? '';
  const plugged = trial.world.store
    .list('Node')
    .filter((node) => nodeReady(node) && !node.spec?.unschedulable && node.metadata.name !== same);
  const other = plugged[0]?.metadata.name;
  return { same, ...(other ? { other } : {}) };
}

/**
 * Tries a class with a throw-away claim and pods: bound, mounted, written, read back, shared as the access mode says, taken away, and
 * the asset gone or kept as the policy says. Runs the world ahead; give it a fork, or repeat its actions on the trunk.
 * @returns undefined when there is no such class
 */
export function tryClass(world: World, name: string): Trial | undefined {
  const one = world.store.get('StorageClass', '', name);
  if (!one) return undefined;
  const trial = new TrialRun(world);
  const atMs = world.nowMs;
  if (begin(trial, one)) {
    readsBack(trial);
    const mode = world.store.get('PersistentVolumeClaim', trial.space, claimName)!.spec.accessModes[0]!;
    const { same, other } = nodesFor(trial);
    second(trial, 'same-node', same, mode !== 'ReadWriteOncePod', mode);
    if (other) second(trial, 'other-node', other, mode === 'ReadWriteMany' || mode === 'ReadOnlyMany', mode);
  }
  clearAway(trial, one);
  const ok = trial.checks.filter((check) => check.ok).length;
  const { checks, actions } = trial;
  return {
    class: name,
    state: ok === checks.length ? 'holds' : 'broken',
    says:
      ok === checks.length
        ? `${name} does all ${ok} things as it should`
        : `${ok} of ${checks.length} as expected; ${checks.find((check) => !check.ok)!.got}`,
    atMs,
    untilMs: world.nowMs,
    checks: [
      ...checks,
      { asked: 'how long', expected: 'some minutes at the most', got: `from ${clockOf(atMs)} to ${clockOf(world.nowMs)}`, ok: true }
    ],
    actions
  };
}
