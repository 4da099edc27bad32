import { asManifest } from '../manifest';
import { claimsOf, makerOf, zoneOf, type ApiObject, type Pod } from '../model';
import { partsIn, podsIn } from '../proofs';
import { driverOfClaim, driverPods, engineCards, enginePartOf, imageParts, servesClients, type Action, type EngineId } from '../standin';
import { rolledOut, rolledWrong } from './versions';
import { loadPlace } from './load';
import type { DrillScene, FaultRule, Stage, Target } from './types';

/** What the ask of a wrong delete is called. */
export const dropName = 'wrong-delete';

/** Engines that drop a whole table when they are asked to. */
const dropsTables: ReadonlySet<EngineId> = new Set<EngineId>(['multi-primary-sql', 'primary-standby-sql', 'document-set']);

/** What faults are called while they stand. */
export const outageName = 'drill';
const outage = (spec: object): Action => ({
  type: 'send',
  objects: [{ apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: outageName }, spec } as ApiObject]
});
const over: Action = { type: 'remove', ref: { kind: 'Outage', namespace: '', name: outageName } };

/** Members of a workload that keep its data, whoever leads first: losing that one hurts most. */
export function membersOf({ facts, workload }: DrillScene): Pod[] {
  const { namespace } = workload;
  const part = (pod: Pod) => enginePartOf(pod)?.part ?? '';
  const pods = podsIn(facts, workload).filter((pod) => servesClients(enginePartOf(pod)) && pod.spec.nodeName);
  const status = (pod: Pod) => facts.get('Process', namespace, pod.metadata.name)?.status;
  const weight = (pod: Pod): number => {
    const now = status(pod);
    if (part(pod) === 'front') return 1_000;
    if (now?.leader === pod.metadata.name) return 100;
    return Number(/(?:leads|primary of) (\d+)/.exec(now?.role ?? '')?.[1] ?? (now?.role === 'primary' ? 1 : 0));
  };
  return pods.sort((a, b) => weight(b) - weight(a) || (a.metadata.name < b.metadata.name ? -1 : 1));
}

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
  return claim && driverOfClaim(facts, claim);
}

/** An object as it stands, but for some of its settings. */
const altered = (object: ApiObject & { readonly spec: object }, spec: object): Action => ({
  type: 'send',
  objects: [asManifest({ ...object, spec: { ...object.spec, ...spec } } as ApiObject)]
});

/** Something befalls one member alone. */
const member = ({ metadata }: Pod, more: Partial<Target> & Pick<Target, 'begin'>): Target => ({
  label: metadata.name,
  members: [metadata.name],
  lasting: more.end !== undefined,
  end: [],
  ...more
});

/** Something befalls whole nodes, with all that stands there. */
const struck = (scene: DrillScene, label: string, nodes: readonly string[], more: Partial<Target> = {}): Target => ({
  label,
  members: on(scene, nodes),
  lasting: true,
  wide: true,
  begin: [outage({ dark: nodes })],
  end: [over],
  ...more
});

/** Something befalls the node of the member that matters most. */
const itsNode = (scene: DrillScene, more: (node: string) => Partial<Target>): Target | string =>
  target(scene, ({ spec }) => struck(scene, `node ${spec.nodeName}`, [spec.nodeName!], more(spec.nodeName!)));

