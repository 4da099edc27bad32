import type { Played } from './played';

export const identity = 'which user or group a program runs as shows only in the files of a volume';
export const hardening = 'programs are not run, so nothing is kept from them';
export const inside = 'what a program is told changes nothing of it';
const hook = 'nobody calls anything';
const selectorFields = { plays: 'matchExpressions matchLabels' };
const withKey = { plays: 'key name optional' };

/** Fields of pods and of all that they hold. */
export const podFields: Readonly<Record<string, Played>> = {
  PodSpec: {
    plays:
      'affinity containers hostname imagePullSecrets nodeName nodeSelector restartPolicy securityContext serviceAccountName subdomain terminationGracePeriodSeconds tolerations topologySpreadConstraints volumes',
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
      initContainers: 'what runs before the others is not run; they start at once',
      os: 'all nodes run one system',
      overhead: 'the requests of the containers alone are counted',
      preemptionPolicy: 'nobody makes room for anybody',
      priority: 'nobody makes room for anybody',
      priorityClassName: 'nobody makes room for anybody',
      readinessGates: 'a pod is ready when its containers are',
      resourceClaims: 'devices are not handed out',
      runtimeClassName: 'all containers run alike',
      schedulerName: 'the one scheduler places every pod',
      schedulingGates: 'the pod is placed all the same',
      serviceAccount: 'serviceAccountName counts',
      setHostnameAsFQDN: 'the host name is the short one',
      shareProcessNamespace: hardening
    }
  },
  Affinity: { plays: 'nodeAffinity podAntiAffinity', not: { podAffinity: 'the pod is placed without its company' } },
  NodeAffinity: {
    plays: 'requiredDuringSchedulingIgnoredDuringExecution',
    not: { preferredDuringSchedulingIgnoredDuringExecution: 'wishes are not weighed' }
  },
  PreferredSchedulingTerm: { not: { preference: 'wishes are not weighed', weight: 'wishes are not weighed' } },
  NodeSelectorTerm: { plays: 'matchExpressions', not: { matchFields: 'the node may be any' } },
  NodeSelectorRequirement: { plays: 'key operator values' },
  NodeSelector: { plays: 'nodeSelectorTerms' },
  PodAffinity: {
    not: {
      preferredDuringSchedulingIgnoredDuringExecution: 'wishes are not weighed',
      requiredDuringSchedulingIgnoredDuringExecution: 'the pod is placed without its company'
    }
  },
  WeightedPodAffinityTerm: { not: { podAffinityTerm: 'wishes are not weighed', weight: 'wishes are not weighed' } },
  PodAffinityTerm: {
    plays: 'labelSelector namespaces topologyKey',
    not: {
      matchLabelKeys: 'the labelSelector alone counts',
      mismatchLabelKeys: 'the labelSelector alone counts',
      namespaceSelector: "the pod's own namespace counts, or those that are named"
    }
  },
  LabelSelector: selectorFields,
  LabelSelectorRequirement: { plays: 'key operator values' },
  PodAntiAffinity: {
    plays: 'requiredDuringSchedulingIgnoredDuringExecution',
    not: { preferredDuringSchedulingIgnoredDuringExecution: 'wishes are not weighed' }
  },
  Container: {
    plays: 'env envFrom image name ports readinessProbe resources securityContext volumeMounts',
    not: {
      args: inside,
      command: inside,
      imagePullPolicy: 'an image that a node has is not pulled again',
      lifecycle: hook,
      livenessProbe: 'a program that hangs is not started anew',
      resizePolicy: 'what a pod was given stays',
      restartPolicy: 'what runs before the others is not run',
      startupProbe: 'readiness alone is waited for',
      stdin: inside,
      stdinOnce: inside,
      terminationMessagePath: 'a program that ends leaves no message',
      terminationMessagePolicy: 'a program that ends leaves no message',
      tty: inside,
      volumeDevices: 'the device is there, and no program writes on it',
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
  Lifecycle: { not: { postStart: hook, preStop: hook } },
  LifecycleHandler: { not: { exec: hook, httpGet: hook, sleep: hook, tcpSocket: hook } },
  ExecAction: { not: { command: 'a command in a container succeeds when its program is ready' } },
  HTTPGetAction: { plays: 'path port', not: { host: "the pod's address is asked", httpHeaders: inside, scheme: 'the port alone counts' } },
  HTTPHeader: { not: { name: inside, value: inside } },
  SleepAction: { not: { seconds: hook } },
  TCPSocketAction: { plays: 'port', not: { host: "the pod's address is asked" } },
  Probe: {
    plays: 'exec httpGet tcpSocket',
    not: {
      failureThreshold: 'the first answer counts',
      grpc: 'it succeeds when the program is ready',
      initialDelaySeconds: 'the first look is taken at once',
      periodSeconds: 'looks are taken as the program changes',
      successThreshold: 'the first answer counts',
      terminationGracePeriodSeconds: 'a program that hangs is not started anew',
      timeoutSeconds: 'answers come at once or never'
    }
  },
  GRPCAction: { not: { port: 'it succeeds when the program is ready', service: 'it succeeds when the program is ready' } },
  ContainerPort: {
    plays: 'containerPort name protocol',
    not: { hostIP: 'nodes open no ports', hostPort: 'nodes open no ports, and two may ask for one' }
  },
  ContainerResizePolicy: { not: { resourceName: 'what a pod was given stays', restartPolicy: 'what a pod was given stays' } },
  ResourceRequirements: { plays: 'limits requests', not: { claims: 'devices are not handed out' } },
  ResourceClaim: { not: { name: 'devices are not handed out' } },
  SecurityContext: {
    plays: 'runAsUser',
    not: {
      allowPrivilegeEscalation: hardening,
      appArmorProfile: hardening,
      capabilities: hardening,
      privileged: hardening,
      procMount: hardening,
      readOnlyRootFilesystem: hardening,
      runAsGroup: identity,
      runAsNonRoot: 'a program of user 0 is started all the same',
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
  VolumeDevice: { not: { devicePath: 'no program writes on it', name: 'no program writes on it' } },
  VolumeMount: {
    plays: 'mountPath name',
    not: {
      mountPropagation: 'mounts stay within their container',
      readOnly: 'the mount takes writes all the same',
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
  PodSchedulingGate: { not: { name: 'the pod is placed all the same' } },
  PodSecurityContext: {
    plays: 'fsGroup runAsUser',
    not: {
      appArmorProfile: hardening,
      fsGroupChangePolicy: 'files change their group in no time',
      runAsGroup: identity,
      runAsNonRoot: 'a program of user 0 is started all the same',
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
    plays: 'labelSelector maxSkew topologyKey whenUnsatisfiable',
    not: {
      matchLabelKeys: 'the labelSelector alone counts',
      minDomains: 'the domains that there are count',
      nodeAffinityPolicy: 'as Honor',
      nodeTaintsPolicy: 'as Ignore'
    }
  },
  Volume: {
    plays: 'configMap emptyDir name persistentVolumeClaim secret',
    not: {
      csi: 'the directory is empty',
      downwardAPI: inside,
      ephemeral: 'no claim is made; the directory is empty',
      hostPath: "the directory is empty, and not the node's",
      nfs: 'the directory is empty',
      projected: 'what lacks of it is not missed'
    }
  },
  ConfigMapVolumeSource: { plays: 'name optional', not: { defaultMode: identity, items: 'a key that lacks is not missed' } },
  KeyToPath: { not: { key: 'a key that lacks is not missed', mode: identity, path: inside } },
  CSIVolumeSource: { not: { '*': 'the directory is empty' } },
  DownwardAPIVolumeSource: { not: { defaultMode: identity, items: inside } },
  DownwardAPIVolumeFile: { not: { fieldRef: inside, mode: identity, path: inside, resourceFieldRef: inside } },
  EmptyDirVolumeSource: { not: { medium: 'the directory takes no memory', sizeLimit: 'a full directory ends nobody' } },
  EphemeralVolumeSource: { not: { volumeClaimTemplate: 'no claim is made; the directory is empty' } },
  PersistentVolumeClaimTemplate: {},
  PersistentVolumeClaimSpec: {
    plays: 'accessModes dataSource resources selector storageClassName volumeMode volumeName',
    not: { dataSourceRef: 'the claim is made empty', volumeAttributesClassName: 'volumes have no attributes to change' }
  },
  TypedLocalObjectReference: { plays: 'apiGroup kind name' },
  TypedObjectReference: { plays: 'apiGroup kind name namespace' },
  VolumeResourceRequirements: { plays: 'requests', not: { limits: 'the request alone counts' } },
  HostPathVolumeSource: { not: { path: "the directory is empty, and not the node's", type: 'what lacks is not missed' } },
  NFSVolumeSource: { not: { path: 'the directory is empty', readOnly: 'the directory is empty', server: 'the directory is empty' } },
  PersistentVolumeClaimVolumeSource: { plays: 'claimName', not: { readOnly: 'the mount takes writes all the same' } },
  ProjectedVolumeSource: { not: { defaultMode: identity, sources: 'what lacks of it is not missed' } },
  VolumeProjection: { not: { '*': 'what lacks of it is not missed' } },
  ClusterTrustBundleProjection: { not: { '*': 'what lacks of it is not missed' } },
  ConfigMapProjection: { not: { '*': 'what lacks of it is not missed' } },
  DownwardAPIProjection: { not: { items: inside } },
  SecretProjection: { not: { '*': 'what lacks of it is not missed' } },
  ServiceAccountTokenProjection: { not: { '*': 'pods need no token' } },
  SecretVolumeSource: { plays: 'optional secretName', not: { defaultMode: identity, items: 'a key that lacks is not missed' } }
};
