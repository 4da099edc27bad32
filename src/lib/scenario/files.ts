/** `chartroom`: the charts as shared files, read and written by one member on each of three nodes. */
export const chartroomYaml = `
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata: {name: charts}
provisioner: files.standin.example
reclaimPolicy: Retain
volumeBindingMode: Immediate
---
apiVersion: v1
kind: Namespace
metadata: {name: charts}
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: charts, namespace: charts}
spec:
  accessModes: [ReadWriteMany]
  storageClassName: charts
  resources: {requests: {storage: 1Ti}}
---
apiVersion: v1
kind: Service
metadata: {name: chartroom, namespace: charts}
spec:
  clusterIP: None
  selector: {app: chartroom}
  ports: [{name: files, port: 7210}]
---
apiVersion: apps/v1
kind: StatefulSet
metadata:
  name: chartroom
  namespace: charts
  labels: {app: chartroom, standin.example/blueprint: shared-files}
spec:
  replicas: 3
  podManagementPolicy: Parallel
  serviceName: chartroom
  selector: {matchLabels: {app: chartroom}}
  template:
    metadata: {labels: {app: chartroom}}
    spec:
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - topologyKey: kubernetes.io/hostname
            labelSelector: {matchLabels: {app: chartroom}}
      containers:
      - name: files
        image: shelf.standin.example/engines/chart-files:r1
        resources: {requests: {cpu: 100m, memory: 256Mi}}
        volumeMounts: [{name: charts, mountPath: /srv/charts}]
      volumes:
      - name: charts
        persistentVolumeClaim: {claimName: charts}
`;

/** Two claims that nobody uses any more, or not yet, and the class of snapshots. */
export const leftoversYaml = `
apiVersion: snapshot.storage.k8s.io/v1
kind: VolumeSnapshotClass
metadata:
  name: quay-snapshots
  annotations: {snapshot.storage.kubernetes.io/is-default-class: "true"}
driver: block.standin.example
deletionPolicy: Delete
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: scratch, namespace: events}
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: steady-block
  resources: {requests: {storage: 20Gi}}
---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: old-ledger, namespace: events}
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: plain-block
  resources: {requests: {storage: 40Gi}}
`;
