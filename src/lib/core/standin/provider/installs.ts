import { readManifests } from '../../manifest';
import type { ApiObject, Facts } from '../../model';
import { accountRightsMark } from './driver';
import { clusterVersion, driverCard, driverCards, newestFitting, type DriverCard } from './drivers';

/** How a driver is installed: an ordinary bundle of manifests. */
export interface Install {
  readonly driver: string;
  readonly version: string;
  readonly namespace: string;
  readonly account: string;
}

const namespaceYaml = (name: string): string => `apiVersion: v1
kind: Namespace
metadata: {name: ${name}}
`;

const accountYaml = (name: string, namespace: string): string => `apiVersion: v1
kind: ServiceAccount
metadata: {name: ${name}, namespace: ${namespace}}
`;

/** What a driver's account may do with the cluster's objects. */
const rightsYaml = (name: string, account: string, namespace: string): string => `apiVersion: rbac.authorization.k8s.io/v1
kind: ClusterRole
metadata: {name: ${name}}
rules:
- {apiGroups: [""], resources: [persistentvolumes], verbs: [get, list, watch, create, patch, delete]}
- {apiGroups: [""], resources: [persistentvolumeclaims, nodes, events], verbs: [get, list, watch, patch, create]}
- {apiGroups: [storage.k8s.io], resources: [storageclasses, csinodes, volumeattachments, volumeattributesclasses], verbs: [get, list, watch, patch]}
- {apiGroups: [snapshot.storage.k8s.io], resources: [volumesnapshots, volumesnapshotclasses, volumesnapshotcontents], verbs: [get, list, watch, create, patch, delete]}
- {apiGroups: [storage.k8s.io], resources: [csistoragecapacities], verbs: [get, list, watch, create, patch, delete]}
---
apiVersion: rbac.authorization.k8s.io/v1
kind: ClusterRoleBinding
metadata: {name: ${name}}
subjects:
- {kind: ServiceAccount, name: ${account}, namespace: ${namespace}}
roleRef: {apiGroup: rbac.authorization.k8s.io, kind: ClusterRole, name: ${name}}
`;

interface Part {
  readonly name: string;
  readonly namespace: string;
  readonly account: string;
  readonly image: string;
  readonly replicas: number;
  readonly cpu: string;
  readonly memory: string;
  readonly container: string;
}

const deploymentYaml = (one: Part): string => `apiVersion: apps/v1
kind: Deployment
metadata:
  name: ${one.name}
  namespace: ${one.namespace}
  labels: {app: ${one.name}}
spec:
  replicas: ${one.replicas}
  selector:
    matchLabels: {app: ${one.name}}
  template:
    metadata:
      labels: {app: ${one.name}}
    spec:
      serviceAccountName: ${one.account}
      containers:
      - name: ${one.container}
        image: ${one.image}
        resources:
          requests: {cpu: ${one.cpu}, memory: ${one.memory}}
`;

/** Drivers that bring a collector along, which only helps. */
const withHelper = new Set(['block', 'pool']);

function bundle(card: DriverCard, version: string): string {
  const { driver, namespace, account, short } = card;
  const image = (part: string) => `shelf.standin.example/drivers/${short}-${part}:${version}`;
  const common = { namespace, account };
  const parts = [
    namespaceYaml(namespace),
    `apiVersion: storage.k8s.io/v1
kind: CSIDriver
metadata:
  name: ${driver}
  annotations: {${accountRightsMark}: "yes"}
spec:
  attachRequired: ${card.attach}
  podInfoOnMount: false
${card.tellsRoom ? '  storageCapacity: true\n' : ''}  fsGroupPolicy: File
`,
    accountYaml(account, namespace),
    rightsYaml(`${short}-driver`, account, namespace),
    `apiVersion: apps/v1
kind: DaemonSet
metadata:
  name: ${short}-node
  namespace: ${namespace}
  labels: {app: ${short}-node}
spec:
  selector:
    matchLabels: {app: ${short}-node}
  template:
    metadata:
      labels: {app: ${short}-node}
    spec:
      serviceAccountName: ${account}
      tolerations:
      - {operator: Exists}
      containers:
      - name: plugin
        image: ${image('node')}
        resources:
          requests: {cpu: 20m, memory: 64Mi}
`,
    deploymentYaml({
      ...common,
      name: `${short}-controller`,
      image: image('controller'),
      replicas: short === 'dirs' ? 1 : 2,
      cpu: '50m',
      memory: '128Mi',
      container: 'controller'
    })
  ];
  if (withHelper.has(short))
    parts.push(
      deploymentYaml({
        ...common,
        name: `${short}-collector`,
        image: image('helper'),
        replicas: 1,
        cpu: '50m',
        memory: '128Mi',
        container: 'collector'
      })
    );
  return parts.join('---\n');
}

/** The install of a driver that ships with the stand-in, in its newest version for a cluster version; undefined where there is none. */
export function installOf(driver: string, cluster = '1.32'): Install | undefined {
  const card = driverCard(driver);
  const version = card && newestFitting(card, cluster);
  return card && version ? { driver, version, namespace: card.namespace, account: card.account } : undefined;
}

/** The same for the cluster that facts are of. */
export const installFor = (facts: Facts, driver: string): Install | undefined => installOf(driver, clusterVersion(facts));

/** Every driver in its newest version for the default cluster version. */
export const installs: readonly Install[] = driverCards.flatMap((one) => installOf(one.driver) ?? []);

const read = (yaml: string): ApiObject[] => readManifests(yaml).objects.map((one) => one.object);

/** The manifests that install a driver. */
export const installObjects = ({ driver, version }: Install): ApiObject[] => read(bundle(driverCard(driver)!, version));

/** The account of the pool's operator. */
export const poolOperatorAccount = 'pool-operator';

/** The manifests that install the operator of pools. */
export function poolOperatorObjects(version: string): ApiObject[] {
  const namespace = 'storage-system';
  const common = { namespace, account: poolOperatorAccount, replicas: 1 };
  return read(
    [
      namespaceYaml(namespace),
      accountYaml(poolOperatorAccount, namespace),
      deploymentYaml({
        ...common,
        name: 'pool-operator',
        image: `shelf.standin.example/operators/pool-operator:${version}`,
        cpu: '100m',
        memory: '256Mi',
        container: 'operator'
      })
    ].join('---\n')
  );
}

/** A pool of all usable disks of the labelled nodes. */
export const poolObject = (name: string, copies = 3, keepers = 3): ApiObject => ({
  apiVersion: 'engines.standin.example/v1',
  kind: 'Pool',
  metadata: { name },
  spec: { copies, keepers, leastDisk: '16Gi' }
});
