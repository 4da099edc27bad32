import { z } from 'zod';
import { condition, count, intOrText, kindOf, labelSelector, quantityMap, textMap } from './meta';
import { podTemplate } from './pod-kinds';

/** How many members of a workload may be away at once when somebody empties a node. */
export const disruptionBudgetSchema = kindOf('policy/v1', 'PodDisruptionBudget', {
  spec: z.looseObject({ selector: labelSelector.optional(), minAvailable: intOrText.optional(), maxUnavailable: intOrText.optional() }),
  status: z
    .looseObject({ currentHealthy: z.number(), desiredHealthy: z.number(), expectedPods: z.number(), disruptionsAllowed: z.number() })
    .partial()
    .optional()
});

const rbac = 'rbac.authorization.k8s.io/v1';
const policyRule = z.looseObject({
  apiGroups: z.array(z.string()).optional(),
  resources: z.array(z.string()).optional(),
  verbs: z.array(z.string()),
  resourceNames: z.array(z.string()).optional()
});
const subject = z.looseObject({ kind: z.string(), name: z.string(), namespace: z.string().optional(), apiGroup: z.string().optional() });
const roleRef = z.looseObject({ apiGroup: z.string(), kind: z.string(), name: z.string() });

/** Role (rbac.authorization.k8s.io/v1). */
export const roleSchema = kindOf(rbac, 'Role', { rules: z.array(policyRule).nullish() });
/** ClusterRole (rbac.authorization.k8s.io/v1). */
export const clusterRoleSchema = kindOf(rbac, 'ClusterRole', { rules: z.array(policyRule).nullish() });
/** RoleBinding (rbac.authorization.k8s.io/v1). */
export const roleBindingSchema = kindOf(rbac, 'RoleBinding', { subjects: z.array(subject).nullish(), roleRef });
/** ClusterRoleBinding (rbac.authorization.k8s.io/v1). */
export const clusterRoleBindingSchema = kindOf(rbac, 'ClusterRoleBinding', { subjects: z.array(subject).nullish(), roleRef });

const hook = z.looseObject({
  name: z.string(),
  clientConfig: z.looseObject({
    url: z.string().optional(),
    caBundle: z.string().optional(),
    service: z.looseObject({ namespace: z.string(), name: z.string(), path: z.string().optional(), port: z.number().optional() }).optional()
  })
});
const admission = 'admissionregistration.k8s.io/v1';
/** ValidatingWebhookConfiguration (admissionregistration.k8s.io/v1). */
export const validatingHookSchema = kindOf(admission, 'ValidatingWebhookConfiguration', { webhooks: z.array(hook).optional() });
/** MutatingWebhookConfiguration (admissionregistration.k8s.io/v1). */
export const mutatingHookSchema = kindOf(admission, 'MutatingWebhookConfiguration', { webhooks: z.array(hook).optional() });

const policyPeer = z.looseObject({
  podSelector: labelSelector.optional(),
  namespaceSelector: labelSelector.optional(),
  ipBlock: z.looseObject({ cidr: z.string(), except: z.array(z.string()).optional() }).optional()
});
const policyPort = z.looseObject({ port: intOrText.optional(), endPort: z.number().optional(), protocol: z.string().optional() });

/** NetworkPolicy (networking.k8s.io/v1). */
export const networkPolicySchema = kindOf('networking.k8s.io/v1', 'NetworkPolicy', {
  spec: z
    .looseObject({
      podSelector: labelSelector,
      policyTypes: z.array(z.string()).optional(),
      ingress: z.array(z.looseObject({ from: z.array(policyPeer).optional(), ports: z.array(policyPort).optional() })).optional(),
      egress: z.array(z.looseObject({ to: z.array(policyPeer).optional(), ports: z.array(policyPort).optional() })).optional()
    })
    .optional()
});

/** ResourceQuota (core/v1). */
export const resourceQuotaSchema = kindOf('v1', 'ResourceQuota', {
  spec: z
    .looseObject({
      hard: quantityMap.optional(),
      scopes: z.array(z.string()).optional(),
      scopeSelector: z
        .looseObject({
          matchExpressions: z
            .array(z.looseObject({ scopeName: z.string(), operator: z.string(), values: z.array(z.string()).optional() }))
            .optional()
        })
        .optional()
    })
    .optional(),
  status: z.looseObject({ hard: quantityMap.optional(), used: quantityMap.optional() }).optional()
});

