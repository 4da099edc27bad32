import { readManifests } from '$core/manifest';
import type { ApiObject, Ground, NodeGroup } from '$core/model';
import { driverCard } from '$core/standin';
import { blockLimits, speedKinds } from '$core/briefs';

type Spec = Ground['spec'];

/** What a made-up cluster's ground is laid out from. */
export interface GroundPlan {
  readonly cluster: string;
  /** Second octet of its ranges, so that no two clusters share one. */
  readonly octet: number;
  readonly groups: NodeGroup[];
  readonly control?: Spec['control'];
  readonly backends?: NonNullable<Spec['backends']>;
  readonly drivers?: readonly string[];
  readonly pulls?: Spec['pulls'];
}

/** The identity that a driver goes by at the provider. */
const identityFor = (driver: string): NonNullable<Spec['identities']>[number] => {
  const card = driverCard(driver)!;
  return {
    name: card.short === 'block' ? 'volume-keeper' : `${card.short}-keeper`,
    driver,
    subject: `system:serviceaccount:${card.namespace}:${card.account}`,
    audience: 'volumes.standin.example',
    rights: [...card.rights]
  };
};

/** The ground document of a cluster. */
export function groundOf({ cluster, octet, groups, control, backends = [], drivers = [], pulls = 'named' }: GroundPlan): Ground {
  return {
    apiVersion: 'standin.example/v1',
    kind: 'Ground',
    metadata: { name: cluster },
    spec: {
      version: '1.32',
      clusterDomain: 'cluster.local',
      issuer: `https://issuer.${cluster}.example`,
      podRange: `10.${octet}.0.0/16`,
      serviceRange: `10.${octet + 100}.0.0/20`,
      nodeRange: `172.${octet - 40}.0.0/24`,
      control: control ?? { shape: 'production', quorum: 3, members: 3, mode: 'balanced', balancer: `172.${octet - 40}.0.5` },
      groups,
      registries: [{ name: 'shelf', host: 'shelf.standin.example', reachable: true, bytesPerSecond: 60_000_000 }],
      pulls,
      backends,
      identities: drivers.map(identityFor)
    }
  };
}

/** Reads manifests of the scenario; a mistake in them is ours and throws. */
export function objectsOf(yaml: string): ApiObject[] {
  const { objects, problems } = readManifests(yaml);
  if (problems.length) throw new Error(`scenario: ${problems.map((one) => `${one.at.line}: ${one.message}`).join('; ')}`);
  return objects.map((one) => one.object);
}

/** A backend of block volumes. */
export const blockBackend = (
  cluster: string,
  zones: readonly { name: string; capacity: string }[],
  quotaVolumes: number
): NonNullable<Spec['backends']>[number] => ({
  name: `${cluster}-volumes`,
  driver: 'block.standin.example',
  zones: [...zones],
  quotaVolumes,
  ...blockLimits,
  growEverySeconds: 9_000,
  speed: { ...speedKinds.steady }
});

/** A shared file system with its mount targets; port 2049 is let in from the nodes. */
export const filesBackend = (name: string, zones: readonly string[], from: string): NonNullable<Spec['backends']>[number] => ({
  name,
  driver: 'files.standin.example',
  zones: [],
  quotaVolumes: 1_000,
  fileSystem: 'fs-5b1e77a2',
  mountTargets: zones.map((zone) => ({ zone })),
  letIn: [{ port: 2049, from }]
});

/** Directories on the nodes themselves. */
export const dirsBackend = (cluster: string, nodes: readonly string[], capacity: string): NonNullable<Spec['backends']>[number] => ({
  name: `${cluster}-dirs`,
  driver: 'dirs.standin.example',
  topologyKey: 'kubernetes.io/hostname',
  zones: nodes.map((name) => ({ name, capacity })),
  quotaVolumes: 200
});
