import { expect } from 'vitest';
import { derive, faults, notNow, supposedIn, type DrillScene } from '$core/drills';
import type { ApiObject, Facts } from '$core/model';
import { standingPrint, workloadNamed } from '$core/proofs';
import { drawInt } from '$core/shared';
import { replay, type World } from '$core/standin';
import { scenario } from '../../src/lib/scenario';
import { aside, ofEach, played } from '../played';
import { wordless } from '../told';

/** Counts what is told of something: more than so many things, or the test looks at nothing. */
export function told(list: readonly unknown[], least = 5): void {
  expect(list.length).toBeGreaterThan(least);
  played(() => ofEach(list));
}

export const demo = scenario();
const worlds = new Map<string, World>();
/** A cluster of the demo, as it is left there: shared by the tests of a file. */
export function worldOf(name: string): World {
  let world = worlds.get(name);
  if (!world) {
    const one = demo.find((two) => two.name === name)!;
    worlds.set(name, (world = aside(() => replay({ seed: one.seed, ground: one.ground }, one.actions, one.headMs))));
  }
  return world;
}
/** A drawn one of a list. */
export const one = <T>(list: readonly T[], what: string): T => list[drawInt(11, what, 0, list.length - 1)]!;

/** An object with one value of its spec otherwise: a number one more, a text longer, yes for no. */
export function withOtherLeaf(object: ApiObject, what: string): ApiObject {
  const copy = structuredClone(object);
  const leaves: (() => void)[] = [];
  const walk = (at: Record<string, unknown>): void => {
    for (const [field, value] of Object.entries(at)) {
      if (typeof value === 'object' && value !== null) walk(value as Record<string, unknown>);
      else
        leaves.push(
          () =>
            (at[field] =
              typeof value === 'number'
                ? value + 1
                : typeof value === 'boolean'
                  ? !value
                  : /\d/.test(String(value))
                    ? String(value).replace(/\d+/, (n) => String(Number(n) + 1))
                    : `${String(value)}x`)
        );
    }
  };
  const { spec, data, parameters } = copy as { readonly [field: string]: unknown };
  walk((spec ?? data ?? parameters ?? {}) as Record<string, unknown>);
  if (leaves.length) one(leaves, what)();
  return copy;
}

/** Each fault on a workload: what it would strike, how, and what can be expected of it; or why it can't happen there. */
export function foreseen(facts: Facts, namespace: string, name: string): unknown[] {
  const workload = workloadNamed(facts, namespace, name);
  if (!workload) return [name];
  const scene: DrillScene = { facts, workload };
  return [
    [name, notNow(scene), supposedIn(facts, workload), standingPrint(facts, workload)],
    ...faults.map((rule) => {
      const target = rule.target(scene);
      if (typeof target === 'string') return [rule.id, target];
      const { stages, ...rest } = target;
      const walked = stages?.map(({ left, ...stage }) => [stage, left(facts)]);
      return [rule.id, wordless(rest), wordless(walked), wordless(derive(scene, target, target.end.length && !stages ? 180_000 : 0))];
    })
  ];
}
