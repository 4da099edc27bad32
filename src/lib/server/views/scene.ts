import type { Proof } from '$core/proofs';
import { driverPartOf, poolPartOf, type History, type Step, type Store, type TimedAction, type World } from '$core/standin';
import type { Deployment, StatefulSet } from '$core/model';
import type { Clock } from '../rehearsals/host';

/** What a view is made from: one rehearsal at its clock's head. */
export interface Scene {
  readonly facts: Store;
  readonly clock: Clock;
  readonly steps: readonly Step[];
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
export const setsOf = (facts: Store): StatefulSet[] => facts.list('StatefulSet').sort(byName);

/** Deployments that aren't part of a driver. */
export const deploymentsOf = (facts: Store): Deployment[] =>
  facts
    .list('Deployment')
    .filter((one) => !driverPartOf(one.spec.template.spec) && !poolPartOf(one.spec.template.spec))
    .sort(byName);

const blueprints: Readonly<Record<string, string>> = {
  'multi-primary-sql': 'multi-primary SQL',
  'log-broker': 'log broker',
  'image-shelf': 'image shelf',
  'shared-files': 'shared files'
};

/** The kind of workload, as its label says; else what it is to the cluster. */
export const blueprintOf = (one: StatefulSet | Deployment): string =>
  blueprints[one.metadata.labels?.['standin.example/blueprint'] ?? ''] ?? (one.kind === 'StatefulSet' ? 'stateful set' : 'deployment');

export { byName };
