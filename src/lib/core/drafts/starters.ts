/** Whole manifests to begin from, by kind. `name` stands where a name has to be chosen. */
const starters: Readonly<Record<string, string>> = {
  StatefulSet: `apiVersion: apps/v1
kind: StatefulSet
metadata:
  name: name
spec:
  replicas: 3
  serviceName: name
  selector:
    matchLabels:
      app: name
  template:
    metadata:
      labels:
        app: name
    spec:
      containers:
        - name: main
          image: image
          ports:
            - name: data
              containerPort: 7110
          volumeMounts:
            - name: data
              mountPath: /var/lib/data
  volumeClaimTemplates:
    - metadata:
        name: data
      spec:
        accessModes:
          - ReadWriteOnce
        resources:
          requests:
            storage: 10Gi
`,
  Service: `apiVersion: v1
kind: Service
metadata:
  name: name
spec:
  clusterIP: None
  selector:
    app: name
  ports:
    - name: data
      port: 7110
`,
  Deployment: `apiVersion: apps/v1
kind: Deployment
metadata:
  name: name
spec:
  replicas: 1
  strategy:
    type: Recreate
  selector:
    matchLabels:
      app: name
  template:
    metadata:
      labels:
        app: name
    spec:
      containers:
        - name: main
          image: image
`,
  PersistentVolumeClaim: `apiVersion: v1
kind: PersistentVolumeClaim
metadata:
  name: name
spec:
  accessModes:
    - ReadWriteOnce
  resources:
    requests:
      storage: 10Gi
`,
  StorageClass: `apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata:
  name: name
provisioner: block.standin.example
reclaimPolicy: Retain
volumeBindingMode: WaitForFirstConsumer
allowVolumeExpansion: true
`,
  Namespace: `apiVersion: v1
kind: Namespace
metadata:
  name: name
`,
  ConfigMap: `apiVersion: v1
kind: ConfigMap
metadata:
  name: name
data:
  key: value
`,
  Secret: `apiVersion: v1
kind: Secret
metadata:
  name: name
type: Opaque
stringData:
  user: keeper
`,
  ServiceAccount: `apiVersion: v1
kind: ServiceAccount
metadata:
  name: name
`,
  PodDisruptionBudget: `apiVersion: policy/v1
kind: PodDisruptionBudget
metadata:
  name: name
spec:
  maxUnavailable: 1
  selector:
    matchLabels:
      app: name
`,
  VolumeSnapshot: `apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshot
metadata:
  name: name
spec:
  source:
    persistentVolumeClaimName: name
`,
  Pod: `apiVersion: v1
kind: Pod
metadata:
  name: name
spec:
  containers:
    - name: main
      image: image
`
};

/** The starter of a kind; undefined where there is none. */
export const starterOf = (kind: string): string | undefined => (Object.hasOwn(starters, kind) ? starters[kind] : undefined);
