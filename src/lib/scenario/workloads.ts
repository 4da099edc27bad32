/** `bookings`: multi-primary SQL, three members, as sent to south-quay before its driver was installed. */
export const bookingsYaml = `
apiVersion: v1
kind: Namespace
metadata:
  name: tickets
---
apiVersion: v1
kind: ServiceAccount
metadata:
  name: bookings
  namespace: tickets
---
apiVersion: v1
kind: ConfigMap
metadata:
  name: bookings-config
  namespace: tickets
data:
  engine.conf: |
    cluster_name = bookings
    peers = bookings-0.bookings,bookings-1.bookings,bookings-2.bookings
    flush = each-commit
---
apiVersion: v1
kind: Secret
metadata:
  name: bookings-access
  namespace: tickets
type: Opaque
stringData:
  user: keeper
  password: k7Qx-made-up-for-the-demo-Vd2
---
apiVersion: v1
kind: Service
metadata:
  name: bookings
  namespace: tickets
  labels: {app: bookings}
spec:
  clusterIP: None
  publishNotReadyAddresses: true
  selector: {app: bookings}
  ports:
  - {name: sql, port: 7110, targetPort: sql}
  - {name: peers, port: 7111}
  - {name: gossip, port: 7112, protocol: UDP}
---
apiVersion: v1
kind: Service
metadata:
  name: bookings-sql
  namespace: tickets
  labels: {app: bookings}
spec:
  selector: {app: bookings}
  ports:
  - {name: sql, port: 7110, targetPort: sql}
---
apiVersion: apps/v1
kind: StatefulSet
metadata:
  name: bookings
  namespace: tickets
  labels:
    app: bookings
    standin.example/blueprint: multi-primary-sql
spec:
  replicas: 3
  serviceName: bookings
  selector:
    matchLabels: {app: bookings}
  template:
    metadata:
      labels: {app: bookings}
    spec:
      serviceAccountName: bookings
      terminationGracePeriodSeconds: 60
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - topologyKey: kubernetes.io/hostname
            labelSelector:
              matchLabels: {app: bookings}
      containers:
      - name: sql
        image: shelf.standin.example/engines/multi-primary-sql:r4
        ports:
        - {name: sql, containerPort: 7110}
        - {name: peers, containerPort: 7111}
        - {name: gossip, containerPort: 7112, protocol: UDP}
        env:
        - name: ACCESS_USER
          valueFrom: {secretKeyRef: {name: bookings-access, key: user}}
        - name: ACCESS_PASSWORD
          valueFrom: {secretKeyRef: {name: bookings-access, key: password}}
        resources:
          requests: {cpu: 500m, memory: 2Gi}
          limits: {memory: 2Gi}
        readinessProbe:
          tcpSocket: {port: 7110}
          periodSeconds: 5
        volumeMounts:
        - {name: data, mountPath: /var/lib/engine}
        - {name: config, mountPath: /etc/engine}
      volumes:
      - name: config
        configMap: {name: bookings-config}
  volumeClaimTemplates:
  - metadata:
      name: data
    spec:
      accessModes: [ReadWriteOnce]
      storageClassName: steady-block
      resources:
        requests: {storage: 40Gi}
`;

/** One half of `boarding`, the log broker: coordinators or brokers. */
function boardingSet(name: string, image: string, port: number, size: string, template: string, fill: string): string {
  return `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: events, labels: {app: ${name}}}
spec:
  clusterIP: None
  publishNotReadyAddresses: true
  selector: {app: ${name}}
  ports:
  - {name: data, port: ${port}}
---
apiVersion: apps/v1
kind: StatefulSet
metadata:
  name: ${name}
  namespace: events
  labels: {app: ${name}, standin.example/blueprint: log-broker}
spec:
  replicas: 3
  serviceName: ${name}
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata:
      labels: {app: ${name}, app.kubernetes.io/part-of: boarding}
      annotations: {${fill}}
    spec:
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - topologyKey: kubernetes.io/hostname
            labelSelector: {matchLabels: {app: ${name}}}
      containers:
      - name: log
        image: shelf.standin.example/engines/${image}:r3
        ports: [{name: data, containerPort: ${port}}]
        resources:
          requests: {cpu: 500m, memory: 2Gi}
          limits: {memory: 2Gi}
        volumeMounts: [{name: ${template}, mountPath: /var/lib/log}]
  volumeClaimTemplates:
  - metadata: {name: ${template}}
    spec:
      accessModes: [ReadWriteOnce]
      storageClassName: steady-block
      resources: {requests: {storage: ${size}}}
`;
}

