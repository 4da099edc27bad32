import type { DaemonSet, Deployment, Facts, Pod, StatefulSet, Way } from '../model';
import { enginePartOf, hasEngine, workloadOf, workloadOfTemplate, type EngineId, type Op, type World } from '../standin';

/** Everything that makes one workload: its sets, and whatever else belongs to it by its label. */
export interface Workload {
  readonly namespace: string;
  readonly name: string;
  /** The engine in its members; undefined where they run something else. */
  readonly engine?: EngineId;
  readonly sets: readonly StatefulSet[];
  readonly deployments: readonly Deployment[];
  readonly daemonSets: readonly DaemonSet[];
}

/** A workload by its name, or by the name of one of its sets; undefined where nothing of that name stands. */
export function workloadNamed(facts: Facts, namespace: string, name: string): Workload | undefined {
  const named =
    facts.get('StatefulSet', namespace, name) ?? facts.get('Deployment', namespace, name) ?? facts.get('DaemonSet', namespace, name);
  const whole = named ? workloadOfTemplate(named) : name;
  const mine = <T extends StatefulSet | Deployment | DaemonSet>(list: readonly T[]): T[] =>
    list.filter((one) => workloadOfTemplate(one) === whole);
  const sets = mine(facts.list('StatefulSet', namespace));
  const deployments = mine(facts.list('Deployment', namespace));
  const daemonSets = mine(facts.list('DaemonSet', namespace));
  const all = [...sets, ...deployments, ...daemonSets];
  if (!all.length) return undefined;
  const engine = all.map((one) => enginePartOf(one.spec.template)?.engine).find((one) => one !== undefined);
  return { namespace, name: whole, ...(engine !== undefined && hasEngine(engine) ? { engine } : {}), sets, deployments, daemonSets };
}

/** Pods of a workload, by name. */
export const podsIn = (facts: Facts, { namespace, name }: Pick<Workload, 'namespace' | 'name'>): Pod[] =>
  facts
    .list('Pod', namespace)
    .filter((pod) => enginePartOf(pod) && workloadOf(pod) === name)
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));

/** Pods of one part of a workload. */
export const partsIn = (facts: Facts, workload: Pick<Workload, 'namespace' | 'name'>, part: string): Pod[] =>
  podsIn(facts, workload).filter((pod) => enginePartOf(pod)?.part === part);

/** How something was answered; `refused` too when it couldn't even be asked. */
export interface Reply {
  readonly outcome: 'acknowledged' | 'refused' | 'unknown';
  readonly says: string;
  readonly rows: readonly (readonly [string, string])[];
  readonly count?: number;
  readonly bytes?: number;
  readonly checksum?: string;
  readonly tookMs: number;
}

const longestAskMs = 60_000;

/** A client on a fork: asks, and runs the clock until it has an answer. */
export class Client {
  private n = 0;

  constructor(
    readonly world: World,
    private readonly workload: Pick<Workload, 'namespace' | 'name'>
  ) {}

  ask(op: Op, more: { member?: string; way?: Way; login?: 'right' | 'wrong' | 'none'; account?: string } = {}): Reply {
    const { world } = this;
    const { namespace, name } = this.workload;
    const id = `proof-${world.nowMs}-${this.n++}`;
    const { member, way = 'inside', login = 'right', account } = more;
    const fromMs = world.nowMs;
    const refusals = world.act({
      type: 'ask',
      namespace,
      id,
      ask: { workload: name, way, login, op, ...(member === undefined ? {} : { member }), ...(account === undefined ? {} : { account }) }
    });
    const failed = (says: string): Reply => ({ outcome: 'refused', says, rows: [], tookMs: world.nowMs - fromMs });
    if (refusals.length) return failed(refusals[0]!.message);
    for (;;) {
      const status = world.store.get('Ask', namespace, id)?.status;
      if (status?.outcome) {
        const { outcome, says = '', rows = [], count, bytes, checksum, answeredMs = world.nowMs } = status;
        return {
          outcome,
          says,
          rows,
          ...(count === undefined ? {} : { count }),
          ...(bytes === undefined ? {} : { bytes }),
          ...(checksum === undefined ? {} : { checksum }),
          tookMs: answeredMs - fromMs
        };
      }
      const next = world.nextMs;
      if (next === undefined || next - fromMs > longestAskMs) return failed('no answer came');
      world.runUntil(next);
    }
  }

  /** Takes power from nodes, or gives it back with none. @param cluster of the common clock, where it is another one; '' is this one */
  dark(nodes: readonly string[], cluster = ''): void {
    const world = cluster === '' ? this.world : this.world.company!.worlds.at(cluster, this.world.nowMs)!;
    if (nodes.length)
      world.act({
        type: 'send',
        objects: [{ apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'proof' }, spec: { dark: [...nodes] } }]
      });
    else world.act({ type: 'remove', ref: { kind: 'Outage', namespace: '', name: 'proof' } });
  }

  run(ms: number): void {
    this.world.runUntil(this.world.nowMs + ms);
  }
}
