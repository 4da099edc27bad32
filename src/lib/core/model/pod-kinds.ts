import { z } from 'zod';
import { claimSpec } from './claim-spec';
import { condition, count, intOrText, kindOf, labelSelector, objectMeta, quantityMap, textMap } from './meta';

const keyRef = z.looseObject({ name: z.string().optional(), key: z.string(), optional: z.boolean().optional() });
const sourceRef = z.looseObject({ name: z.string().optional(), optional: z.boolean().optional() });

const envVar = z.looseObject({
  name: z.string(),
  value: z.string().optional(),
  valueFrom: z.looseObject({ configMapKeyRef: keyRef.optional(), secretKeyRef: keyRef.optional() }).optional()
});

const probe = z.looseObject({
  initialDelaySeconds: count.optional(),
  periodSeconds: count.optional(),
  failureThreshold: count.optional(),
  successThreshold: count.optional(),
  tcpSocket: z.looseObject({ port: intOrText.optional() }).optional(),
  httpGet: z.looseObject({ port: intOrText.optional() }).optional()
});

/** A container of a pod (core/v1). */
export const container = z.looseObject({
  name: z.string(),
  image: z.string(),
  imagePullPolicy: z.string().optional(),
  command: z.array(z.string()).optional(),
  args: z.array(z.string()).optional(),
  env: z.array(envVar).optional(),
  envFrom: z.array(z.looseObject({ configMapRef: sourceRef.optional(), secretRef: sourceRef.optional() })).optional(),
  ports: z
    .array(
      z.looseObject({ name: z.string().optional(), containerPort: z.number().int().min(1).max(65535), protocol: z.string().optional() })
    )
    .optional(),
  resources: z.looseObject({ requests: quantityMap.optional(), limits: quantityMap.optional() }).optional(),
  volumeMounts: z.array(z.looseObject({ name: z.string(), mountPath: z.string(), readOnly: z.boolean().optional() })).optional(),
  readinessProbe: probe.optional(),
  livenessProbe: probe.optional(),
  startupProbe: probe.optional(),
  /** Of an init container only: "Always" for one that runs on beside the others. */
  restartPolicy: z.string().optional()
});

const podVolume = z.looseObject({
  name: z.string(),
  persistentVolumeClaim: z.looseObject({ claimName: z.string(), readOnly: z.boolean().optional() }).optional(),
  configMap: sourceRef.optional(),
  secret: z.looseObject({ secretName: z.string().optional(), optional: z.boolean().optional() }).optional(),
  emptyDir: z.looseObject({}).optional(),
  ephemeral: z
    .looseObject({ volumeClaimTemplate: z.looseObject({ metadata: objectMeta.partial().optional(), spec: claimSpec }).optional() })
    .optional(),
  hostPath: z.looseObject({ path: z.string() }).optional()
});

const requirement = z.looseObject({ key: z.string(), operator: z.string(), values: z.array(z.string()).optional() });
/** One term of a node selector: all of its expressions have to hold. */
export const nodeTerm = z.looseObject({ matchExpressions: z.array(requirement).optional() });
/** One term of affinity between pods. */
export const affinityTerm = z.looseObject({
  labelSelector: labelSelector.optional(),
  topologyKey: z.string(),
  namespaces: z.array(z.string()).optional()
});

const toleration = z.looseObject({
  key: z.string().optional(),
  operator: z.string().optional(),
  value: z.string().optional(),
  effect: z.string().optional(),
  tolerationSeconds: z.number().optional()
});

/** What a pod asks for (core/v1, PodSpec). */
export const podSpec = z.looseObject({
  containers: z.array(container).min(1),
  initContainers: z.array(container).optional(),
  volumes: z.array(podVolume).optional(),
  nodeName: z.string().optional(),
  nodeSelector: textMap.optional(),
  serviceAccountName: z.string().optional(),
  priorityClassName: z.string().optional(),
  priority: z.number().optional(),
  preemptionPolicy: z.string().optional(),
  hostname: z.string().optional(),
  subdomain: z.string().optional(),
  restartPolicy: z.string().optional(),
  terminationGracePeriodSeconds: count.optional(),
  securityContext: z.looseObject({ runAsUser: count.optional(), runAsGroup: count.optional(), fsGroup: count.optional() }).optional(),
  tolerations: z.array(toleration).optional(),
  affinity: z
    .looseObject({
      nodeAffinity: z
        .looseObject({ requiredDuringSchedulingIgnoredDuringExecution: z.looseObject({ nodeSelectorTerms: z.array(nodeTerm) }).optional() })
        .optional(),
      podAntiAffinity: z.looseObject({ requiredDuringSchedulingIgnoredDuringExecution: z.array(affinityTerm).optional() }).optional()
    })
    .optional()
});

