import { plural } from '../../shared';
import type { Calculation, Values } from './types';

const perNode = ({ limit, taken, volumes }: Values): number => Math.max(0, Math.floor((limit! - taken!) / volumes!));

/** Attach slots: whether nodes can hold the volumes, also with some of them away. */
export const slots: Calculation = {
  id: 'slots',
  title: 'Attach slots',
  tells: 'whether nodes hold all volumes, and what finds no place when one goes',
  sentence:
    '{members} members with {volumes} volumes each stand on {nodes} nodes. A node takes {limit} volumes, and {taken} of them are taken by others. {lost} nodes may be away.',
  slots: [
    { id: 'members', unit: 'count', label: 'Members', start: '12', least: 1, most: 10_000 },
    { id: 'volumes', unit: 'count', label: 'Volumes of a member', start: '2', least: 1, most: 100 },
    { id: 'nodes', unit: 'count', label: 'Nodes', start: '4', least: 1, most: 5_000 },
    { id: 'limit', unit: 'count', label: 'Volumes that a node takes', start: '12', least: 1, most: 1_000 },
    { id: 'taken', unit: 'count', label: 'Volumes of others on a node', start: '3', least: 0, most: 1_000 },
    { id: 'lost', unit: 'count', label: 'Nodes away', start: '1', least: 0, most: 1_000 }
  ],
  figures: [
    { id: 'each', unit: 'count', label: 'members that a node can hold' },
    { id: 'spare', unit: 'count', label: 'slots left', note: 'all nodes there' },
    { id: 'spareAway', unit: 'count', label: 'slots left with nodes away' },
    { id: 'out', unit: 'count', label: 'members that find no slot', note: 'with nodes away' },
    { id: 'needed', unit: 'count', label: 'nodes that it takes' }
  ],
  formulas: [
    {
      text: 'members of a node = floor((limit - taken) / volumes)',
      source: 'the cluster API, "Node-specific Volume Limits": a pod is placed with all of its volumes or not at all'
    },
    { text: 'nodes = ceil(members / members of a node) + nodes away', source: 'arithmetic' }
  ],
  fault: ({ lost, nodes }) => (lost! >= nodes! ? `${plural(lost!, 'node')} away of ${nodes} leaves none.` : undefined),
  reckon(v) {
    const { members, volumes, nodes, limit, taken, lost } = v;
    const each = perNode(v);
    const room = each * (nodes! - lost!);
    const free = Math.max(0, limit! - taken!);
    return {
      each,
      spare: free * nodes! - Math.min(members!, each * nodes!) * volumes!,
      spareAway: free * (nodes! - lost!) - Math.min(members!, room) * volumes!,
      out: Math.max(0, members! - room),
      needed: each ? Math.ceil(members! / each) + lost! : Infinity
    };
  },
  tell({ members, lost, nodes, volumes }, f) {
    const away = lost ? ` with ${plural(lost, 'node')} away` : '';
    return {
      headline:
        f.each === 0
          ? `A node has no ${plural(volumes!, 'slot')} left: no member finds a place.`
          : f.out
            ? `${f.out} of ${plural(members!, 'member')} find no slot${away}; ${plural(f.needed!, 'node')} would do.`
            : `${plural(members!, 'member')} find their slots on ${plural(nodes!, 'node')}${away}.`,
      notes: ['Spread, CPU and memory may ask for more nodes; a volume that is bound to a zone moves within it only.']
    };
  },
  chart: (v) => ({
    kind: 'bars',
    title: 'members that find slots, by nodes that are there',
    unit: 'count',
    points: [...new Set([-2, -1, 0, 1, 2].map((more) => v.nodes! - v.lost! + more))]
      .filter((count) => count > 0)
      .map((count) => ({ label: plural(count, 'node'), value: perNode(v) * count, chosen: count === v.nodes! - v.lost! })),
    bound: { value: v.members!, label: 'members' }
  })
};
