import { good, type Row, type Section } from './table';

const at = 'spec.containers[0]';
const volumes = [
  { name: 'data', persistentVolumeClaim: { claimName: 'data' } },
  { name: 'work', emptyDir: {} }
];
const withVolumes = { ...good.Pod, spec: { ...good.Pod.spec, volumes } };
const section = (of: string, rows: readonly Row[]): Section => ({ of, base: withVolumes, at, rows });

const port = (one: object): Row[0] => ({ ports: [{ containerPort: 7110, ...one }] });
const env = (one: object): Row[0] => ({ env: [{ name: 'ONE', ...one }] });
const mount = (one: object, more: object = {}): Row[0] => ({ volumeMounts: [{ name: 'data', mountPath: '/data', ...one }], ...more });
const probe = (kind: string, one: object): Row[0] => ({ [kind]: one });
const tcp = { tcpSocket: { port: 7110 } };

export const containers: readonly Section[] = [
  section('Container v1 core: name, image, policies', [
    [{ name: 'a-1' }],
    [{ name: 'A' }, 'name'],
    [{ name: 'a.b' }, 'name'],
    [{ name: 'x'.repeat(64) }, 'name'],
    [{ image: '' }, 'image'],
    [{ image: ' one:1' }, 'image'],
    [{ imagePullPolicy: 'IfNotPresent' }],
    [{ imagePullPolicy: 'Sometimes' }, 'imagePullPolicy'],
    [{ terminationMessagePolicy: 'FallbackToLogsOnError' }],
    [{ terminationMessagePolicy: 'Log' }, 'terminationMessagePolicy'],
    [{ restartPolicy: 'Always' }, 'restartPolicy'],
    [{ stdin: 'yes' }, 'stdin'],
    [{ workingDir: 4 }, 'workingDir']
  ]),
  section('ContainerPort v1 core', [
    [port({ name: 'sql' })],
    [port({ name: 'p'.repeat(15) })],
    [port({ name: 'p'.repeat(16) }), 'ports[0].name'],
    [port({ name: 'Sql' }), 'ports[0].name'],
    [port({ name: '123' }), 'ports[0].name'],
    [port({ name: 'a--b' }), 'ports[0].name'],
    [port({ name: '-a' }), 'ports[0].name'],
    [port({ containerPort: 65_535 })],
    [port({ containerPort: 65_536 }), 'ports[0].containerPort'],
    [port({ containerPort: 0 }), 'ports[0].containerPort'],
    [port({ protocol: 'SCTP' })],
    [port({ protocol: 'tcp' }), 'ports[0].protocol'],
    [port({ hostPort: 7110 })],
    [port({ hostPort: 70_000 }), 'ports[0].hostPort'],
    [port({ hostIP: '10.0.0.4' })],
    [port({ hostIP: '10.0.0' }), 'ports[0].hostIP'],
    [
      {
        ports: [
          { containerPort: 1, name: 'a' },
          { containerPort: 2, name: 'a' }
        ]
      },
      'ports[1]'
    ],
    [
      {
        ports: [
          { containerPort: 1, hostPort: 9 },
          { containerPort: 2, hostPort: 9 }
        ]
      },
      'ports[1].hostPort'
    ],
    [
      {
        ports: [
          { containerPort: 1, hostPort: 9 },
          { containerPort: 2, hostPort: 9, protocol: 'UDP' }
        ]
      }
    ]
  ]),
  section('EnvVar v1 core; "Define Environment Variables for a Container"', [
    [env({ value: 'x' })],
    [env({ name: 'with-dash.and_dot' })],
    [env({ name: '' }), 'env[0].name'],
    [env({ name: 'a=b' }), 'env[0].name'],
    [env({ valueFrom: { fieldRef: { fieldPath: 'metadata.name' } } })],
    [env({ valueFrom: { fieldRef: { fieldPath: "metadata.labels['app']" } } })],
    [env({ valueFrom: { fieldRef: { fieldPath: 'status.podIP' } } })],
    [env({ valueFrom: { fieldRef: { fieldPath: 'status.phase' } } }), 'env[0].valueFrom.fieldRef.fieldPath'],
    [env({ valueFrom: { fieldRef: {} } }), 'env[0].valueFrom.fieldRef.fieldPath'],
    [env({ valueFrom: { resourceFieldRef: { resource: 'limits.memory' } } })],
    [env({ valueFrom: { resourceFieldRef: { resource: 'limits.gpu' } } }), 'env[0].valueFrom.resourceFieldRef.resource'],
    [env({ valueFrom: { secretKeyRef: { name: 's', key: 'k' } } })],
    [env({ valueFrom: { secretKeyRef: { name: 's', key: 'k k' } } }), 'env[0].valueFrom.secretKeyRef.key'],
    [env({ valueFrom: {} }), 'env[0].valueFrom'],
    [env({ value: 'x', valueFrom: { secretKeyRef: { name: 's', key: 'k' } } }), 'env[0].valueFrom'],
    [
      env({ valueFrom: { secretKeyRef: { name: 's', key: 'k' }, configMapKeyRef: { name: 's', key: 'k' } } }),
      'env[0].valueFrom.secretKeyRef'
    ],
    [{ envFrom: [{ configMapRef: { name: 'c' }, prefix: 'X_' }] }],
    [{ envFrom: [{}] }, 'envFrom[0]'],
    [{ envFrom: [{ configMapRef: {} }] }, 'envFrom[0].configMapRef.name'],
    [{ envFrom: [{ configMapRef: { name: 'c' }, secretRef: { name: 's' } }] }, 'envFrom[0].secretRef']
  ]),
  section('ResourceRequirements v1 core; "Resource Management for Pods and Containers"', [
    [{ resources: { requests: { cpu: '250m', memory: '1Gi', 'ephemeral-storage': '1Gi' } } }],
    [{ resources: { requests: { memory: '1Gi' }, limits: { memory: '1024Mi' } } }],
    [{ resources: { requests: { memory: '2Gi' }, limits: { memory: '1Gi' } } }, 'resources.requests.memory'],
    [{ resources: { requests: { cpu: '2' }, limits: { cpu: '1900m' } } }, 'resources.requests.cpu'],
    [{ resources: { requests: { mem: '1Gi' } } }, 'resources.requests.mem'],
    [{ resources: { limits: { 'example.test/dongle': '2' } } }],
    [{ resources: { limits: { 'example.test/dongle': '1.5' } } }, 'resources.limits.example.test/dongle'],
    [
      { resources: { requests: { 'example.test/dongle': '1' }, limits: { 'example.test/dongle': '2' } } },
      'resources.requests.example.test/dongle'
    ],
    [{ resources: { requests: { memory: '1Gj' } } }, 'resources.requests.memory'],
    [{ resources: { requests: { 'hugepages-2Mi': '4Mi' }, limits: { 'hugepages-2Mi': '4Mi' } } }]
  ]),
  section('VolumeMount v1 core', [
    [mount({})],
    [mount({ name: 'gone' }), 'volumeMounts[0].name'],
    [mount({ mountPath: '' }), 'volumeMounts[0].mountPath'],
    [mount({ mountPath: '/a:b' }), 'volumeMounts[0].mountPath'],
    [
      {
        volumeMounts: [
          { name: 'data', mountPath: '/a' },
          { name: 'work', mountPath: '/a' }
        ]
      },
      'volumeMounts[1]'
    ],
    [
      {
        volumeMounts: [
          { name: 'data', mountPath: '/a' },
          { name: 'data', mountPath: '/b' }
        ]
      }
    ],
    [mount({ subPath: 'a/b' })],
    [mount({ subPath: '/a' }), 'volumeMounts[0].subPath'],
    [mount({ subPath: '../a' }), 'volumeMounts[0].subPath'],
    [mount({ subPath: 'a..b' })],
    [mount({ subPath: 'a', subPathExpr: '$(ONE)' }), 'volumeMounts[0].subPathExpr'],
    [mount({ mountPropagation: 'HostToContainer' })],
    [mount({ mountPropagation: 'Both' }), 'volumeMounts[0].mountPropagation'],
    [mount({ mountPropagation: 'Bidirectional' }), 'volumeMounts[0].mountPropagation'],
    [mount({ mountPropagation: 'Bidirectional' }, { securityContext: { privileged: true } })],
    [mount({ recursiveReadOnly: 'Enabled', readOnly: true })],
    [mount({ recursiveReadOnly: 'Enabled' }), 'volumeMounts[0].recursiveReadOnly'],
    [mount({ readOnly: 'yes' }), 'volumeMounts[0].readOnly']
  ]),
  section('VolumeDevice v1 core', [
    [{ volumeDevices: [{ name: 'data', devicePath: '/dev/data' }] }],
    [{ volumeDevices: [{ name: 'work', devicePath: '/dev/data' }] }, 'volumeDevices[0].name'],
    [{ volumeDevices: [{ name: 'gone', devicePath: '/dev/data' }] }, 'volumeDevices[0].name'],
    [{ volumeDevices: [{ name: 'data', devicePath: '' }] }, 'volumeDevices[0].devicePath'],
    [{ volumeDevices: [{ name: 'data', devicePath: '/dev/../x' }] }, 'volumeDevices[0].devicePath'],
    [mount({}, { volumeDevices: [{ name: 'data', devicePath: '/dev/data' }] }), 'volumeDevices[0].name'],
    [mount({ name: 'work' }, { volumeDevices: [{ name: 'data', devicePath: '/data' }] }), 'volumeDevices[0].devicePath']
  ]),
  section('Probe v1 core', [
    [probe('readinessProbe', { ...tcp, successThreshold: 3 })],
    [probe('livenessProbe', { ...tcp, successThreshold: 1 })],
    [probe('livenessProbe', { ...tcp, successThreshold: 2 }), 'livenessProbe.successThreshold'],
    [probe('startupProbe', { ...tcp, successThreshold: 2 }), 'startupProbe.successThreshold'],
    [probe('readinessProbe', { periodSeconds: 5 }), 'readinessProbe'],
    [probe('readinessProbe', { ...tcp, exec: { command: ['a'] } }), 'readinessProbe.tcpSocket'],
    [probe('readinessProbe', { exec: { command: [] } }), 'readinessProbe.exec.command'],
    [probe('readinessProbe', { exec: {} }), 'readinessProbe.exec.command'],
    [probe('readinessProbe', { httpGet: { port: 'web' } })],
    [probe('readinessProbe', { httpGet: { port: 'Web!' } }), 'readinessProbe.httpGet.port'],
    [probe('readinessProbe', { httpGet: { port: 0 } }), 'readinessProbe.httpGet.port'],
    [probe('readinessProbe', { httpGet: { path: '/x' } }), 'readinessProbe.httpGet.port'],
    [probe('readinessProbe', { httpGet: { port: 80, scheme: 'https' } }), 'readinessProbe.httpGet.scheme'],
    [
      probe('readinessProbe', { httpGet: { port: 80, httpHeaders: [{ name: 'a b', value: '' }] } }),
      'readinessProbe.httpGet.httpHeaders[0].name'
    ],
    [probe('readinessProbe', { tcpSocket: { port: 70_000 } }), 'readinessProbe.tcpSocket.port'],
    [probe('readinessProbe', { grpc: { port: 7110 } })],
    [probe('readinessProbe', { grpc: { port: 0 } }), 'readinessProbe.grpc.port'],
    [probe('readinessProbe', { ...tcp, timeoutSeconds: -1 }), 'readinessProbe.timeoutSeconds'],
    [probe('readinessProbe', { ...tcp, failureThreshold: -1 }), 'readinessProbe.failureThreshold'],
    [probe('readinessProbe', { ...tcp, periodSeconds: 1.5 }), 'readinessProbe.periodSeconds'],
    [probe('readinessProbe', { ...tcp, terminationGracePeriodSeconds: 5 }), 'readinessProbe.terminationGracePeriodSeconds'],
    [probe('livenessProbe', { ...tcp, terminationGracePeriodSeconds: 5 })],
    [probe('livenessProbe', { ...tcp, terminationGracePeriodSeconds: 0 }), 'livenessProbe.terminationGracePeriodSeconds']
  ]),
  section('Lifecycle v1 core', [
    [{ lifecycle: { preStop: { exec: { command: ['stop'] } } } }],
    [{ lifecycle: { preStop: {} } }, 'lifecycle.preStop'],
    [{ lifecycle: { preStop: { sleep: { seconds: 5 } } } }],
    [{ lifecycle: { preStop: { sleep: { seconds: 31 } } } }, 'lifecycle.preStop.sleep.seconds'],
    [{ lifecycle: { postStart: { exec: { command: ['a'] }, httpGet: { port: 80 } } } }, 'lifecycle.postStart.httpGet']
  ]),
  section('SecurityContext v1 core', [
    [{ securityContext: { runAsUser: 1000, runAsNonRoot: true } }],
    [{ securityContext: { runAsUser: -1 } }, 'securityContext.runAsUser'],
    [{ securityContext: { runAsGroup: 2 ** 31 } }, 'securityContext.runAsGroup'],
    [{ securityContext: { privileged: true, allowPrivilegeEscalation: false } }, 'securityContext.allowPrivilegeEscalation'],
    [
      { securityContext: { capabilities: { add: ['CAP_SYS_ADMIN'] }, allowPrivilegeEscalation: false } },
      'securityContext.allowPrivilegeEscalation'
    ],
    [{ securityContext: { seccompProfile: { type: 'RuntimeDefault' } } }],
    [{ securityContext: { seccompProfile: { type: 'Localhost' } } }, 'securityContext.seccompProfile.localhostProfile'],
    [
      { securityContext: { seccompProfile: { type: 'Unconfined', localhostProfile: 'x' } } },
      'securityContext.seccompProfile.localhostProfile'
    ],
    [{ securityContext: { procMount: 'Masked' } }, 'securityContext.procMount'],
    [{ securityContext: { readOnlyRootFilesystem: 'true' } }, 'securityContext.readOnlyRootFilesystem']
  ])
];
