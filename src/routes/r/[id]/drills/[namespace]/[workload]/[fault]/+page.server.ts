import { error } from '@sveltejs/kit';
import { faultNamed, usualPace } from '$core/drills';
import { asManifest, writeManifests } from '$core/manifest';
import { getApp } from '$server/services';
import { followed } from '$server/services/page';
import type { PageServerLoadEvent } from './$types';

export const load = followed(async ({ params }: PageServerLoadEvent) => {
  const app = await getApp();
  const rule = faultNamed(params.fault);
  const found = await app.drills.all(params.id);
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  const workload = found.value.workloads.find((one) => one.namespace === params.namespace && one.name === params.workload);
  const offer = workload?.offers.find((one) => one.fault === params.fault);
  if (!rule || !workload || !offer) error(404, `There is no drill ${params.fault} of ${params.namespace}/${params.workload}.`);
  const drill = found.value.drills.find(
    (one) => one.namespace === params.namespace && one.workload === params.workload && one.fault === params.fault
  );
  const foreseen = await app.rehearsals.ask(params.id, 'foreseen', {
    namespace: params.namespace,
    workload: params.workload,
    fault: rule.id
  });
  const manifests = drill?.cause?.manifests;
  return {
    workload: {
      namespace: workload.namespace,
      name: workload.name,
      kind: workload.kind,
      notNow: workload.notNow,
      supposed: workload.supposed,
      outside: workload.outside
    },
    offer,
    drill: drill ?? null,
    foreseen: foreseen.ok ? (foreseen.value ?? null) : null,
    faultMs: usualPace.faultMs,
    remedyYaml: manifests ? writeManifests(manifests.map(asManifest)) : ''
  };
});
