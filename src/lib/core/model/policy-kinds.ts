import { z } from 'zod';
import { condition, count, intOrText, kindOf, labelSelector, textMap } from './meta';
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

/** NetworkPolicy (networking.k8s.io/v1). */
export const networkPolicySchema = kindOf('networking.k8s.io/v1', 'NetworkPolicy', {
  spec: z.looseObject({ podSelector: labelSelector }).optional()
});

/** ResourceQuota (core/v1). */
export const resourceQuotaSchema = kindOf('v1', 'ResourceQuota', {
  spec: z.looseObject({}).optional(),
  status: z.looseObject({}).optional()
});

/** Stands between a deployment and its pods in a real cluster; the stand-in's deployments own their pods themselves. */
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
/** Who issues certificates in the stand-in. */
export type Issuer = z.infer<typeof issuerSchema>;
/** A certificate that the stand-in issues and renews. */
export type Certificate = z.infer<typeof certificateSchema>;
