import { eventsAbout, isVague, jointOf, latestOf, driverParts, readyIn, tellingPart, type Said } from '../exports';
import { conditionOf, momentIn, type Facts } from '../model';

/** What an export says of a driver and its provider, so that a rehearsal doesn't suppose the opposite. */
export interface StatedOf {
  readonly room?: string;
  readonly quota?: string;
  readonly create?: string;
  readonly attach?: string;
  readonly down?: string;
}

const words = (facts: Facts, { reason, message, atMs }: Said): string =>
  `The export says so: ${reason}${atMs === undefined ? '' : ` at ${momentIn(facts, atMs)}`}, "${tellingPart(message)}".`;

/** Refusals of a driver that no later success has overtaken: of claims that wait for it, and of pods that wait for an attachment. */
export function statedOf(facts: Facts, driver: string): StatedOf {
  const stated: { -readonly [K in keyof StatedOf]: StatedOf[K] } = {};
  const provisioner = (name: string | undefined) => (name === undefined ? undefined : facts.get('StorageClass', '', name)?.provisioner);
  for (const claim of facts.list('PersistentVolumeClaim')) {
    if (claim.status?.phase === 'Bound') continue;
    const by = claim.metadata.annotations?.['volume.kubernetes.io/storage-provisioner'] ?? provisioner(claim.spec.storageClassName);
    if (by !== driver) continue;
    const said = eventsAbout(facts, claim);
    const done = latestOf(said, ['ProvisioningSucceeded'])?.atMs ?? -Infinity;
    const refused = said.filter((one) => one.reason === 'ProvisioningFailed' && (one.atMs ?? 0) >= done && !isVague(one.message)).at(-1);
    if (!refused) continue;
    const joint = jointOf('provision', refused.message);
    if (joint === 'rights') stated.create ??= words(facts, refused);
    else if (joint === 'backend' && /quota|limit/i.test(refused.message)) stated.quota ??= words(facts, refused);
    else if (joint === 'backend' && /ResourceExhausted|space|capacity|room|full|exhausted/i.test(refused.message))
      stated.room ??= words(facts, refused);
  }
  for (const pod of facts.list('Pod')) {
    if (conditionOf(pod.status?.conditions, 'Ready')?.status === 'True' || !pod.spec.nodeName) continue;
    const refused = latestOf(eventsAbout(facts, pod), ['FailedAttachVolume']);
    if (refused && refused.message.includes('code = PermissionDenied')) stated.attach ??= words(facts, refused);
  }
  const controller = driverParts(facts, driver).controller;
  const { ready, of } = readyIn(controller);
  if (of && !ready)
    stated.down = `The export says so: ${controller.makers[0]?.metadata.name ?? controller.pods[0]?.metadata.name ?? 'its controller'} has 0 of ${of} ready.`;
  return stated;
}
