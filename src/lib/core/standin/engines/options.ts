import type { Facts, Pod } from '../../model';
import { bytesOf, hash32 } from '../../shared';

/** Lines `key = value` of a configuration file; the rest is left alone. */
function settingsIn(text: string): [string, string][] {
  return text.split('\n').flatMap((line): [string, string][] => {
    const found = /^\s*([A-Za-z][\w.-]*)\s*=\s*(.*?)\s*$/.exec(line);
    return found ? [[found[1]!, found[2]!]] : [];
  });
}

/** A short mark of a secret value; the value itself is never kept. */
export const markOf = (value: string): string => hash32(value).toString(16).padStart(8, '0');

const secretName = /PASSWORD|SECRET|TOKEN/;

/**
 * What a program reads when it starts: its environment and the files of its mounted config maps. Of passwords only a mark is kept. Later
 * changes count at its next start.
 */
export function optionsOf(facts: Facts, pod: Pod): Record<string, string> {
  const namespace = pod.metadata.namespace ?? '';
  const found: Record<string, string> = {};
  for (const { configMap } of pod.spec.volumes ?? []) {
    const data = facts.get('ConfigMap', namespace, configMap?.name ?? '')?.data ?? {};
    for (const text of Object.values(data)) Object.assign(found, Object.fromEntries(settingsIn(text)));
  }
  for (const { name, value, valueFrom } of pod.spec.containers.flatMap((one) => one.env ?? [])) {
    const { configMapKeyRef: map, secretKeyRef: secret } = valueFrom ?? {};
    const text =
      value ??
      (map ? facts.get('ConfigMap', namespace, map.name ?? '')?.data?.[map.key] : undefined) ??
      (secret ? facts.get('Secret', namespace, secret.name ?? '')?.data?.[secret.key] : undefined);
    if (text !== undefined) found[name] = secret || secretName.test(name) ? markOf(text) : text;
  }
  const limit = pod.spec.containers[0]?.resources?.limits?.memory ?? pod.spec.containers[0]?.resources?.requests?.memory;
  if (limit !== undefined) found['memory-bytes'] = String(bytesOf(limit));
  const { securityContext, volumeMounts = [] } = (pod.spec.containers[0] ?? {}) as {
    securityContext?: { privileged?: boolean };
    volumeMounts?: { mountPropagation?: string }[];
  };
  found.privileged = securityContext?.privileged ? 'yes' : 'no';
  const propagation = volumeMounts.find((one) => one.mountPropagation !== undefined)?.mountPropagation;
  if (propagation !== undefined) found.propagation = propagation;
  return found;
}

/** The password's mark among a member's settings; undefined where it lets everybody in. */
export const loginOf = (options: Readonly<Record<string, string>>): string | undefined =>
  Object.entries(options).find(([name]) => name.includes('PASSWORD'))?.[1];

/** Where a member has its password from, if it is from a secret: the first setting with such a name. */
export const passwordRef = ({ spec }: Pod): { readonly name: string; readonly key: string } | undefined => {
  const ref = spec.containers.flatMap((one) => one.env ?? []).find((one) => one.name.includes('PASSWORD'))?.valueFrom?.secretKeyRef;
  return ref?.name === undefined ? undefined : { name: ref.name, key: ref.key };
};

/** Why the password that clients have from the secret is not the one that a member was started with; undefined where it is. */
export function passwordFault(facts: Facts, pod: Pod, options: Readonly<Record<string, string>>): string | undefined {
  const ref = passwordRef(pod);
  const started = loginOf(options);
  const now = ref && facts.get('Secret', pod.metadata.namespace ?? '', ref.name)?.data?.[ref.key];
  if (now === undefined || started === undefined || markOf(now) === started) return undefined;
  return `the password in the secret ${ref!.name} is another one since ${pod.metadata.name} was started`;
}
