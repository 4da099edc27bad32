import { zoneOf, type Pod } from '../model';
import { partsIn, podsIn } from '../proofs';
import { engineCards, type Action, type Op } from '../standin';
import { overFaults } from './faults-over';
import { supplyFaults } from './faults-supply';
import { mistakeOf } from './load';
import { certificateOut, certificateRenewed, keyChanged, passwordChanged } from './secrets';
import {
  emptied,
  first,
  itsNode,
  member,
  membersOf,
  nobody,
  opened,
  outage,
  over,
  podRef,
  struck,
  taken,
  target,
  workOn
} from './striking';
import type { FaultRule } from './types';
import { clusterRaised, rolledOut, rolledWrong } from './versions';

/** What the ask of a wrong delete is called. */
export const dropName = 'wrong-delete';

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
    id: 'cluster-raised',
    level: 'Ground',
    title: 'cluster raised',
    why: 'The cluster gets its next version: its own parts at once, then all nodes that hold members are emptied, raised and opened again, one after another.',
    target: (scene) => clusterRaised(scene, first(scene))
  },
  ...overFaults,
  ...supplyFaults,
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
    id: 'certificate-out',
    level: 'Members',
    title: 'certificate out',
    why: 'The certificate that members show runs out, and nobody renews it for as long.',
    target: certificateOut
  },
  {
    id: 'certificate-renewed',
    level: 'Members',
    title: 'certificate renewed',
    why: 'The certificate that members show is issued anew; then all members are started anew by their set, so that they take it.',
    target: certificateRenewed
  },
  {
    id: 'key-changed',
    level: 'Members',
    title: 'key changed',
    why: 'The key in the secret is another one, and the member that matters most is started anew with it; then the right one is put back.',
    target: (scene) => keyChanged(scene, first(scene))
  },
  {
    id: 'password-changed',
    level: 'Members',
    title: 'password changed',
    why: 'The password in the secret is another one for as long; members go on with the one that they were started with.',
    target: passwordChanged
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
    why: 'A client that may do so drops all that is written to: replication takes it away everywhere, and only copies lead back.',
    target({ facts, workload }) {
      const { namespace, name, engine } = workload;
      const mistake = mistakeOf(engine, partsIn(facts, workload, 'broker').length);
      if (!mistake) return 'nothing of this engine is dropped in one go here';
      const asking = (id: string, op: Op): Action => ({
        type: 'ask',
        namespace,
        id,
        ask: { workload: name, way: 'inside', login: 'right', op }
      });
      const end = mistake.again.map((op, i) => asking(`made-again-${i}`, op));
      return { label: mistake.label, members: [], lasting: false, deletes: true, begin: [asking(dropName, mistake.drop)], end };
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
