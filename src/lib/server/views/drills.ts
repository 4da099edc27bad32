import {
  derive,
  drilled,
  faultNamed,
  hasWayIn,
  notNow,
  offers,
  supposedIn,
  usualPace,
  type Derived,
  type Drill,
  type DrillPace,
  type Expectation,
  type FaultId,
  type Offer
} from '$core/drills';
import { workloadNamed } from '$core/proofs';
import { enginePartOf } from '$core/standin';
import { blueprintOf, workloadsOf, type Scene } from './scene';

/** A workload with what can be tried on it. */
export interface Drillable {
  readonly namespace: string;
  readonly name: string;
  /** What it is, in a few words. */
  readonly kind: string;
  readonly offers: readonly Offer[];
  /** What cards suppose of it; empty where all of it ships with the stand-in. */
  readonly supposed: readonly string[];
  /** Whether clients come to it from outside, too. */
  readonly outside: boolean;
  /** Why nothing can be tried just now; '' when it can. */
  readonly notNow: string;
}

/** All workloads, with the faults that can strike each. */
export const drillableView = ({ facts }: Scene, _: object): Drillable[] =>
  workloadsOf(facts).flatMap(({ namespace, name }): Drillable[] => {
    const workload = workloadNamed(facts, namespace, name);
    if (!workload) return [];
    const scene = { facts, workload };
    const all = [...workload.sets, ...workload.deployments, ...workload.daemonSets];
    const first = all.find((one) => enginePartOf(one.spec.template)) ?? all[0]!;
    const members = workload.sets.reduce((sum, one) => sum + (one.spec.replicas ?? 1), 0);
    const kind = `${blueprintOf(first)}${members ? `, ${members}` : ''}`;
    return [
      {
        namespace,
        name,
        kind,
        supposed: supposedIn(facts, workload),
        outside: hasWayIn(scene),
        offers: offers(scene),
        notNow: notNow(scene) ?? ''
      }
    ];
  });

export interface DrillWish {
  readonly namespace: string;
  readonly workload: string;
  readonly fault: FaultId;
  readonly demanded?: Expectation;
  readonly pace?: Partial<DrillPace>;
  readonly way?: 'inside' | 'outside';
}

/** Runs one drill on a fork of this moment; a text says why it can't be run. */
export function drillView(scene: Scene, { namespace, workload: name, ...wish }: DrillWish): { drill?: Drill; not?: string } | undefined {
  const workload = workloadNamed(scene.facts, namespace, name);
  if (!workload) return undefined;
  const found = drilled({ facts: scene.facts, workload, fork: scene.fork, ...wish });
  return typeof found === 'string' ? { not: found } : { drill: found };
}

/** What can be expected of a drill before it is run; undefined where the fault can't happen here. */
export function foreseenView(
  { facts }: Scene,
  { namespace, workload: name, fault }: { namespace: string; workload: string; fault: FaultId }
): Derived | undefined {
  const workload = workloadNamed(facts, namespace, name);
  const target = workload && faultNamed(fault)?.target({ facts, workload });
  if (!workload || !target || typeof target === 'string') return undefined;
  return derive({ facts, workload }, target, target.end.length ? usualPace.faultMs : 0);
}
