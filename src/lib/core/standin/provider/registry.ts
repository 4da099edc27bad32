import { decode } from 'js-base64';
import type { Facts, PodSpec, Registry } from '../../model';
import { imageParts } from './images';

/** Whether an image can be pulled, and if not, why. */
export interface Pull {
  readonly registry?: Registry;
  readonly fault?: { readonly field: string; readonly value: string; readonly message: string };
}

/** Ordinary speed of a registry that names none: 50 MB/s. */
export const ordinaryBytesPerSecond = 50_000_000;

/** Who pulls: a pod's spec, and its namespace. */
export interface Puller {
  readonly namespace: string;
  readonly spec: PodSpec;
}

/** A registry that nobody has described: reachable, of ordinary speed, with every image. */
const supposedRegistry = (host: string): Registry => ({
  apiVersion: 'standin.example/v1',
  kind: 'Registry',
  metadata: { name: host || 'unnamed' },
  spec: { host, reachable: true }
});

interface Named {
  readonly imagePullSecrets?: readonly { readonly name?: string }[];
}

/** The pull secrets that count for a pod: its own, or else those of its service account. Source: the cluster API's "Configure Service Accounts for Pods". */
function pullSecrets(facts: Facts, { namespace, spec }: Puller): string[] {
  const own = (spec as Named).imagePullSecrets ?? [];
  const account = facts.get('ServiceAccount', namespace, spec.serviceAccountName ?? 'default') as Named | undefined;
  return (own.length ? own : (account?.imagePullSecrets ?? [])).flatMap((one) => one.name ?? []);
}

/** The login for a host in a secret of the type kubernetes.io/dockerconfigjson, as `user:password`; undefined where it has none. */
function loginIn(facts: Facts, namespace: string, name: string, host: string): string | undefined {
  const secret = facts.get('Secret', namespace, name);
  const text = secret?.data?.['.dockerconfigjson'];
  if (secret?.type !== 'kubernetes.io/dockerconfigjson' || text === undefined) return undefined;
  try {
    const { auths } = JSON.parse(decode(text)) as {
      auths?: { [host: string]: { auth?: string; username?: string; password?: string } | undefined };
    };
    const found = auths && Object.hasOwn(auths, host) ? auths[host] : undefined;
    if (!found) return undefined;
    return found.auth === undefined ? `${found.username ?? ''}:${found.password ?? ''}` : decode(found.auth);
  } catch {
    return undefined;
  }
}

/** Why a registry that asks for a login lets a pod pull nothing; undefined where it does, or asks for none. */
function loginFault(facts: Facts, { spec: { host, logins } }: Registry, puller: Puller): string | undefined {
  if (!logins?.length) return undefined;
  const secrets = pullSecrets(facts, puller);
  const shown = secrets
    .map((name) => ({ name, login: loginIn(facts, puller.namespace, name, host) }))
    .filter((one) => one.login !== undefined);
  if (!shown.length)
    return `the registry ${host} asks for a login, and ${secrets.length ? `${secrets.join(', ')} in ${puller.namespace} has none for it` : 'the pod names no pull secret'}`;
  return shown.some(({ login }) => logins.some((one) => `${one.user}:${one.password}` === login))
    ? undefined
    : `the registry ${host} refuses the login in the secret ${shown[0]!.name}`;
}

/** Looks an image up at the registry its reference names. Whether a login is shown is judged only where it is known who pulls. */
export function pullOf(facts: Facts, image: string, puller?: Puller): Pull {
  const { host, repository } = imageParts(image);
  const registry = facts.list('Registry').find((one) => one.spec.host === host);
  // A place that is open reaches whatever registry an image names, and a registry of its own choosing where it names none.
  if (!registry && facts.list('Ground')[0]?.spec.pulls === 'any') return { registry: supposedRegistry(host) };
  if (!registry) {
    return {
      fault: {
        field: 'host',
        value: host || '(none)',
        message: host ? `no registry ${host} is known to this place` : 'the reference names no registry'
      }
    };
  }
  if (!registry.spec.reachable) {
    return {
      registry,
      fault: { field: 'spec.reachable', value: 'false', message: `the registry ${host} can't be reached from the nodes` }
    };
  }
  const { images } = registry.spec;
  if (images && !images.some((one) => one === image || one === repository)) {
    return { registry, fault: { field: 'spec.images', value: image, message: `the registry ${host} has no ${image}` } };
  }
  const login = puller && loginFault(facts, registry, puller);
  return login === undefined ? { registry } : { registry, fault: { field: 'spec.logins', value: 'a login is asked for', message: login } };
}
