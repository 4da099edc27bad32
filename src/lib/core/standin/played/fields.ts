/** What of a part's fields the stand-in plays out: their names, and what becomes of the others. */
export interface Played {
  /** Fields that something follows from. */
  readonly plays?: string;
  /** Fields that are kept, checked and handed out again, and nothing follows from; with what that means. */
  readonly not?: Readonly<Record<string, string>>;
}

const identity = 'which user or group a program runs as shows only in the files of a volume';
const hardening = 'programs are not run, so nothing is kept from them';
const inside = 'what a program is told changes nothing of it';
const hook = 'nobody calls anything';
const selectorFields = { plays: 'matchExpressions matchLabels' };
const withKey = { plays: 'key name optional' };
const policy = 'policies hold nobody up';
const admission = 'only the admission step of in-memory databases asks anybody';

/**
 * Every field that the published types have, for the kinds that can be sent: played out, or not. By row, as the table of published fields
 * has them. tests/core/played.test.ts goes through all of them.
 */
export const fields: Readonly<Record<string, Played>> = {
  NamespaceSpec: { not: { finalizers: 'a namespace goes when it is empty' } },
  NodeSpec: {
    plays: 'podCIDR taints unschedulable',
    not: {
      configSource: 'no longer served',
      externalID: 'no longer served',
      podCIDRs: 'podCIDR counts',
      providerID: 'the provider is made up'
    }
  },
  NodeConfigSource: { not: { configMap: 'no longer served' } },
  ConfigMapNodeConfigSource: { not: { '*': 'no longer served' } },
  Taint: { plays: 'effect key value', not: { timeAdded: 'a taint counts from when it is sent' } },
  ServiceAccount: {
    plays: 'imagePullSecrets',
    not: { automountServiceAccountToken: 'pods need no token', secrets: 'pods need no token' }
  },
  LocalObjectReference: { plays: 'name' },
  ObjectReference: {
    plays: 'kind name namespace uid',
    not: { apiVersion: 'the kind tells', fieldPath: 'the object counts', resourceVersion: 'the object counts' }
  },
  ConfigMap: { plays: 'binaryData data immutable' },
  Secret: { plays: 'data immutable stringData type' },
  ServiceSpec: {
    plays: 'clusterIP clusterIPs ports publishNotReadyAddresses selector type',
    not: {
      allocateLoadBalancerNodePorts: 'nodes open no ports',
      externalIPs: 'nobody calls from outside by them',
      externalName: 'the name leads nowhere',
      externalTrafficPolicy: 'callers from outside reach every member',
      healthCheckNodePort: 'nodes open no ports',
      internalTrafficPolicy: 'callers reach every member',
      ipFamilies: 'addresses are IPv4',
      ipFamilyPolicy: 'addresses are IPv4',
      loadBalancerClass: 'one balancer serves all',
      loadBalancerIP: 'the balancer gives the address',
      loadBalancerSourceRanges: 'whoever calls from outside is let in',
      sessionAffinity: 'each call stands alone',
      sessionAffinityConfig: 'each call stands alone',
      trafficDistribution: 'callers reach every member'
    }
  },
  ServicePort: {
    plays: 'name port protocol targetPort',
    not: { appProtocol: 'callers know what they speak', nodePort: 'nodes open no ports' }
  },
  SessionAffinityConfig: { not: { clientIP: 'each call stands alone' } },
  ClientIPConfig: { not: { timeoutSeconds: 'each call stands alone' } },
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
  SecretVolumeSource: { plays: 'optional secretName', not: { defaultMode: identity, items: 'a key that lacks is not missed' } },
  StatefulSetSpec: {
    plays:
      'minReadySeconds ordinals persistentVolumeClaimRetentionPolicy podManagementPolicy replicas selector serviceName template updateStrategy volumeClaimTemplates',
    not: { revisionHistoryLimit: 'old revisions are not kept as objects' }
  },
  StatefulSetOrdinals: { plays: 'start' },
  StatefulSetPersistentVolumeClaimRetentionPolicy: { plays: 'whenDeleted whenScaled' },
  PodTemplateSpec: {},
  StatefulSetUpdateStrategy: { plays: 'rollingUpdate type' },
  RollingUpdateStatefulSetStrategy: { plays: 'partition', not: { maxUnavailable: 'one member is replaced at a time' } },
  DeploymentSpec: {
    plays: 'replicas selector strategy template',
    not: {
      minReadySeconds: 'a pod counts as soon as it is ready',
      paused: 'a new template is rolled out all the same',
      progressDeadlineSeconds: 'a rollout that is stuck is not called failed',
      revisionHistoryLimit: 'old revisions are not kept as objects'
    }
  },
  DeploymentStrategy: { plays: 'rollingUpdate type' },
  RollingUpdateDeployment: { plays: 'maxSurge maxUnavailable' },
  DaemonSetSpec: {
    plays: 'selector template',
    not: {
      minReadySeconds: 'a pod counts as soon as it is ready',
      revisionHistoryLimit: 'old revisions are not kept as objects',
      updateStrategy: 'a new template replaces the pods one node after the other'
    }
  },
  DaemonSetUpdateStrategy: {
    not: {
      rollingUpdate: 'a new template replaces the pods one node after the other',
      type: 'a new template replaces the pods one node after the other'
    }
  },
  RollingUpdateDaemonSet: {
    not: { maxSurge: 'one node after the other', maxUnavailable: 'one node after the other' }
  },
  JobSpec: {
    plays: 'backoffLimit template',
    not: {
      activeDeadlineSeconds: 'a job that takes too long is not ended',
      backoffLimitPerIndex: 'one pod does the work',
      completionMode: 'one pod does the work',
      completions: 'one pod does the work',
      managedBy: 'the one controller runs every job',
      manualSelector: 'a job knows its pods by itself',
      maxFailedIndexes: 'one pod does the work',
      parallelism: 'one pod does the work',
      podFailurePolicy: 'tries are counted alike',
      podReplacementPolicy: 'a failed pod is replaced at once',
      selector: 'a job knows its pods by itself',
      successPolicy: 'one pod does the work',
      suspend: 'the job begins all the same',
      ttlSecondsAfterFinished: 'a finished job stays'
    }
  },
  PodFailurePolicy: { not: { rules: 'tries are counted alike' } },
  PodFailurePolicyRule: { not: { '*': 'tries are counted alike' } },
  PodFailurePolicyOnExitCodesRequirement: { not: { '*': 'tries are counted alike' } },
  PodFailurePolicyOnPodConditionsPattern: { not: { '*': 'tries are counted alike' } },
  SuccessPolicy: { not: { rules: 'one pod does the work' } },
  SuccessPolicyRule: { not: { '*': 'one pod does the work' } },
  StorageClass: {
    plays: 'allowVolumeExpansion allowedTopologies parameters provisioner reclaimPolicy volumeBindingMode',
    not: { mountOptions: 'mounts know no options' }
  },
  TopologySelectorTerm: { plays: 'matchLabelExpressions' },
  TopologySelectorLabelRequirement: { plays: 'key values' },
  CSIDriverSpec: {
    plays: 'attachRequired',
    not: {
      fsGroupPolicy: 'the group of files follows the pod',
      podInfoOnMount: 'drivers need to know nothing of pods',
      requiresRepublish: 'a mount stays as it is',
      seLinuxMount: hardening,
      storageCapacity: 'room is told by the backend when a volume is made',
      tokenRequests: 'drivers show their own identity',
      volumeLifecycleModes: 'volumes outlive their pods'
    }
  },
  TokenRequest: { not: { audience: 'drivers show their own identity', expirationSeconds: 'drivers show their own identity' } },
  PersistentVolumeSpec: {
    plays: 'accessModes capacity claimRef csi nodeAffinity persistentVolumeReclaimPolicy storageClassName volumeMode',
    not: {
      hostPath: 'it binds, and the directory is empty',
      local: 'it binds, and the directory is empty',
      mountOptions: 'mounts know no options',
      nfs: 'it binds, and the directory is empty',
      volumeAttributesClassName: 'volumes have no attributes to change'
    }
  },
  CSIPersistentVolumeSource: {
    plays: 'driver fsType volumeHandle',
    not: {
      controllerExpandSecretRef: 'drivers show their own identity',
      controllerPublishSecretRef: 'drivers show their own identity',
      nodeExpandSecretRef: 'drivers show their own identity',
      nodePublishSecretRef: 'drivers show their own identity',
      nodeStageSecretRef: 'drivers show their own identity',
      readOnly: 'the mount takes writes all the same',
      volumeAttributes: 'the backend knows its volumes by their handles'
    }
  },
  SecretReference: { not: { name: 'drivers show their own identity', namespace: 'drivers show their own identity' } },
  LocalVolumeSource: { not: { fsType: 'it binds, and the directory is empty', path: 'it binds, and the directory is empty' } },
  VolumeNodeAffinity: { plays: 'required' },
  PodDisruptionBudgetSpec: {
    plays: 'maxUnavailable minAvailable selector',
    not: { unhealthyPodEvictionPolicy: 'as IfHealthyBudget' }
  },
  Role: { plays: 'rules' },
  PolicyRule: {
    plays: 'apiGroups resources verbs',
    not: { nonResourceURLs: 'only rights on objects are asked for', resourceNames: 'the right counts for all names' }
  },
  ClusterRole: { plays: 'rules', not: { aggregationRule: 'the rules that are written count' } },
  AggregationRule: { not: { clusterRoleSelectors: 'the rules that are written count' } },
  RoleBinding: { plays: 'roleRef subjects' },
  RoleRef: { plays: 'kind name', not: { apiGroup: 'one group only is taken' } },
  Subject: { plays: 'kind name namespace', not: { apiGroup: 'one group only is taken' } },
  ClusterRoleBinding: { plays: 'roleRef subjects' },
  ValidatingWebhookConfiguration: { plays: 'webhooks' },
  ValidatingWebhook: {
    plays: 'clientConfig failurePolicy name rules',
    not: {
      admissionReviewVersions: admission,
      matchConditions: admission,
      matchPolicy: admission,
      namespaceSelector: admission,
      objectSelector: admission,
      sideEffects: admission,
      timeoutSeconds: admission
    }
  },
  WebhookClientConfig: { plays: 'service', not: { caBundle: admission, url: admission } },
  ServiceReference: { plays: 'name namespace', not: { path: admission, port: admission } },
  MatchCondition: { not: { expression: admission, name: admission } },
  RuleWithOperations: { plays: 'apiGroups', not: { apiVersions: admission, operations: admission } },
  MutatingWebhookConfiguration: { not: { webhooks: 'nothing changes what is sent' } },
  MutatingWebhook: { not: { '*': 'nothing changes what is sent' } },
  NetworkPolicySpec: { not: { egress: policy, ingress: policy, podSelector: policy, policyTypes: policy } },
  NetworkPolicyEgressRule: { not: { ports: policy, to: policy } },
  NetworkPolicyPort: { not: { endPort: policy, port: policy, protocol: policy } },
  NetworkPolicyPeer: { not: { ipBlock: policy, namespaceSelector: policy, podSelector: policy } },
  IPBlock: { not: { cidr: policy, except: policy } },
  NetworkPolicyIngressRule: { not: { from: policy, ports: policy } },
  ResourceQuotaSpec: { not: { hard: 'nothing is counted', scopeSelector: 'nothing is counted', scopes: 'nothing is counted' } },
  ScopeSelector: { not: { matchExpressions: 'nothing is counted' } },
  ScopedResourceSelectorRequirement: { not: { '*': 'nothing is counted' } }
};

/** Values that are not played out where their field is. */
export const values: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'ServiceSpec.type': { ExternalName: 'the name leads nowhere', NodePort: 'nodes open no ports; it is reached from inside' },
  'TopologySpreadConstraint.whenUnsatisfiable': { ScheduleAnyway: 'wishes are not weighed' }
};
