import { readManifests } from '$core/manifest';
import type { ApiObject } from '$core/model';

/** One kind of node in a cluster's ground. */
interface NodeGroup {
  readonly names: readonly string[];
  readonly zone: string;
  readonly cpu: string;
  readonly memory: string;
}

/** What a made-up cluster's ground is laid out from. */
export interface GroundPlan {
  readonly cluster: string;
  /** Second octet of its ranges, so that no two clusters share one. */
  readonly octet: number;
  readonly groups: readonly NodeGroup[];
}

/** What the system keeps of a node, as is common practice on small nodes: 200 thousandths of a CPU and 1 GiB. */
function nodeYaml(plan: GroundPlan, group: NodeGroup, name: string, place: number): string {
  const cpuMilli = Number(group.cpu) * 1000 - 200;
  const memory = `${Number(group.memory.replace('Gi', '')) - 1}Gi`;
  return `
apiVersion: v1
kind: Node
metadata:
  name: ${name}
  labels:
    kubernetes.io/hostname: ${name}
    kubernetes.io/os: linux
    topology.kubernetes.io/zone: ${group.zone}
spec:
  podCIDR: 10.${plan.octet}.${place}.0/24
status:
  capacity: {cpu: "${group.cpu}", memory: ${group.memory}, pods: "110"}
  allocatable: {cpu: ${cpuMilli}m, memory: ${memory}, pods: "110"}
  addresses:
  - {type: InternalIP, address: 172.${plan.octet - 40}.0.${10 + place}}
  - {type: Hostname, address: ${name}}
  conditions:
  - {type: Ready, status: "True", reason: NodeReady, message: The node answers.}
`;
}

/** Ground, registry, namespaces and nodes of a cluster, as manifests. */
export function groundYaml(plan: GroundPlan): string {
  let place = 0;
  const nodes = plan.groups.flatMap((group) => group.names.map((name) => nodeYaml(plan, group, name, (place += 1))));
  return `
apiVersion: standin.example/v1
kind: Ground
metadata: {name: ${plan.cluster}}
spec:
  clusterDomain: cluster.local
  issuer: https://issuer.${plan.cluster}.example
  podRange: 10.${plan.octet}.0.0/16
  serviceRange: 10.${plan.octet + 100}.0.0/20
  nodeRange: 172.${plan.octet - 40}.0.0/24
---
apiVersion: standin.example/v1
kind: Registry
metadata: {name: shelf}
spec: {host: shelf.standin.example, reachable: true, bytesPerSecond: 60000000}
---
apiVersion: v1
kind: Namespace
metadata: {name: default, labels: {kubernetes.io/metadata.name: default}}
status: {phase: Active}
---
apiVersion: v1
kind: Namespace
metadata: {name: kube-system, labels: {kubernetes.io/metadata.name: kube-system}}
status: {phase: Active}
${nodes.map((one) => `---${one}`).join('')}`;
}

/** Reads manifests of the scenario; a mistake in them is ours and throws. */
export function objectsOf(yaml: string): ApiObject[] {
  const { objects, problems } = readManifests(yaml);
  if (problems.length) throw new Error(`scenario: ${problems.map((one) => `${one.at.line}: ${one.message}`).join('; ')}`);
  return objects.map((one) => one.object);
}

/** A backend of block volumes and the identity that its driver goes by. */
export function blockBackendYaml(cluster: string, zones: readonly { name: string; capacity: string }[], quotaVolumes: number): string {
  return `
apiVersion: standin.example/v1
kind: Backend
metadata: {name: ${cluster}-volumes}
spec:
  driver: block.standin.example
  zones:
${zones.map((one) => `  - {name: ${one.name}, capacity: ${one.capacity}}`).join('\n')}
  quotaVolumes: ${quotaVolumes}
  leastSize: 1Gi
  mostSize: 16Ti
  attachLimit: 25
  speed: {baseIops: 3000, iopsPerGib: 3, mostIops: 16000}
---
apiVersion: standin.example/v1
kind: Identity
metadata: {name: volume-keeper}
spec:
  driver: block.standin.example
  issuer: https://issuer.${cluster}.example
  subject: system:serviceaccount:storage-system:block-driver
  audience: volumes.standin.example
  rights: [create, attach, detach, delete, grow, snapshot]
`;
}
