import { acceptedMark, check, type Accepted } from '$core/checker';
import { applyEdits, readManifests, writeManifests } from '$core/manifest';
import { keyOf, refOf, type ApiObject } from '$core/model';
import { same } from '$core/shared';
import type { Scene } from './scene';

/** Values of secrets were left out before the checker saw them, so it has nothing to say of them. */
const ofSecrets = new Set(['secret-emptied', 'secret-typed']);
const gravity = { error: 0, warning: 1, note: 2 } as const;

function found({ facts }: Scene, objects: readonly ApiObject[]) {
  const text = writeManifests(objects);
  const list = check([{ text }], facts, new Date().toISOString().slice(0, 10))
    .filter((one) => !ofSecrets.has(one.code))
    .sort((a, b) => gravity[a.severity] - gravity[b.severity]);
  return { text, list };
}

/** What the checker says of manifests that stand in the cluster already. */
export const findingsOf = (scene: Scene, objects: readonly ApiObject[]) =>
  found(scene, objects).list.map(({ code, severity, message, remedy, at, mend, accepted }, nth) => ({
    nth,
    code,
    severity,
    message,
    remedy,
    object: at.object ?? '',
    mend: mend?.says ?? null,
    accepted: accepted ?? null
  }));

/** What of manifests is accepted by house rules, with the reason. Nothing is looked at where nobody accepts anything. */
export function acceptedOf(
  scene: Scene,
  objects: readonly ApiObject[]
): { object: string; rule: string; message: string; accepted: Accepted }[] {
  const marked = objects.some((one) => Object.keys(one.metadata.annotations ?? {}).some((key) => key.startsWith(acceptedMark)));
  if (!marked && !scene.facts.list('CheckSettings').some((one) => one.spec.accepted?.length)) return [];
  return found(scene, objects).list.flatMap(({ code, message, at, accepted }) =>
    accepted ? [{ object: at.object ?? '', rule: code, message, accepted }] : []
  );
}

export type StandingFinding = ReturnType<typeof findingsOf>[number];

/** The objects that a finding's remedy alters or adds, as manifests; undefined where it has none. */
export function mendedYaml(scene: Scene, objects: readonly ApiObject[], nth: number): string | undefined {
  const { text, list } = found(scene, objects);
  const mend = list[nth]?.mend;
  if (!mend) return undefined;
  const before = new Map(readManifests(text).objects.map((one) => [keyOf(refOf(one.object)), one.object]));
  const after = readManifests(applyEdits(text, mend.edits)).objects.map((one) => one.object);
  return writeManifests(after.filter((one) => !same(one, before.get(keyOf(refOf(one))))));
}
