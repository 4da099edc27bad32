import { writeManifests } from '$core/manifest';
import { groundGates } from '$core/gates';
import { driverGates, supplyGates, type SupplyGate } from '$core/rootline';
import type { Scene } from './scene';

const shownEvidence = 8;

/** A gate as it travels: its remedy's manifests are fetched only when somebody wants them. */
export const plainGate = ({ objects: _, evidence, remedy, ...gate }: SupplyGate) => ({
  ...gate,
  evidence: evidence.slice(0, shownEvidence),
  ...(remedy ? { remedy: { text: remedy.text, draft: remedy.manifests !== undefined } } : {})
});

/** Which gate's remedy is wanted: one of the ground's by its id, or one of a driver or class by its joint. */
export interface RemedyAsk {
  readonly ground?: string | undefined;
  readonly driver?: string | undefined;
  readonly class?: string | undefined;
  readonly joint?: string | undefined;
}

/** A gate's remedy, with its manifests as YAML; undefined when there is none to send. */
export function remedyView({ facts }: Scene, ask: RemedyAsk): { title: string; text: string; yaml: string } | undefined {
  const one = ask.class === undefined ? undefined : facts.get('StorageClass', '', ask.class);
  const gates = one ? supplyGates(facts, one) : ask.driver === undefined ? [] : driverGates(facts, ask.driver);
  const gate =
    ask.ground === undefined ? gates.find((two) => two.joint === ask.joint) : groundGates(facts).find((two) => two.id === ask.ground);
  if (!gate?.remedy?.manifests) return undefined;
  return { title: gate.title, text: gate.remedy.text, yaml: writeManifests(gate.remedy.manifests) };
}
