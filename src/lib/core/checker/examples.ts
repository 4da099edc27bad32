/** Small manifests for the examples of rules: right in themselves, with places to put a mistake into. */

/** Puts lines (a flow text may be one) under an indentation. */
const under = (spaces: number, lines: string | undefined): string =>
  lines
    ? lines
        .trim()
        .split('\n')
        .map((line) => `${' '.repeat(spaces)}${line}\n`)
        .join('')
    : '';

/** Documents as one text. */
export const join = (...documents: string[]): string => documents.map((one) => one.trim()).join('\n---\n') + '\n';

/** A headless service in front of `store`. */
export const service = (spec = 'clusterIP: None, selector: {app: store}, ports: [{name: sql, port: 7110}]', meta = 'name: store'): string =>
  `apiVersion: v1\nkind: Service\nmetadata: {${meta}}\nspec: {${spec}}\n`;

/** What of the example of a set is written otherwise. */
export interface SetParts {
  readonly meta?: string;
  readonly name?: string;
  readonly labels?: string;
  /** More lines of spec. */
  readonly spec?: string;
  /** More lines of the pod's spec. */
  readonly pod?: string;
  /** More lines of the container. */
  readonly container?: string;
  readonly image?: string;
  readonly template?: string;
  /** Lines of one claim's spec; `null` for a set without claims. */
  readonly claim?: string | null;
  readonly mounts?: string;
}

/** A set called `store` with one claim per member. */
export function set(parts: SetParts = {}): string {
  const {
    meta = 'name: store',
    labels = 'app: store',
    image = 'shelf.example.test/store/sql:r2',
    claim,
    mounts = '[{name: data, mountPath: /data}]'
  } = parts;
  const claims =
    claim === null
      ? ''
      : `  volumeClaimTemplates:\n  - metadata: {name: data}\n    spec:\n${under(6, claim ?? 'accessModes: [ReadWriteOnce]\nresources: {requests: {storage: 40Gi}}')}`;
  return `apiVersion: apps/v1
kind: StatefulSet
metadata: {${meta}}
spec:
  serviceName: store
${under(2, parts.spec)}  selector: {matchLabels: {app: store}}
  template:
    metadata: {labels: {${labels}}}
    spec:
${under(6, parts.pod)}      containers:
      - name: sql
        image: ${image}
${under(8, parts.container)}${claim === null ? '' : `        volumeMounts: ${mounts}\n`}${claims}`;
}

/** What of the example of a pod is written otherwise. */
export interface PodParts {
  readonly meta?: string;
  readonly spec?: string;
  readonly container?: string;
  readonly image?: string;
}

/** A pod called `tool`. */
export const pod = ({ meta = 'name: tool', spec, container, image = 'shelf.example.test/tool:r2' }: PodParts = {}): string =>
  `apiVersion: v1\nkind: Pod\nmetadata: {${meta}}\nspec:\n${under(2, spec)}  containers:\n  - name: tool\n    image: ${image}\n${under(4, container)}`;

/** A deployment called `desk`. */
export const deployment = ({
  meta = 'name: desk',
  spec,
  container,
  image = 'shelf.example.test/desk:r2',
  top
}: PodParts & { top?: string } = {}): string =>
  `apiVersion: apps/v1
kind: Deployment
metadata: {${meta}}
spec:
${under(2, top)}  selector: {matchLabels: {app: desk}}
  template:
    metadata: {labels: {app: desk}}
    spec:
${under(6, spec)}      containers:
      - name: desk
        image: ${image}
${under(8, container)}`;

/** A claim. */
export const claim = (spec = 'accessModes: [ReadWriteOnce], resources: {requests: {storage: 40Gi}}', meta = 'name: ledger'): string =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {${meta}}\nspec: {${spec}}\n`;

/** A class of the block driver. */
export const storageClass = (
  rest = 'volumeBindingMode: WaitForFirstConsumer, reclaimPolicy: Retain, allowVolumeExpansion: true',
  meta = 'name: even',
  provisioner = 'block.standin.example'
): string =>
  `apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {${meta}}\nprovisioner: ${provisioner}\n${rest
    .split(/, (?=[a-z]\w*: )/)
    .map((one) => `${one}\n`)
    .join('')}`;
