import type { FeatureGate } from '../provider/feature-gates';
import type { Played } from './played';
import { hardening, podFields } from './pod-fields';

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
    plays: 'allocateLoadBalancerNodePorts clusterIP clusterIPs externalName ports publishNotReadyAddresses selector type',
    not: {
      externalIPs: 'nobody calls from outside by them',
      externalTrafficPolicy: 'callers from outside reach every member',
      healthCheckNodePort: 'nobody asks nodes for members',
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
    plays: 'name nodePort port protocol targetPort',
    not: { appProtocol: 'callers know what they speak' }
  },
  SessionAffinityConfig: { not: { clientIP: 'each call stands alone' } },
  ClientIPConfig: { not: { timeoutSeconds: 'each call stands alone' } },
  ...podFields,
  StatefulSetSpec: {
    plays:
      'minReadySeconds ordinals persistentVolumeClaimRetentionPolicy podManagementPolicy replicas revisionHistoryLimit selector serviceName template updateStrategy volumeClaimTemplates'
  },
  StatefulSetOrdinals: { plays: 'start' },
  StatefulSetPersistentVolumeClaimRetentionPolicy: { plays: 'whenDeleted whenScaled' },
  PodTemplateSpec: {},
  StatefulSetUpdateStrategy: { plays: 'rollingUpdate type' },
  RollingUpdateStatefulSetStrategy: { plays: 'maxUnavailable partition' },
  DeploymentSpec: {
    plays: 'minReadySeconds paused progressDeadlineSeconds replicas revisionHistoryLimit selector strategy template'
  },
  DeploymentStrategy: { plays: 'rollingUpdate type' },
  RollingUpdateDeployment: { plays: 'maxSurge maxUnavailable' },
  DaemonSetSpec: {
    plays: 'minReadySeconds selector template updateStrategy',
    not: {
      revisionHistoryLimit: 'old revisions are not kept as objects'
    }
  },
  DaemonSetUpdateStrategy: { plays: 'rollingUpdate type' },
  RollingUpdateDaemonSet: { plays: 'maxSurge maxUnavailable' },
  JobSpec: {
    plays: 'activeDeadlineSeconds backoffLimit completions parallelism suspend template ttlSecondsAfterFinished',
    not: {
      backoffLimitPerIndex: 'which pod does which part is not told apart',
      completionMode: 'which pod does which part is not told apart',
      managedBy: 'the one controller runs every job',
      manualSelector: 'a job knows its pods by itself',
      maxFailedIndexes: 'which pod does which part is not told apart',
      podFailurePolicy: 'tries are counted alike',
      podReplacementPolicy: 'a failed pod is replaced at once',
      selector: 'a job knows its pods by itself',
      successPolicy: 'which pod does which part is not told apart'
    }
  },
  CronJobSpec: {
    plays:
      'concurrencyPolicy failedJobsHistoryLimit jobTemplate schedule startingDeadlineSeconds successfulJobsHistoryLimit suspend timeZone'
  },
  JobTemplateSpec: {},
  PodFailurePolicy: { not: { rules: 'tries are counted alike' } },
  PodFailurePolicyRule: { not: { '*': 'tries are counted alike' } },
  PodFailurePolicyOnExitCodesRequirement: { not: { '*': 'tries are counted alike' } },
  PodFailurePolicyOnPodConditionsPattern: { not: { '*': 'tries are counted alike' } },
  SuccessPolicy: { not: { rules: 'which pod does which part is not told apart' } },
  SuccessPolicyRule: { not: { '*': 'which pod does which part is not told apart' } },
  StorageClass: {
    plays: 'allowVolumeExpansion allowedTopologies parameters provisioner reclaimPolicy volumeBindingMode',
    not: { mountOptions: 'mounts know no options' }
  },
  EndpointSlice: {
    plays: 'endpoints',
    not: { addressType: 'addresses are IPv4', ports: 'the ports of the service count' }
  },
  Endpoint: {
    plays: 'addresses conditions',
    not: {
      deprecatedTopology: 'no longer served',
      hints: 'callers reach every member',
      hostname: 'a slice that is written by hand gives no names',
      nodeName: 'the address counts',
      targetRef: 'the address counts',
      zone: 'callers reach every member'
    }
  },
  EndpointConditions: {
    plays: 'ready',
    not: { serving: 'ready alone counts', terminating: 'ready alone counts' }
  },
  EndpointHints: { not: { forZones: 'callers reach every member' } },
  ForZone: { not: { name: 'callers reach every member' } },
  EndpointPort: { not: { '*': 'the ports of the service count' } },
  TopologySelectorTerm: { plays: 'matchLabelExpressions' },
  TopologySelectorLabelRequirement: { plays: 'key values' },
  CSIDriverSpec: {
    plays: 'attachRequired storageCapacity',
    not: {
      fsGroupPolicy: 'the group of files follows the pod',
      podInfoOnMount: 'drivers need to know nothing of pods',
      requiresRepublish: 'a mount stays as it is',
      seLinuxMount: hardening,
      tokenRequests: 'drivers show their own identity',
      volumeLifecycleModes: 'volumes outlive their pods'
    }
  },
  CSIStorageCapacity: { plays: 'capacity maximumVolumeSize nodeTopology storageClassName' },
  VolumeAttributesClass: { plays: 'driverName parameters' },
  TokenRequest: { not: { audience: 'drivers show their own identity', expirationSeconds: 'drivers show their own identity' } },
  PersistentVolumeSpec: {
    plays:
      'accessModes capacity claimRef csi nodeAffinity persistentVolumeReclaimPolicy storageClassName volumeAttributesClassName volumeMode',
    not: {
      hostPath: 'it binds, and the directory is empty',
      local: 'it binds, and the directory is empty',
      mountOptions: 'mounts know no options',
      nfs: 'it binds, and the directory is empty'
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
    plays: 'maxUnavailable minAvailable selector unhealthyPodEvictionPolicy'
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
  NetworkPolicySpec: { plays: 'egress ingress podSelector policyTypes' },
  NetworkPolicyEgressRule: { plays: 'ports to' },
  NetworkPolicyPort: { plays: 'endPort port protocol' },
  NetworkPolicyPeer: { plays: 'ipBlock namespaceSelector podSelector' },
  IPBlock: { plays: 'cidr except' },
  NetworkPolicyIngressRule: { plays: 'from ports' },
  ResourceQuotaSpec: { plays: 'hard scopeSelector scopes' },
  ScopeSelector: { plays: 'matchExpressions' },
  ScopedResourceSelectorRequirement: { plays: 'operator scopeName values' },
  LimitRangeSpec: { plays: 'limits' },
  LimitRangeItem: { plays: 'default defaultRequest max maxLimitRequestRatio min type' },
  PriorityClass: { plays: 'globalDefault preemptionPolicy value', not: { description: 'a note for people' } }
};

/** Fields from which nothing follows while the gate of the cluster API is shut that they need. */
export const gated: Readonly<Record<string, FeatureGate>> = {
  'RollingUpdateStatefulSetStrategy.maxUnavailable': 'MaxUnavailableStatefulSet',
  'PersistentVolumeClaimSpec.volumeAttributesClassName': 'VolumeAttributesClass',
  'PersistentVolumeSpec.volumeAttributesClassName': 'VolumeAttributesClass'
};

/** Values that are not played out where their field is. */
export const values: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'Container.imagePullPolicy': { Always: 'an image that a node has is not pulled again' }
};
