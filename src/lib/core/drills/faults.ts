import { claimsOf, zoneOf, type ApiObject, type Pod, type Ref } from '../model';
import { podsIn } from '../proofs';
import { classOf } from '../model';
import { driverPods, enginePartOf, imageParts, type Action } from '../standin';
import type { DrillScene, FaultRule, Stage, Target } from './types';

const outageName = 'drill';
const outage = (spec: object): Action => ({
  type: 'send',
  objects: [{ apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: outageName }, spec } as ApiObject]
});
const over: Action = { type: 'remove', ref: { kind: 'Outage', namespace: '', name: outageName } };

/** Members of a workload that keep its data, whoever leads first: losing that one hurts most. */
export function membersOf({ facts, workload }: DrillScene): Pod[] {
  const { namespace } = workload;
  const part = (pod: Pod) => enginePartOf(pod.spec)?.part ?? '';
  const pods = podsIn(facts, workload).filter((pod) => !['coordinator', 'helper', 'agent'].includes(part(pod)) && pod.spec.nodeName);
  const status = (pod: Pod) => facts.get('Process', namespace, pod.metadata.name)?.status;
  const weight = (pod: Pod): number => {
    const now = status(pod);
    if (part(pod) === 'front') return 1_000;
    if (now?.leader === pod.metadata.name) return 100;
    return Number(/(?:leads|primary of) (\d+)/.exec(now?.role ?? '')?.[1] ?? (now?.role === 'primary' ? 1 : 0));
  };
  return pods.sort((a, b) => weight(b) - weight(a) || (a.metadata.name < b.metadata.name ? -1 : 1));
}

/** Engines whose clients are served by any member alike. */
const anyMemberServes: ReadonlySet<string> = new Set(['multi-primary-sql', 'object-store', 'shared-files', 'image-shelf']);
const nobody = 'no member stands on a node';
const on = (scene: DrillScene, nodes: readonly string[]): string[] =>
  podsIn(scene.facts, scene.workload)
    .filter((pod) => nodes.includes(pod.spec.nodeName ?? ''))
    .map((pod) => pod.metadata.name);

const first = (scene: DrillScene): Pod | undefined => membersOf(scene)[0];
const target = (scene: DrillScene, strike: (pod: Pod) => Target | string): Target | string => {
  const pod = first(scene);
  return pod ? strike(pod) : nobody;
};
const podRef = ({ metadata }: Pod): { namespace: string; pod: string } => ({ namespace: metadata.namespace ?? '', pod: metadata.name });
const taken = ({ metadata }: Pod): Action => ({
  type: 'remove',
  ref: { kind: 'Pod', namespace: metadata.namespace ?? '', name: metadata.name }
});
const emptied = (nodes: readonly string[]): Action => ({
  type: 'send',
  objects: [
    { apiVersion: 'standin.example/v1', kind: 'Emptying', metadata: { name: outageName }, spec: { nodes: [...nodes] } } as ApiObject
  ]
});
const opened: Action = { type: 'remove', ref: { kind: 'Emptying', namespace: '', name: outageName } };

/** How long somebody waits for a node to be empty, and works on it. Made up. */
const walk = { mostMs: 600_000, workMs: 120_000 };

/** A node is emptied, has no power while somebody works on it, and is opened again. */
const workOn = (node: string): Stage => ({
  label: node,
  begin: [emptied([node])],
  left(facts) {
    const status = facts.get('Emptying', '', outageName)?.status;
    if (!status) return 'nothing has gone yet';
    if (!status.left) return undefined;
    const [first] = status.waits;
    return first ? `${first.namespace}/${first.name} stays: ${first.says}` : `${status.left} are on their way`;
  },
  mostMs: walk.mostMs,
  work: [outage({ dark: [node] })],
  workMs: walk.workMs,
  end: [over, opened]
});

/** The driver behind a member's first claim; undefined where it has none. */
function driverOf({ facts }: DrillScene, pod: Pod): string | undefined {
  const [name] = claimsOf(pod.spec, pod.metadata.name);
  const claim = name === undefined ? undefined : facts.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name);
  const volume = facts.get('PersistentVolume', '', claim?.spec.volumeName ?? '');
  return volume?.spec.csi?.driver ?? (claim && classOf(facts, claim.spec)?.provisioner);
}

