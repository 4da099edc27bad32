import { claimsOf, ownClaims, type ApiObject, type Facts, type Kind, type Pod } from '../model';
import { accountOf, hostPathFault, missingReferences, partOfLabel, pullOf, referenceSentence, type Store } from '../standin';

/** Something that keeps a member from coming up, as a sentence without its full stop, with the field that says it. */
export interface Hindrance {
  readonly says: string;
  readonly field?: string;
  /** It is a path of the node that isn't there. */
  readonly path?: true;
  /** It can't be told in an export that leaves these out. */
  readonly unseen?: true;
}

/** Secrets that come by themselves once what is sent stands: certificates', operators'. */
export function promised(objects: readonly ApiObject[]): (namespace: string, name: string) => boolean {
  const names = new Set(
    objects.flatMap((one) => {
      const of = (...list: string[]) => list.map((name) => `${one.metadata.namespace ?? 'default'}/${name}`);
      const { name } = one.metadata;
      if (one.kind === 'Certificate') return of(one.spec.secret);
      if (one.kind === 'Issuer') return one.spec.make ? of(one.spec.authority) : [];
      if (one.kind === 'DocumentSet') return of(`${name}-access`, `${name}-tls`, `${name}-authority`);
      if (one.kind === 'MemoryDatabase') return of(`${name}-database`);
      return one.kind === 'MemoryCluster' ? of(name) : [];
    })
  );
  return (namespace, name) => names.has(`${namespace}/${name}`);
}

/** Whether what isn't there of a kind isn't: an export may leave it out. */
export const isTold = ({ scope }: Facts, kind: Kind, namespace?: string): boolean => !scope || scope.of(kind, namespace) === 'contained';

/** What a pod names and isn't there. */
export function lacksOf(facts: Store, maker: ApiObject, pod: Pod, comes: ReturnType<typeof promised>): Hindrance | undefined {
  const namespace = pod.metadata.namespace ?? '';
  const account = accountOf(pod.spec);
  const lack = (kind: Kind, says: string, field: string): Hindrance =>
    isTold(facts, kind, namespace) ? { says, field } : { says: `${says} in the export, which may leave it out`, unseen: true };
  if (!facts.get('ServiceAccount', namespace, account) && !(account === 'default' && facts.get('Namespace', '', namespace)))
    return lack('ServiceAccount', `there is no service account ${namespace}/${account}`, 'spec.serviceAccountName');
  const missing = missingReferences(facts, pod).find((one) => !(one.kind === 'Secret' && comes(namespace, one.name)));
  if (missing) return lack(missing.kind, referenceSentence(namespace, missing), missing.field);
  const own = new Set(ownClaims(pod).map((one) => one.name));
  const claim = claimsOf(pod.spec, pod.metadata.name).find(
    (name) => !own.has(name) && !facts.get('PersistentVolumeClaim', namespace, name)
  );
  if (claim !== undefined) return lack('PersistentVolumeClaim', `there is no claim ${namespace}/${claim}`, 'spec.volumes');
  const service = maker.kind === 'StatefulSet' ? maker.spec.serviceName : undefined;
  // An operator makes its own.
  if (service && !maker.metadata.labels?.[partOfLabel] && !facts.get('Service', namespace, service))
    return lack('Service', `there is no service ${namespace}/${service}`, 'spec.serviceName');
  return undefined;
}

/** What of its node a pod mounts, and isn't there. */
export function pathLack(facts: Store, pod: Pod): Hindrance | undefined {
  const path = hostPathFault(facts, pod);
  return path && { says: path.says, field: path.field, path: true };
}

/** Why an image of a pod can't be pulled, its logins taken into account. */
export function pullFault(store: Store, { metadata, spec }: Pod): Hindrance | undefined {
  for (const { image } of [...(spec.initContainers ?? []), ...spec.containers]) {
    const fault = image ? pullOf(store, image, { namespace: metadata.namespace ?? '', spec }).fault : undefined;
    if (fault) return { says: fault.message, field: fault.field };
  }
  return undefined;
}
