import type { Proof } from '$core/proofs';
import { blueprintNamed } from '$core/blueprints';
import {
  driverPartOf,
  enginePartOf,
  isSupposed,
  poolPartOf,
  workloadOfTemplate,
  type History,
  type LogLine,
  type Step,
  type Store,
  type TimedAction,
  type World
} from '$core/standin';
import type { DaemonSet, Deployment, Facts, StatefulSet } from '$core/model';
import type { Clock } from '../rehearsals/clock';

/** What a view is made from: one rehearsal at its clock's head. */
export interface Scene {
  readonly facts: Store;
  readonly clock: Clock;
  readonly steps: readonly Step[];
  /** What members wrote into their logs, up to the world's frontier. */
  readonly lines: readonly LogLine[];
  readonly history: History;
  readonly actions: readonly TimedAction[];
  fork(): World;
}

/** A reference as it travels in links and JSON. */
export interface PlainRef {
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
}

export type KeptProofs = readonly (Proof & { namespace: string; set: string })[];

const byName = (a: { metadata: { namespace?: string | undefined; name: string } }, b: typeof a): number => {
  const [x, y] = [`${a.metadata.namespace}/${a.metadata.name}`, `${b.metadata.namespace}/${b.metadata.name}`];
  return x < y ? -1 : x > y ? 1 : 0;
};

/** Stateful sets, in a fixed order. */
export const setsOf = (facts: Facts): StatefulSet[] => facts.list('StatefulSet').sort(byName);

/** Deployments that aren't part of a driver. */
export const deploymentsOf = (facts: Facts): Deployment[] =>
  facts
    .list('Deployment')
    .filter((one) => !driverPartOf(one.spec.template.spec) && !poolPartOf(one.spec.template.spec))
    .sort(byName);

/** What an engine is called that a program is supposed to behave like. */
const supposedTitle = ({ spec }: StatefulSet | Deployment | DaemonSet): string | undefined => {
  const part = isSupposed(spec.template) ? enginePartOf(spec.template) : undefined;
  const title = part && blueprintNamed(part.engine)?.title;
  return title && `supposed: ${title}`;
};

/** The kind of workload, as its label says, or as a card supposes; else what it is to the cluster. */
export const blueprintOf = (one: StatefulSet | Deployment | DaemonSet): string =>
  blueprintNamed(one.metadata.labels?.['standin.example/blueprint'] ?? '')?.title ??
  supposedTitle(one) ??
  (one.kind === 'StatefulSet' ? 'stateful set' : one.kind === 'DaemonSet' ? 'daemon set' : 'deployment');

/** Daemon sets of workloads: those whose members run an engine. */
export const daemonSetsOf = (facts: Facts): DaemonSet[] =>
  facts
    .list('DaemonSet')
    .filter((one) => enginePartOf(one.spec.template))
    .sort(byName);

/** Names of all workloads, each once: sets, and what else runs an engine. */
export function workloadsOf(facts: Facts): { namespace: string; name: string }[] {
  const engines = [...deploymentsOf(facts).filter((one) => enginePartOf(one.spec.template)), ...daemonSetsOf(facts)];
  const found = new Map<string, { namespace: string; name: string }>();
  for (const one of [...setsOf(facts), ...engines]) {
    const [namespace, name] = [one.metadata.namespace ?? '', workloadOfTemplate(one)];
    found.set(`${namespace}/${name}`, { namespace, name });
  }
  return [...found.values()];
}

export { byName };