/** LimitRange (core/v1): what containers, pods and claims of a namespace get where they don't say, and how much or little they may ask for. */
export const limitRangeSchema = kindOf('v1', 'LimitRange', {
  spec: z
    .looseObject({
      limits: z.array(
        z.looseObject({
          type: z.string(),
          max: quantityMap.optional(),
          min: quantityMap.optional(),
          default: quantityMap.optional(),
          defaultRequest: quantityMap.optional(),
          maxLimitRequestRatio: quantityMap.optional()
        })
      )
    })
    .optional()
});

/** PriorityClass (scheduling.k8s.io/v1): how much a pod matters beside others. */
export const priorityClassSchema = kindOf('scheduling.k8s.io/v1', 'PriorityClass', {
  value: z.number(),
  globalDefault: z.boolean().optional(),
  description: z.string().optional(),
  preemptionPolicy: z.string().optional()
});

/** ReplicaSet (apps/v1): so many pods of one template; a deployment has one for each of its templates. */
export const replicaSetSchema = kindOf('apps/v1', 'ReplicaSet', {
  spec: z.looseObject({
    replicas: count.optional(),
    minReadySeconds: count.optional(),
    selector: labelSelector,
    template: podTemplate.optional()
  }),
  status: z
    .looseObject({
      replicas: count.optional(),
      fullyLabeledReplicas: count.optional(),
      readyReplicas: count.optional(),
      availableReplicas: count.optional(),
      observedGeneration: count.optional()
    })
    .optional()
});

const engines = 'engines.standin.example/v1';

/** Signs certificates with the key pair in a secret. It belongs to a namespace and serves that one only. */
export const issuerSchema = kindOf(engines, 'Issuer', {
  spec: z.looseObject({
    authority: z.string(),
    /** Whether the authority is made when the secret isn't there. */
    make: z.boolean().optional()
  }),
  status: z.looseObject({}).optional()
});

/** A wish for a certificate: its names, who signs it, and the secret it is put into. */
export const certificateSchema = kindOf(engines, 'Certificate', {
  spec: z.looseObject({
    secret: z.string(),
    issuer: z.looseObject({ name: z.string(), namespace: z.string().optional() }),
    names: z.array(z.string()).min(1),
    days: z.number().int().min(1).optional(),
    /** The stateful set whose members answer under these names. */
    set: z.string().optional(),
    labels: textMap.optional()
  }),
  status: z.looseObject({ notAfter: z.string().optional(), conditions: z.array(condition).optional() }).optional()
});

/** How many members may be taken away at once (policy/v1). */
export type DisruptionBudget = z.infer<typeof disruptionBudgetSchema>;
/** Rights within a namespace. */
export type Role = z.infer<typeof roleSchema>;
/** Rights in the whole cluster. */
export type ClusterRole = z.infer<typeof clusterRoleSchema>;
/** Gives rights within a namespace to somebody. */
export type RoleBinding = z.infer<typeof roleBindingSchema>;
/** Gives rights in the whole cluster to somebody. */
export type ClusterRoleBinding = z.infer<typeof clusterRoleBindingSchema>;
/** Whom admission asks whether an object may be taken. */
export type ValidatingHook = z.infer<typeof validatingHookSchema>;
/** Whom admission asks to change an object. */
export type MutatingHook = z.infer<typeof mutatingHookSchema>;
/** Who may talk to whom. */
export type NetworkPolicy = z.infer<typeof networkPolicySchema>;
/** How much a namespace may have. */
export type ResourceQuota = z.infer<typeof resourceQuotaSchema>;
/** A revision of a deployment (apps/v1). */
export type ReplicaSet = z.infer<typeof replicaSetSchema>;
/** What single objects of a namespace may ask for. */
export type LimitRange = z.infer<typeof limitRangeSchema>;
/** How much a pod matters beside others. */
export type PriorityClass = z.infer<typeof priorityClassSchema>;
/** Who issues certificates in the stand-in. */
export type Issuer = z.infer<typeof issuerSchema>;
/** A certificate that the stand-in issues and renews. */
export type Certificate = z.infer<typeof certificateSchema>;