/** All faults that can be put in, by level. */
export const faults: readonly FaultRule[] = [
  {
    id: 'node-dark',
    level: 'Ground',
    title: 'node dark',
    why: 'The node of the member that matters most loses its power.',
    target: (scene) =>
      target(scene, ({ spec }) => {
        const node = spec.nodeName!;
        return {
          label: `node ${node}`,
          members: on(scene, [node]),
          lasting: true,
          wide: true,
          begin: [outage({ dark: [node] })],
          end: [over]
        };
      })
  },
  {
    id: 'node-cut',
    level: 'Ground',
    title: 'node cut off',
    why: 'The node of the member that matters most reaches nobody any more; its programs run on.',
    target: (scene) =>
      target(scene, ({ spec }) => {
        const node = spec.nodeName!;
        return {
          label: `node ${node}`,
          members: on(scene, [node]),
          lasting: true,
          wide: true,
          begin: [outage({ cut: [[node]] })],
          end: [over]
        };
      })
  },
  {
    id: 'node-slow',
    level: 'Ground',
    title: 'node slow',
    why: 'Whatever comes from or goes to the node takes 400 ms longer, each way.',
    target: (scene) =>
      target(scene, ({ spec }) => ({
        label: `node ${spec.nodeName}`,
        members: [],
        lasting: false,
        wide: true,
        begin: [outage({ slow: [{ node: spec.nodeName!, ms: 400 }] })],
        end: [over]
      }))
  },
  {
    id: 'zone-lost',
    level: 'Ground',
    title: 'zone lost',
    why: 'All nodes of a zone lose their power: the zone with most members.',
    target(scene) {
      const { facts } = scene;
      const zones = new Map<string, number>();
      for (const pod of podsIn(facts, scene.workload)) {
        const zone = zoneOf(facts.get('Node', '', pod.spec.nodeName ?? ''));
        if (zone) zones.set(zone, (zones.get(zone) ?? 0) + 1);
      }
      const all = new Set(facts.list('Node').map(zoneOf).filter(Boolean));
      if (all.size < 2) return all.size ? 'the place has one zone only' : 'its nodes name no zone';
      const [zone] = [...zones].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))[0] ?? [];
      if (zone === undefined) return nobody;
      const nodes = facts
        .list('Node')
        .filter((one) => zoneOf(one) === zone)
        .map((one) => one.metadata.name);
      return { label: `zone ${zone}`, members: on(scene, nodes), lasting: true, wide: true, begin: [outage({ dark: nodes })], end: [over] };
    }
  },
  {
    id: 'node-emptied',
    level: 'Ground',
    title: 'node emptied',
    why: 'The node is emptied for work on it, as budgets allow, and opened again afterwards.',
    target: (scene) =>
      target(scene, ({ spec }) => ({
        label: `node ${spec.nodeName}`,
        members: on(scene, [spec.nodeName!]),
        lasting: false,
        wide: true,
        begin: [emptied([spec.nodeName!])],
        end: [opened]
      }))
  },
  {
    id: 'nodes-walked',
    level: 'Ground',
    title: 'nodes in turn',
    why: 'All nodes that hold members are emptied, worked on for two minutes and opened again, one after another.',
    target(scene) {
      const nodes = [...new Set(podsIn(scene.facts, scene.workload).flatMap((pod) => pod.spec.nodeName ?? []))].sort();
      if (!nodes.length) return nobody;
      if (scene.facts.list('Node').length < 2) return 'there is no other node';
      return {
        label: nodes.length > 3 ? `${nodes.length} nodes in turn` : `${nodes.join(', ')} in turn`,
        members: membersOf(scene)
          .slice(0, 1)
          .map((pod) => pod.metadata.name),
        lasting: false,
        wide: true,
        begin: [emptied([nodes[0]!])],
        end: [opened],
        stages: nodes.map(workOn)
      };
    }
  },
  {
    id: 'driver-down',
    level: 'Supply',
    title: 'driver down',
    why: "The driver's controller is down while a member has to be made anew.",
    target: (scene) =>
      target(scene, (pod) => {
        const driver = driverOf(scene, pod);
        if (driver === undefined) return 'its members have no claims';
        const [part] = driverPods(scene.facts, driver, 'controller');
        const owner = part?.metadata.ownerReferences?.[0];
        const set = owner && scene.facts.get('ReplicaSet', part.metadata.namespace ?? '', owner.name);
        const above = set?.metadata.ownerReferences?.[0]?.name ?? owner?.name ?? '';
        const deployment = scene.facts.get('Deployment', part?.metadata.namespace ?? '', above);
        if (!deployment) return `no controller of ${driver} runs here`;
        const { status: _, ...bare } = deployment;
        const sized = (replicas: number): Action => ({
          type: 'send',
          objects: [{ ...bare, metadata: plainMeta(bare.metadata), spec: { ...bare.spec, replicas } } as ApiObject]
        });
        return {
          label: driver,
          members: [pod.metadata.name],
          lasting: false,
          begin: [sized(0), taken(pod)],
          end: [sized(deployment.spec.replicas ?? 1)]
        };
      })
  },
  {
    id: 'registry-out',
    level: 'Supply',
    title: 'registry out',
    why: 'The registry is out of reach while a member has to move to another node.',
    target: (scene) =>
      target(scene, (pod) => {
        const { host } = imageParts(pod.spec.containers[0]?.image ?? '');
        const registry = scene.facts.list('Registry').find((one) => one.spec.host === host);
        if (!registry) return `nothing is known of the registry ${host || '(none)'}`;
        const reached = (reachable: boolean): Action => ({
          type: 'send',
          objects: [{ ...registry, metadata: plainMeta(registry.metadata), spec: { ...registry.spec, reachable } } as ApiObject]
        });
        const node = pod.spec.nodeName!;
        return {
          label: `${registry.metadata.name}, while ${node} is emptied`,
          members: on(scene, [node]),
          lasting: false,
          wide: true,
          begin: [reached(false), emptied([node])],
          end: [reached(true), opened]
        };
      })
  },
  {
    id: 'volume-full',
    level: 'Claims',
    title: 'volume full',
    why: 'The volume of the member that matters most has no room left, until somebody makes some.',
    target: (scene) =>
      target(scene, (pod) => {
        const [claim] = claimsOf(pod.spec, pod.metadata.name);
        if (claim === undefined) return 'its members have no claims';
        const { namespace, pod: name } = podRef(pod);
        return { label: claim, members: [name], lasting: true, begin: [outage({ full: [{ namespace, claim }] })], end: [over] };
      })
  },
  {
    id: 'program-ends',
    level: 'Members',
    title: 'program ends',
    why: 'The program of the member that matters most ends without a warning; its node starts it again.',
    target: (scene) =>
      target(scene, (pod) => ({
        label: pod.metadata.name,
        members: [pod.metadata.name],
        lasting: false,
        begin: [{ type: 'crash', ...podRef(pod) }],
        end: []
      }))
  },
  {
    id: 'member-hangs',
    level: 'Members',
    title: 'hangs',
    why: 'The member that matters most answers nobody any more, and counts as ready for as long as no probe finds out.',
    target: (scene) =>
      target(scene, (pod) => ({
        label: pod.metadata.name,
        members: [pod.metadata.name],
        lasting: true,
        begin: [outage({ hangs: [podRef(pod)] })],
        end: [over]
      }))
  },
  {
    id: 'cut-from-members',
    level: 'Members',
    title: 'cut from others',
    why: 'The other members are out of its reach, and clients reach it as before.',
    target: (scene) =>
      target(scene, (pod) =>
        podsIn(scene.facts, scene.workload).length < 2
          ? 'there is one member only'
          : {
              label: pod.metadata.name,
              members: [pod.metadata.name],
              lasting: true,
              begin: [outage({ apart: [{ ...podRef(pod), from: 'members' }] })],
              end: [over]
            }
      )
  },
  {
    id: 'cut-from-clients',
    level: 'Members',
    title: 'cut from clients',
    why: 'Clients are out of its reach, and the other members reach it as before.',
    target: (scene) =>
      target(scene, (pod) => ({
        label: pod.metadata.name,
        members: [pod.metadata.name],
        lasting: true,
        ...(anyMemberServes.has(scene.workload.engine ?? '') && podsIn(scene.facts, scene.workload).length > 1
          ? {}
          : { stops: `the others hear ${pod.metadata.name} as before, so nobody takes over what it leads` }),
        begin: [outage({ apart: [{ ...podRef(pod), from: 'clients' }] })],
        end: [over]
      }))
  },
  {
    id: 'member-removed',
    level: 'Members',
    title: 'taken away',
    why: 'The pod of the member that matters most is taken away, and made anew.',
    target: (scene) =>
      target(scene, (pod) => ({ label: pod.metadata.name, members: [pod.metadata.name], lasting: false, begin: [taken(pod)], end: [] }))
  },
  {
    id: 'coordinator-lost',
    level: 'Members',
    title: 'coordinator lost',
    why: 'The node of the coordinator that leads loses its power.',
    target(scene) {
      const { facts, workload } = scene;
      const coordinators = podsIn(facts, workload).filter((pod) => enginePartOf(pod.spec)?.part === 'coordinator' && pod.spec.nodeName);
      if (!coordinators.length) return 'it has no coordinators of its own';
      const leads = (pod: Pod) => facts.get('Process', workload.namespace, pod.metadata.name)?.status?.leader === pod.metadata.name;
      const pod = coordinators.find(leads) ?? coordinators[0]!;
      const node = pod.spec.nodeName!;
      return {
        label: `${pod.metadata.name} on ${node}`,
        members: on(scene, [node]),
        lasting: true,
        wide: true,
        begin: [outage({ dark: [node] })],
        end: [over]
      };
    }
  }
];

/** An object's name and marks, without what the cluster keeps of it. */
const plainMeta = ({ name, namespace, labels, annotations }: ApiObject['metadata']) => ({
  name,
  ...(namespace === undefined ? {} : { namespace }),
  ...(labels ? { labels } : {}),
  ...(annotations ? { annotations } : {})
});

/** A fault by its id. */
export const faultNamed = (id: string): FaultRule | undefined => faults.find((one) => one.id === id);

/** Refs that a fault leaves behind if it is cut short; for whoever plays it on a fork. */
export const leftBehindBy: readonly Ref[] = [
  { kind: 'Outage', namespace: '', name: outageName },
  { kind: 'Emptying', namespace: '', name: outageName }
];
