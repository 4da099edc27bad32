import { readManifests } from '../../../manifest';
import type { ApiObject } from '../../../model';
import { operatorImages } from '../../provider/images';
import { definitionName, versionsOf, type OperatorCard } from '../../provider/operators';

/** Reads manifests that were written here; a mistake in them is ours and throws. */
export function ownManifests(yaml: string): ApiObject[] {
  const { objects, problems } = readManifests(yaml);
  if (problems.length) throw new Error(`${problems.map((one) => `${one.at.line}: ${one.message}`).join('; ')}\n${yaml}`);
  return objects.map((one) => one.object);
}

const definition = (kind: OperatorCard['kinds'][number]): string => `
apiVersion: apiextensions.k8s.io/v1
kind: CustomResourceDefinition
metadata: {name: ${definitionName(kind.kind)}}
spec:
  group: engines.standin.example
  names: {kind: ${kind.kind}, plural: ${kind.plural}, singular: ${kind.kind.toLowerCase()}}
  scope: Namespaced
  versions:
  - name: v1
    served: true
    storage: true
    schema: {openAPIV3Schema: {type: object, x-kubernetes-preserve-unknown-fields: true}}
`;

const rights = ({ name, kinds, makes }: OperatorCard): string => `
apiVersion: rbac.authorization.k8s.io/v1
kind: ClusterRole
metadata: {name: ${name}}
rules:
- {apiGroups: [engines.standin.example], resources: [${kinds.map((one) => one.plural).join(', ')}], verbs: [get, list, watch, create, update]}
${makes.map((one) => `- {apiGroups: ["${one.group}"], resources: [${one.resources.join(', ')}], verbs: [get, list, watch, create, update, delete]}`).join('\n')}
`;

const binding = ({ name, namespace }: OperatorCard): string => `
apiVersion: rbac.authorization.k8s.io/v1
kind: ClusterRoleBinding
metadata: {name: ${name}}
roleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: ${name}}
subjects:
- {kind: ServiceAccount, name: ${name}, namespace: ${namespace}}
`;

/** The admission step: its certificate, its service, and whom the cluster asks. */
const admission = ({ name, namespace, admits }: OperatorCard): string[] =>
  admits
    ? [
        `
apiVersion: engines.standin.example/v1
kind: Issuer
metadata: {name: admission-authority, namespace: ${namespace}}
spec: {authority: admission-authority, make: true}
`,
        `
apiVersion: engines.standin.example/v1
kind: Certificate
metadata: {name: admission, namespace: ${namespace}}
spec:
  secret: admission-tls
  issuer: {name: admission-authority}
  names: [${name}.${namespace}.svc, ${name}.${namespace}.svc.cluster.local]
`,
        `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${namespace}}
spec:
  selector: {app: ${name}}
  ports: [{name: admission, port: 443, targetPort: 7230}]
`,
        `
apiVersion: admissionregistration.k8s.io/v1
kind: ValidatingWebhookConfiguration
metadata: {name: ${name}}
webhooks:
- name: ${definitionName(admits)}
  admissionReviewVersions: [v1]
  sideEffects: None
  failurePolicy: Fail
  clientConfig:
    service: {namespace: ${namespace}, name: ${name}, path: /look-over, port: 443}
  rules:
  - {apiGroups: [engines.standin.example], apiVersions: [v1], operations: [CREATE, UPDATE], resources: [${definitionName(admits).split('.')[0]}]}
`
      ]
    : [];

/** What an operator asks for, and in which version it comes. */
export interface OperatorSize {
  readonly cpu?: string;
  readonly memory?: string;
  readonly version?: string;
}

/**
 * What an operator needs once per cluster: definitions, rights, the operator itself, and its admission step.
 * @param watches namespaces that it looks after; none: all
 */
export function operatorObjects(card: OperatorCard, watches: readonly string[], size: OperatorSize = {}): ApiObject[] {
  const { name, namespace, id } = card;
  const { cpu = '500m', memory = '512Mi', version = versionsOf(card)[0]!.version } = size;
  const steps = admission(card);
  return ownManifests(
    [
      `apiVersion: v1\nkind: Namespace\nmetadata: {name: ${namespace}}\n`,
      ...card.kinds.map(definition),
      `apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: ${name}, namespace: ${namespace}}\n`,
      rights(card),
      binding(card),
      ...steps.slice(0, 3),
      `
apiVersion: apps/v1
kind: Deployment
metadata: {name: ${name}, namespace: ${namespace}, labels: {app: ${name}}}
spec:
  replicas: 1
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata: {labels: {app: ${name}}}
    spec:
      serviceAccountName: ${name}
      containers:
      - name: operator
        image: ${operatorImages[id]}:${version}${card.admits ? '\n        ports: [{name: admission, containerPort: 7230}]' : ''}
        env:
        - {name: LOOKS_AFTER, value: "${watches.join(',')}"}
        resources: {requests: {cpu: ${JSON.stringify(cpu)}, memory: ${memory}}}${
          card.admits
            ? `
        volumeMounts: [{name: tls, mountPath: /etc/tls}]
      volumes:
      - name: tls
        secret: {secretName: admission-tls}`
            : ''
        }
`,
      ...steps.slice(3)
    ].join('---\n')
  );
}
