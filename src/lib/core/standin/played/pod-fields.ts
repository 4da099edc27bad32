import type { Played } from './played';

export const identity = 'which user or group a program runs as shows only in the files of a volume';
export const hardening = 'programs are not run, so nothing is kept from them';
export const leveled = 'only the level of its namespace looks at it; programs are not run';
export const inside = 'what a program is told changes nothing of it';
const selectorFields = { plays: 'matchExpressions matchLabels' };
const withKey = { plays: 'key name optional' };

/** Fields of pods and of all that they hold. */
export const podFields: Readonly<Record<string, Played>> = {
  PodSpec: {
    plays:
      'affinity containers hostname imagePullSecrets initContainers nodeName nodeSelector preemptionPolicy priority priorityClassName restartPolicy schedulerName schedulingGates securityContext serviceAccountName subdomain terminationGracePeriodSeconds tolerations topologySpreadConstraints volumes',
    not: {
      activeDeadlineSeconds: 'a pod that runs too long is not ended',
      automountServiceAccountToken: 'pods need no token',
      dnsConfig: 'names are looked up in the usual way',
      dnsPolicy: 'names are looked up in the usual way',
      enableServiceLinks: inside,
      ephemeralContainers: 'programs for looking in are not run',
      hostAliases: 'names are looked up in the usual way',
      hostIPC: hardening,
      hostNetwork: "the pod gets an address of its own, not its node's",
      hostPID: hardening,
      hostUsers: hardening,
      os: 'all nodes run one system',
      overhead: 'the requests of the containers alone are counted',
      readinessGates: 'a pod is ready when its containers are',
      resourceClaims: 'devices are not handed out',
      runtimeClassName: 'all containers run alike',
      serviceAccount: 'serviceAccountName counts',
      setHostnameAsFQDN: 'the host name is the short one',
      shareProcessNamespace: hardening
    }
  },
  Affinity: { plays: 'nodeAffinity podAffinity podAntiAffinity' },
  NodeAffinity: {
    plays: 'preferredDuringSchedulingIgnoredDuringExecution requiredDuringSchedulingIgnoredDuringExecution'
  },
  PreferredSchedulingTerm: { plays: 'preference weight' },
  NodeSelectorTerm: { plays: 'matchExpressions matchFields' },
  NodeSelectorRequirement: { plays: 'key operator values' },
  NodeSelector: { plays: 'nodeSelectorTerms' },
  PodAffinity: { plays: 'preferredDuringSchedulingIgnoredDuringExecution requiredDuringSchedulingIgnoredDuringExecution' },
  WeightedPodAffinityTerm: { plays: 'podAffinityTerm weight' },
  PodAffinityTerm: {
    plays: 'labelSelector matchLabelKeys namespaceSelector namespaces topologyKey',
    not: {
      mismatchLabelKeys: 'the labelSelector alone counts'
    }
  },
  LabelSelector: selectorFields,
  LabelSelectorRequirement: { plays: 'key operator values' },
  PodAntiAffinity: {
    plays: 'preferredDuringSchedulingIgnoredDuringExecution requiredDuringSchedulingIgnoredDuringExecution'
  },
  Container: {
    plays:
      'env envFrom image imagePullPolicy lifecycle livenessProbe name ports readinessProbe resources restartPolicy securityContext startupProbe volumeDevices volumeMounts',
    not: {
      args: inside,
      command: inside,
      resizePolicy: 'what a pod was given stays',
      stdin: inside,
      stdinOnce: inside,
      terminationMessagePath: 'a program that ends leaves no message',
      terminationMessagePolicy: 'a program that ends leaves no message',
      tty: inside,
      workingDir: inside
    }
  },
  EnvVar: { plays: 'name value valueFrom' },
  EnvVarSource: { plays: 'configMapKeyRef secretKeyRef', not: { fieldRef: inside, resourceFieldRef: inside } },
  ConfigMapKeySelector: withKey,
  ObjectFieldSelector: { not: { apiVersion: inside, fieldPath: inside } },
  ResourceFieldSelector: { not: { containerName: inside, divisor: inside, resource: inside } },
  SecretKeySelector: withKey,
  EnvFromSource: { plays: 'configMapRef secretRef', not: { prefix: inside } },
  ConfigMapEnvSource: { plays: 'name optional' },
  SecretEnvSource: { plays: 'name optional' },
  Lifecycle: { plays: 'postStart preStop' },
  LifecycleHandler: { plays: 'exec httpGet sleep tcpSocket' },
  ExecAction: { not: { command: 'a command in a container succeeds when its program is up; as a hook it takes as long as it sleeps' } },
  HTTPGetAction: { plays: 'path port', not: { host: "the pod's address is asked", httpHeaders: inside, scheme: 'the port alone counts' } },
  HTTPHeader: { not: { name: inside, value: inside } },
  SleepAction: { plays: 'seconds' },
  TCPSocketAction: { plays: 'port', not: { host: "the pod's address is asked" } },
  Probe: {
    plays: 'exec failureThreshold httpGet initialDelaySeconds periodSeconds successThreshold tcpSocket',
    not: {
      grpc: 'it succeeds when the program is up',
      terminationGracePeriodSeconds: 'a program that a probe ends, ends at once',
      timeoutSeconds: 'answers come at once or never'
    }
  },
  GRPCAction: { not: { port: 'it succeeds when the program is up', service: 'it succeeds when the program is up' } },
  ContainerPort: {
    plays: 'containerPort hostIP hostPort name protocol'
  },
  ContainerResizePolicy: { not: { resourceName: 'what a pod was given stays', restartPolicy: 'what a pod was given stays' } },
  ResourceRequirements: { plays: 'limits requests', not: { claims: 'devices are not handed out' } },
  ResourceClaim: { not: { name: 'devices are not handed out' } },
  SecurityContext: {
    plays: 'runAsNonRoot runAsUser',
    not: {
      allowPrivilegeEscalation: leveled,
      appArmorProfile: leveled,
      capabilities: leveled,
      privileged: leveled,
      procMount: leveled,
      readOnlyRootFilesystem: hardening,
      runAsGroup: identity,
      seLinuxOptions: hardening,
      seccompProfile: hardening,
      windowsOptions: hardening
    }
  },
  AppArmorProfile: { not: { localhostProfile: hardening, type: hardening } },
  Capabilities: { not: { add: hardening, drop: hardening } },
  SELinuxOptions: { not: { level: hardening, role: hardening, type: hardening, user: hardening } },
  SeccompProfile: { not: { localhostProfile: hardening, type: hardening } },
  WindowsSecurityContextOptions: {
    not: { gmsaCredentialSpec: hardening, gmsaCredentialSpecName: hardening, hostProcess: hardening, runAsUserName: hardening }
  },
  VolumeDevice: { plays: 'name', not: { devicePath: 'no program writes on it' } },
  VolumeMount: {
    plays: 'mountPath name readOnly',
    not: {
      mountPropagation: 'mounts stay within their container',
      recursiveReadOnly: 'the mount takes writes all the same',
      subPath: 'the volume is mounted from its top',
      subPathExpr: 'the volume is mounted from its top'
    }
  },
  PodDNSConfig: {
    not: {
      nameservers: 'names are looked up in the usual way',
      options: 'names are looked up in the usual way',
      searches: 'names are looked up in the usual way'
    }
  },
  PodDNSConfigOption: { not: { name: 'names are looked up in the usual way', value: 'names are looked up in the usual way' } },
  EphemeralContainer: { not: { '*': 'programs for looking in are not run' } },
  HostAlias: { not: { hostnames: 'names are looked up in the usual way', ip: 'names are looked up in the usual way' } },
  PodOS: { not: { name: 'all nodes run one system' } },
  PodReadinessGate: { not: { conditionType: 'a pod is ready when its containers are' } },
  PodResourceClaim: { not: { name: 'devices are not handed out', source: 'devices are not handed out' } },
  ClaimSource: {
    not: { resourceClaimName: 'devices are not handed out', resourceClaimTemplateName: 'devices are not handed out' }
  },
  PodSchedulingGate: { plays: 'name' },
  PodSecurityContext: {
    plays: 'fsGroup runAsNonRoot runAsUser',
    not: {
      appArmorProfile: hardening,
      fsGroupChangePolicy: 'files change their group in no time',
      runAsGroup: identity,
      seLinuxOptions: hardening,
      seccompProfile: hardening,
      supplementalGroups: identity,
      sysctls: hardening,
      windowsOptions: hardening
    }
  },
  Sysctl: { not: { name: hardening, value: hardening } },
  Toleration: { plays: 'effect key operator tolerationSeconds value' },
  TopologySpreadConstraint: {
    plays: 'labelSelector matchLabelKeys maxSkew minDomains nodeAffinityPolicy nodeTaintsPolicy topologyKey whenUnsatisfiable'
  },
  Volume: {
    plays: 'configMap emptyDir ephemeral hostPath name persistentVolumeClaim projected secret',
    not: {
      csi: 'the directory is empty',
      downwardAPI: inside,
      nfs: 'the directory is empty'
    }
  },
  ConfigMapVolumeSource: { plays: 'items name optional', not: { defaultMode: identity } },
  KeyToPath: { plays: 'key', not: { mode: identity, path: inside } },
  CSIVolumeSource: { not: { '*': 'the directory is empty' } },
  DownwardAPIVolumeSource: { not: { defaultMode: identity, items: inside } },
  DownwardAPIVolumeFile: { not: { fieldRef: inside, mode: identity, path: inside, resourceFieldRef: inside } },
  EmptyDirVolumeSource: { not: { medium: 'the directory takes no memory', sizeLimit: 'a full directory ends nobody' } },
  EphemeralVolumeSource: { plays: 'volumeClaimTemplate' },
  PersistentVolumeClaimTemplate: {},
  PersistentVolumeClaimSpec: {
    plays: 'accessModes dataSource dataSourceRef resources selector storageClassName volumeAttributesClassName volumeMode volumeName'
  },
  TypedLocalObjectReference: { plays: 'apiGroup kind name' },
  TypedObjectReference: { plays: 'apiGroup kind name namespace' },
  VolumeResourceRequirements: { plays: 'requests', not: { limits: 'the request alone counts' } },
  HostPathVolumeSource: { plays: 'type', not: { path: "that it is there is looked at; the directory is empty, and not the node's" } },
  NFSVolumeSource: { not: { path: 'the directory is empty', readOnly: 'the directory is empty', server: 'the directory is empty' } },
  PersistentVolumeClaimVolumeSource: { plays: 'claimName readOnly' },
  ProjectedVolumeSource: { plays: 'sources', not: { defaultMode: identity } },
  VolumeProjection: {
    plays: 'configMap secret',
    not: { clusterTrustBundle: inside, downwardAPI: inside, serviceAccountToken: 'pods need no token' }
  },
  ClusterTrustBundleProjection: { not: { '*': inside } },
  ConfigMapProjection: { plays: 'items name optional' },
  DownwardAPIProjection: { not: { items: inside } },
  SecretProjection: { plays: 'items name optional' },
  ServiceAccountTokenProjection: { not: { '*': 'pods need no token' } },
  SecretVolumeSource: { plays: 'items optional secretName', not: { defaultMode: identity } }
};
