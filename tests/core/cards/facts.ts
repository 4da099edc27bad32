import { stringify } from 'yaml';
import { assumptionsOf, groundOfDump } from '$core/dumps';
import type { ApiObject } from '$core/model';
import { workloadNamed } from '$core/proofs';
import { Store, World } from '$core/standin';
import { objects } from '../help';
import { image, strangeObjects, takenMs } from './strange';

/** The export as facts; `before` stands before all of it. */
export function strangeFacts(status?: (i: number) => Record<string, unknown>, before: readonly ApiObject[] = []): Store {
  const store = new Store(false);
  store.nowMs = takenMs;
  const text = strangeObjects(status)
    .map((one) => stringify(one, { lineWidth: 0, aliasDuplicateObjects: false }))
    .join('---\n');
  for (const one of [...before, ...objects(text)]) store.place(undefined, one);
  return store;
}

export const rehearsed = (answers: Record<string, string> = {}, facts = strangeFacts()): World =>
  World.create({ seed: 3, ground: groundOfDump(facts, takenMs, answers), adopted: true });
export const like = (value: string) => ({ [`like:${image}`]: value });
export const ledger = (world: World) => ({ facts: world.store, workload: workloadNamed(world.store, 'till', 'ledger')! });
export const assumption = (id: string, facts = strangeFacts()) => assumptionsOf(facts).find((one) => one.id === id);
export const stepsOf = (world: World, step: string, fromMs: number) =>
  world.log.steps
    .filter((one) => one.step === step && one.fromMs >= fromMs)
    .map((one) => ({ ms: one.toMs! - one.fromMs, normalMs: one.normalMs }));