/** The coordinators of `boarding`, which come first. */
export const coordinatorsYaml = `
apiVersion: v1
kind: Namespace
metadata: {name: events}
---${boardingSet('coord', 'log-coordinator', 7130, '8Gi', 'log', 'standin.example/holds: 900Mi, standin.example/writes-a-day: 60Mi')}`;

/** The brokers of `boarding`. */
export const brokersYaml = `${boardingSet('boarding', 'log-broker', 7140, '140Gi', 'data', 'standin.example/holds: 78Gi, standin.example/writes-a-day: 2500Mi')}---
apiVersion: v1
kind: Service
metadata: {name: boarding-inside, namespace: events}
spec:
  selector: {app: boarding}
  ports: [{name: data, port: 7140}]
`;

/** What `boarding` has beside: a helper, its topic, and addresses outside that anybody can read along (no TLS). */
export const boardingOutsideYaml = `
apiVersion: apps/v1
kind: Deployment
metadata: {name: boarding-helper, namespace: events, labels: {app: boarding-helper}}
spec:
  replicas: 1
  selector: {matchLabels: {app: boarding-helper}}
  template:
    metadata: {labels: {app: boarding-helper, app.kubernetes.io/part-of: boarding}}
    spec:
      containers:
      - name: helper
        image: shelf.standin.example/engines/log-helper:r3
        resources: {requests: {cpu: 100m, memory: 128Mi}}
---
apiVersion: engines.standin.example/v1
kind: Topic
metadata: {name: gate-scans, namespace: events}
spec: {workload: boarding, partitions: 6, copies: 3, least: 2}
---
apiVersion: v1
kind: Service
metadata: {name: boarding-front, namespace: events}
spec:
  type: LoadBalancer
  selector: {app: boarding}
  ports: [{name: data, port: 7140}]
${[0, 1, 2]
  .map(
    (i) => `---
apiVersion: v1
kind: Service
metadata: {name: boarding-outside-${i}, namespace: events}
spec:
  type: LoadBalancer
  selector: {app: boarding, statefulset.kubernetes.io/pod-name: boarding-${i}}
  ports: [{name: data, port: 7140}]
`
  )
  .join('')}`;

/** `image-shelf`: a deployment on an ephemeral directory. */
export const imageShelfYaml = `
apiVersion: v1
kind: Namespace
metadata: {name: shelf}
---
apiVersion: v1
kind: Service
metadata: {name: image-shelf, namespace: shelf}
spec:
  selector: {app: image-shelf}
  ports: [{name: https, port: 7220}]
---
apiVersion: apps/v1
kind: Deployment
metadata:
  name: image-shelf
  namespace: shelf
  labels: {app: image-shelf, standin.example/blueprint: image-shelf}
spec:
  replicas: 1
  selector: {matchLabels: {app: image-shelf}}
  template:
    metadata: {labels: {app: image-shelf}}
    spec:
      containers:
      - name: shelf
        image: shelf.standin.example/engines/image-shelf:r3
        ports: [{containerPort: 7220}]
        resources: {requests: {cpu: 250m, memory: 512Mi}}
        volumeMounts: [{name: images, mountPath: /var/lib/shelf}]
      volumes:
      - name: images
        emptyDir: {}
`;

const classYaml = (name: string, binding: string, grows: boolean, isDefault: boolean) => `
apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata:
  name: ${name}${isDefault ? '\n  annotations: {storageclass.kubernetes.io/is-default-class: "true"}' : ''}
provisioner: block.standin.example
parameters: {csi.storage.k8s.io/fstype: ext4}
reclaimPolicy: Delete
volumeBindingMode: ${binding}
allowVolumeExpansion: ${grows}
`;

/** The default class: grows, waits for the first consumer. */
export const steadyBlockYaml = classYaml('steady-block', 'WaitForFirstConsumer', true, true);
/** The older class: no growth, binds at once. */
export const plainBlockYaml = classYaml('plain-block', 'Immediate', false, false);

const planOf = (namespace: string, workload: string, spec: string): string => `
apiVersion: standin.example/v1
kind: BackupPlan
metadata: {name: ${workload}-copies, namespace: ${namespace}}
spec:
  workload: ${workload}
  timeZone: Europe/Lisbon
  ${spec}
`;

/** Copies of `boarding` lie where its data lie; those of `timetable` in the store beside it, with the log behind them. Neither was ever put back. */
export const quayPlansYaml = `${planOf('events', 'boarding', 'how: snapshots\n  schedule: "30 7 * * *"\n  keep: {newest: 5}')}---${planOf(
  'plans',
  'timetable',
  'how: copy-and-log\n  schedule: "0 * * * *"\n  into: {namespace: keeps, store: strongbox, bucket: timetable-copies}\n  logEverySeconds: 600\n  keep: {newest: 4, days: 14, weeks: 9}'
)}`;