const containerState = z.looseObject({
  waiting: z.looseObject({ reason: z.string().optional(), message: z.string().optional() }).optional(),
  running: z.looseObject({ startedAt: z.string().optional() }).optional(),
  terminated: z.looseObject({ exitCode: z.number(), reason: z.string().optional() }).optional()
});

/** How a container stands (core/v1, ContainerStatus). */
export const containerStatus = z.looseObject({
  name: z.string(),
  image: z.string(),
  imageID: z.string(),
  ready: z.boolean(),
  restartCount: z.number(),
  started: z.boolean().optional(),
  state: containerState.optional()
});

/** Pod (core/v1). */
export const podSchema = kindOf('v1', 'Pod', {
  spec: podSpec,
  status: z
    .looseObject({
      phase: z.string().optional(),
      podIP: z.string().optional(),
      hostIP: z.string().optional(),
      startTime: z.string().optional(),
      conditions: z.array(condition).optional(),
      containerStatuses: z.array(containerStatus).optional(),
      initContainerStatuses: z.array(containerStatus).optional()
    })
    .optional()
});

/** What pods are made from (core/v1, PodTemplateSpec). */
export const podTemplate = z.looseObject({ metadata: objectMeta.partial().optional(), spec: podSpec });

/** Node (core/v1). */
export const nodeSchema = kindOf('v1', 'Node', {
  spec: z
    .looseObject({
      podCIDR: z.string().optional(),
      providerID: z.string().optional(),
      unschedulable: z.boolean().optional(),
      taints: z.array(z.looseObject({ key: z.string(), value: z.string().optional(), effect: z.string() })).optional()
    })
    .optional(),
  status: z
    .looseObject({
      capacity: quantityMap.optional(),
      allocatable: quantityMap.optional(),
      conditions: z.array(condition).optional(),
      addresses: z.array(z.looseObject({ type: z.string(), address: z.string() })).optional(),
      images: z.array(z.looseObject({ names: z.array(z.string()).optional(), sizeBytes: z.number().optional() })).optional()
    })
    .optional()
});

/** A port of a service (core/v1, ServicePort). */
export const servicePort = z.looseObject({
  name: z.string().optional(),
  port: z.number().int().min(1).max(65535),
  targetPort: intOrText.optional(),
  protocol: z.enum(['TCP', 'UDP', 'SCTP']).optional(),
  nodePort: z.number().int().min(1).max(65535).optional()
});

/** Service (core/v1). */
export const serviceSchema = kindOf('v1', 'Service', {
  spec: z.looseObject({
    type: z.enum(['ClusterIP', 'NodePort', 'LoadBalancer', 'ExternalName']).optional(),
    clusterIP: z.string().optional(),
    clusterIPs: z.array(z.string()).optional(),
    selector: textMap.optional(),
    ports: z.array(servicePort).optional(),
    publishNotReadyAddresses: z.boolean().optional(),
    allocateLoadBalancerNodePorts: z.boolean().optional()
  }),
  status: z.looseObject({}).optional()
});

/** EndpointSlice (discovery.k8s.io/v1). */
export const endpointSliceSchema = kindOf('discovery.k8s.io/v1', 'EndpointSlice', {
  addressType: z.string(),
  endpoints: z.array(
    z.looseObject({
      addresses: z.array(z.string()),
      hostname: z.string().optional(),
      nodeName: z.string().optional(),
      zone: z.string().optional(),
      conditions: z
        .looseObject({ ready: z.boolean().optional(), serving: z.boolean().optional(), terminating: z.boolean().optional() })
        .optional(),
      targetRef: z.looseObject({ kind: z.string().optional(), namespace: z.string().optional(), name: z.string().optional() }).optional()
    })
  ),
  ports: z.array(z.looseObject({ name: z.string().optional(), port: z.number().optional(), protocol: z.string().optional() })).optional()
});

/** A pod. */
export type Pod = z.infer<typeof podSchema>;
/** What a pod asks for. */
export type PodSpec = z.infer<typeof podSpec>;
/** A probe of a container. */
export type Probe = z.infer<typeof probe>;
/** What pods are made from. */
export type PodTemplate = z.infer<typeof podTemplate>;
/** A container of a pod. */
export type Container = z.infer<typeof container>;
/** How a container stands. */
export type ContainerStatus = z.infer<typeof containerStatus>;
/** Which taint of a node a pod bears with. */
export type Toleration = z.infer<typeof toleration>;
/** A node. */
export type Node = z.infer<typeof nodeSchema>;
/** A service. */
export type Service = z.infer<typeof serviceSchema>;
/** Addresses behind a service. */
export type EndpointSlice = z.infer<typeof endpointSliceSchema>;
