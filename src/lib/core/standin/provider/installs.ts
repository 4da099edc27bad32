import { readManifests } from '../../manifest';
import type { ApiObject } from '../../model';

/** How a driver is installed: an ordinary bundle of manifests. */
export interface Install {
  readonly driver: string;
  readonly version: string;
  readonly namespace: string;
  readonly account: string;
}

/** The drivers that the stand-in can run. */
export const installs: readonly Install[] = [
  { driver: 'block.standin.example', version: '2.3', namespace: 'storage-system', account: 'block-driver' }
];

const bundle = ({ driver, version, namespace, account }: Install): string => {
  const short = driver.split('.')[0]!;
  return `apiVersion: v1
kind: Namespace
metadata:
  name: ${namespace}
---
apiVersion: storage.k8s.io/v1
kind: CSIDriver
metadata:
  name: ${driver}
spec:
  attachRequired: true
  podInfoOnMount: false
  fsGroupPolicy: File
---
apiVersion: v1
kind: ServiceAccount
metadata:
  name: ${account}
  namespace: ${namespace}
---
apiVersion: apps/v1
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
        image: shelf.standin.example/drivers/${short}-node:${version}
        resources:
          requests: {cpu: 20m, memory: 64Mi}
---
apiVersion: apps/v1
kind: Deployment
metadata:
  name: ${short}-controller
  namespace: ${namespace}
  labels: {app: ${short}-controller}
spec:
  replicas: 2
  selector:
    matchLabels: {app: ${short}-controller}
  template:
    metadata:
      labels: {app: ${short}-controller}
    spec:
      serviceAccountName: ${account}
      containers:
      - name: controller
        image: shelf.standin.example/drivers/${short}-controller:${version}
        resources:
          requests: {cpu: 50m, memory: 128Mi}
`;
};

/** The install of a driver that ships with the stand-in; undefined for any other. */
export const installOf = (driver: string): Install | undefined => installs.find((one) => one.driver === driver);

/** The manifests that install a driver. */
export function installObjects(install: Install): ApiObject[] {
  return readManifests(bundle(install)).objects.map((one) => one.object);
}