/** All faults that can be put in, by level. */
export const faults: readonly FaultRule[] = [
  {
    id: 'node-dark',
    level: 'Ground',
    title: 'node dark',
    why: 'The node of the member that matters most loses its power.',
    target: (scene) => itsNode(scene, () => ({}))
  },
  {
    id: 'node-cut',
    level: 'Ground',
    title: 'node cut off',
    why: 'The node of the member that matters most reaches nobody any more; its programs run on.',
    target: (scene) => itsNode(scene, (node) => ({ begin: [outage({ cut: [[node]] })] }))
  },
  {
    id: 'node-slow',
    level: 'Ground',
    title: 'node slow',
    why: 'Whatever comes from or goes to the node takes 400 ms longer, each way.',
    target: (scene) => itsNode(scene, (node) => ({ members: [], lasting: false, begin: [outage({ slow: [{ node, ms: 400 }] })] }))
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
      const nodes = facts.list('Node').filter((one) => zoneOf(one) === zone);
      return struck(
        scene,
        `zone ${zone}`,
        nodes.map((one) => one.metadata.name)
      );
    }
  },
  {
    id: 'node-emptied',
    level: 'Ground',
    title: 'node emptied',
    why: 'The node is emptied for work on it, as budgets allow, and opened again afterwards.',
    target: (scene) => itsNode(scene, (node) => ({ lasting: false, begin: [emptied([node])], end: [opened] }))
  },
  {
    id: 'nodes-walked',
    level: 'Ground',
    title: 'nodes in turn',
    why: 'All nodes that hold members are emptied, worked on for two minutes and opened again, one after another.',
    target(scene) {
      const nodes = [...new Set(podsIn(scene.facts, scene.workload).flatMap((pod) => pod.spec.nodeName ?? []))].sort();
      const [pod] = membersOf(scene);
      if (!nodes.length || !pod) return nobody;
      if (scene.facts.list('Node').length < 2) return 'there is no other node';
      const label = nodes.length > 3 ? `${nodes.length} nodes in turn` : `${nodes.join(', ')} in turn`;
      return member(pod, { label, lasting: false, wide: true, begin: [emptied([nodes[0]!])], end: [opened], stages: nodes.map(workOn) });
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
        const maker = part && scene.facts.get('Deployment', part.metadata.namespace ?? '', makerOf(part)?.name ?? '');
        if (!maker) return `no controller of ${driver} runs here`;
        return member(pod, {
          label: driver,
          lasting: false,
          begin: [altered(maker, { replicas: 0 }), taken(pod)],
          end: [altered(maker, {})]
        });
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
        const node = pod.spec.nodeName!;
        return struck(scene, `${registry.metadata.name}, while ${node} is emptied`, [node], {
          lasting: false,
          begin: [altered(registry, { reachable: false }), emptied([node])],
          end: [altered(registry, {}), opened]
        });
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
        return member(pod, { label: claim, begin: [outage({ full: [{ namespace: podRef(pod).namespace, claim }] })], end: [over] });
      })
  },
  {
    id: 'program-ends',
    level: 'Members',
    title: 'program ends',
    why: 'The program of the member that matters most ends without a warning; its node starts it again.',
    target: (scene) => target(scene, (pod) => member(pod, { begin: [{ type: 'crash', ...podRef(pod) }] }))
  },
  {
    id: 'member-hangs',
    level: 'Members',
    title: 'hangs',
    why: 'The member that matters most answers nobody any more, and counts as ready for as long as no probe finds out.',
    target: (scene) => target(scene, (pod) => member(pod, { begin: [outage({ hangs: [podRef(pod)] })], end: [over] }))
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
          : member(pod, { begin: [outage({ apart: [{ ...podRef(pod), from: 'members' }] })], end: [over] })
      )
  },
  {
    id: 'cut-from-clients',
    level: 'Members',
    title: 'cut from clients',
    why: 'Clients are out of its reach, and the other members reach it as before.',
    target: (scene) =>
      target(scene, (pod) => {
        const others = engineCards[scene.workload.engine!].asks === 'any' && membersOf(scene).length > 1;
        const stops = `the others hear ${pod.metadata.name} as before, so nobody takes over what it leads`;
        return member(pod, {
          ...(others ? {} : { stops }),
          begin: [outage({ apart: [{ ...podRef(pod), from: 'clients' }] })],
          end: [over]
        });
      })
  },
  {
    id: 'member-removed',
    level: 'Members',
    title: 'taken away',
    why: 'The pod of the member that matters most is taken away, and made anew.',
    target: (scene) => target(scene, (pod) => member(pod, { begin: [taken(pod)] }))
  },
  {
    id: 'coordinator-lost',
    level: 'Members',
    title: 'coordinator lost',
    why: 'The node of the coordinator that leads loses its power.',
    target(scene) {
      const { facts, workload } = scene;
      const coordinators = partsIn(facts, workload, 'coordinator').filter((pod) => pod.spec.nodeName);
      const leads = (pod: Pod) => facts.get('Process', workload.namespace, pod.metadata.name)?.status?.leader === pod.metadata.name;
      const pod = coordinators.find(leads) ?? coordinators[0];
      return pod
        ? struck(scene, `${pod.metadata.name} on ${pod.spec.nodeName}`, [pod.spec.nodeName!])
        : 'it has no coordinators of its own';
    }
  },
  {
    id: 'wrong-delete',
    level: 'Members',
    title: 'wrong delete',
    why: 'A client that may do so drops the table that is written to: replication takes it away everywhere, and only copies lead back.',
    target(scene) {
      const { namespace, name, engine } = scene.workload;
      if (engine === undefined || !dropsTables.has(engine)) return 'nothing of this engine is dropped in one go here';
      const op = { do: 'drop', place: loadPlace };
      const drop: Action = { type: 'ask', namespace, id: dropName, ask: { workload: name, way: 'inside', login: 'right', op } };
      return { label: `table ${loadPlace}`, members: [], lasting: false, deletes: true, begin: [drop], end: [] };
    }
  },
  {
    id: 'version-rolled',
    level: 'Members',
    title: 'rolled out',
    why: 'All members are started anew by their set, in the newest version that fits where there is a newer one, else as any change of theirs would.',
    target: (scene) => rolledOut(scene, first(scene)?.metadata.name)
  },
  {
    id: 'version-wrong',
    level: 'Members',
    title: 'wrong version',
    why: 'A version that no node has is rolled out, and taken back after three minutes; the member that never started is taken away by hand then.',
    target: (scene) => rolledWrong(scene, first(scene))
  }
];

/** A fault by its id. */
export const faultNamed = (id: string): FaultRule | undefined => faults.find((one) => one.id === id);
