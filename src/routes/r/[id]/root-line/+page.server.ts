import { error } from '@sveltejs/kit';
import { writeManifests } from '$core/manifest';
import type { Kind } from '$core/model';
import { operatorLabel } from '$core/rootline';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params, url }: PageServerLoadEvent) => {
  const ref = {
    kind: (url.searchParams.get('kind') ?? '') as Kind,
    namespace: url.searchParams.get('namespace') ?? '',
    name: url.searchParams.get('name') ?? ''
  };
  const found = await (await getApp()).reading.rootLine(params.id, ref);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const line = found.value;
  if (!line) {
    if (
      !['Pod', 'PersistentVolumeClaim', 'StatefulSet'].includes(ref.kind) &&
      !(await getApp().then((app) => app.reading.of(params.id))).ok
    )
      error(404, 'A root line is drawn for a pod, a claim or a set.');
    return { ref, line: null, flags: {} };
  }
  const joints = line.joints.map((joint) => ({
    ...joint,
    remedy: joint.remedy
      ? {
          text: joint.remedy.text,
          in: joint.remedy.in ?? null,
          manifests: joint.remedy.manifests ? writeManifests(joint.remedy.manifests) : null,
          press: joint.remedy.press ?? 'Put in a draft',
          also: joint.remedy.also ? { press: joint.remedy.also.press, manifests: writeManifests(joint.remedy.also.manifests) } : null
        }
      : null
  }));
  const app = await getApp();
  const over = line.trunks.some((one) => one.cluster !== undefined);
  const flags = over ? Object.fromEntries((await app.clusters.all()).map((one) => [one.name, one.flag])) : {};
  return { ref, line: { ...line, joints, members: line.trunks.filter((one) => one.label !== operatorLabel).length }, flags };
});
