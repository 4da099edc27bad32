import { refOf, type ApiObject, type Pod } from '../../model';
import { hasPathsMark, hostPathFault, missingReferences, referenceSentence, referencesOf } from '../../standin';
import { compact, field, lastEvent, look, ref } from '../evidence';
import type { JointRule, Position } from '../types';

/** The pod as it stands, or as it would be made from its template. */
const podOf = ({ pod, spec, namespace, podName, labels }: Position): Pod =>
  pod ?? ({ apiVersion: 'v1', kind: 'Pod', metadata: { name: podName ?? '', namespace, labels }, spec } as Pod);

function skeleton(namespace: string, missing: { kind: 'ConfigMap' | 'Secret'; name: string; key?: string }): ApiObject[] {
  if (missing.kind === 'Secret') return [];
  return [{ apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: missing.name, namespace }, data: { [missing.key ?? 'settings']: '' } }];
}

/** Are the configuration, the secrets and the service account there that the member names? */
export const references = {
  id: 'references' as const,
  shared: true,
  title: 'References',
  why: "Config maps, secrets and accounts are looked up by name in the member's own namespace. One in another namespace is as good as none.",
  perClaim: false,
  look(at) {
    const { facts, namespace, spec, set } = at;
    if (at.podName === undefined || !spec) return undefined;
    const pod = podOf(at);
    const account = spec.serviceAccountName ?? 'default';
    const used = referencesOf(pod);
    const label = [...new Set(used.map((one) => one.name))].join(', ') || account;
    if (!at.pod && !facts.get('ServiceAccount', namespace, account)) {
      const object: ApiObject = { apiVersion: 'v1', kind: 'ServiceAccount', metadata: { name: account, namespace } };
      return look('broken', account, `the service account ${namespace}/${account} doesn't exist`, {
        objects: [ref('ServiceAccount', namespace, account)],
        evidence: compact([set && field(set, 'spec.template.spec.serviceAccountName', account), lastEvent(facts, set, ['FailedCreate'])]),
        remedy: { text: `Send the service account ${namespace}/${account}.`, manifests: [object] }
      });
    }
    const [missing] = missingReferences(facts, pod);
    const lacking = missing ? undefined : hostPathFault(facts, pod);
    if (lacking)
      return look('broken', lacking.path, lacking.says, {
        objects: [ref('Node', '', pod.spec.nodeName ?? '')],
        evidence: compact([field(pod, lacking.field, lacking.path), lastEvent(facts, at.pod, ['FailedMount'])]),
        remedy: {
          text: `Take a claim instead, write the type that lets it be made, or say with ${hasPathsMark} on the node that it is there.`
        }
      });
    if (!missing)
      return look(
        'holds',
        label,
        used.length ? `${new Set(used.map((one) => `${one.kind} ${one.name}`)).size} found in ${namespace}` : 'names nothing else',
        {
          objects: used
            .map((one) => ref(one.kind, namespace, one.name))
            .filter((one, i, all) => all.findIndex((other) => other.name === one.name && other.kind === one.kind) === i)
        }
      );
    const elsewhere = facts.list(missing.kind).filter((one) => one.metadata.name === missing.name && one.metadata.namespace !== namespace);
    const manifests = skeleton(namespace, missing);
    return look('broken', missing.name, referenceSentence(namespace, missing), {
      objects: [ref(missing.kind, namespace, missing.name)],
      evidence: compact([
        field(
          at.pod ?? set ?? pod,
          at.pod ? missing.field : `spec.template.${missing.field}`,
          missing.key ? `${missing.name}, key ${missing.key}` : missing.name
        ),
        ...elsewhere.map((one) => field(refOf(one), 'metadata.namespace', `${one.metadata.namespace}: found, but another namespace`)),
        lastEvent(facts, at.pod, ['FailedMount', 'Failed'])
      ]),
      remedy: {
        text: `Send the ${missing.kind === 'Secret' ? 'secret' : 'config map'} ${namespace}/${missing.name}${missing.key ? ` with the key ${missing.key}` : ''}; the member goes on by itself.`,
        ...(manifests.length ? { manifests } : {})
      }
    });
  }
} satisfies JointRule;
