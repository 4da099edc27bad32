import { majorityOf, plural } from '../../shared';
import { shown } from './written';
import type { Calculation } from './types';

/** Members on places that are filled alike: the fullest ones first. */
const heaped = (members: number, places: number): number[] =>
  Array.from({ length: places }, (_, i) => Math.floor(members / places) + (i < members % places ? 1 : 0));

/** Members of so many of the fullest places. */
const inFullest = (members: number, places: number, count: number): number =>
  Math.floor(members / places) * count + Math.min(count, members % places);

/** How many of the fullest places may go while a majority is left. */
function losable(members: number, places: number): number {
  let count = 0;
  while (count < places && members - inFullest(members, places, count + 1) >= majorityOf(members)) count += 1;
  return count;
}

const mostMembers = 99;

/** The fewest members, an odd number, of which so many zones may go at once, and so many single members besides; Infinity where none do. */
export function fewest(zones: number, lostZones: number, lostMembers: number): number {
  for (let n = 1; n <= mostMembers; n += 2) {
    if (n - inFullest(n, zones, lostZones) - lostMembers >= majorityOf(n)) return n;
  }
  return Infinity;
}

/** Members and spread: who may be lost together. */
export const spread: Calculation = {
  id: 'spread',
  title: 'Members and spread',
  tells: 'who may be lost together, and the smallest set that survives it',
  sentence:
    '{members} members that decide by majority stand on {nodes} nodes in {zones} zones, as evenly as they can. They are to survive {lostZones} zones and {lostMembers} members more at once.',
  slots: [
    { id: 'members', unit: 'count', label: 'Members', start: '3', least: 1, most: mostMembers },
    { id: 'nodes', unit: 'count', label: 'Nodes', start: '6', least: 1, most: 5_000 },
    { id: 'zones', unit: 'count', label: 'Zones', start: '3', least: 1, most: 50 },
    { id: 'lostZones', unit: 'count', label: 'Zones lost', start: '1', least: 0, most: 10 },
    { id: 'lostMembers', unit: 'count', label: 'Members lost besides', start: '0', least: 0, most: 20 }
  ],
  figures: [
    { id: 'majority', unit: 'count', label: 'a majority' },
    { id: 'mayMembers', unit: 'count', label: 'members that may go', note: 'any of them' },
    { id: 'mayNodes', unit: 'count', label: 'nodes that may go', note: 'the fullest first' },
    { id: 'mayZones', unit: 'count', label: 'zones that may go', note: 'the fullest first' },
    { id: 'inZone', unit: 'count', label: 'members of the fullest zone' },
    { id: 'fewest', unit: 'count', label: 'fewest members that survive it', note: 'an odd number' }
  ],
  formulas: [
    { text: 'majority = floor(n / 2) + 1; may lose floor((n - 1) / 2)', source: 'Lamport 1998; Ongaro and Ousterhout 2014' },
    { text: 'the fullest zone = ceil(n / zones)', source: 'pigeonhole principle' }
  ],
  fault: ({ nodes, zones }) => (nodes! < zones! ? `${plural(nodes!, 'node')} can't stand in ${plural(zones!, 'zone')}.` : undefined),
  reckon: ({ members, nodes, zones, lostZones, lostMembers }) => ({
    majority: majorityOf(members!),
    mayMembers: members! - majorityOf(members!),
    mayNodes: Math.min(losable(members!, Math.min(members!, nodes!)), nodes!),
    mayZones: losable(members!, zones!),
    inZone: Math.ceil(members! / zones!),
    fewest: lostZones! >= zones! ? Infinity : fewest(zones!, lostZones!, lostMembers!)
  }),
  tell({ members, zones, lostZones, lostMembers, nodes }, f) {
    const what = [
      ...(lostZones ? [plural(lostZones, 'zone')] : []),
      ...(lostMembers ? [`${plural(lostMembers, 'member')}${lostZones ? ' more' : ''}`] : [])
    ].join(' and ');
    const asked = what || 'nothing';
    const gone = inFullest(members!, zones!, Math.min(lostZones!, zones!)) + lostMembers!;
    const stands = members! - gone >= majorityOf(members!);
    const headline =
      f.fewest === Infinity
        ? `No number of members survives the loss of ${asked} in ${plural(zones!, 'zone')}: too many stand in one.`
        : stands
          ? `${plural(members!, 'member')} survive the loss of ${asked}${f.fewest! < members! ? `; ${f.fewest} would, too` : ''}.`
          : `${plural(members!, 'member')} do not survive the loss of ${asked}: ${members! - gone} would be left, ${f.majority} are a majority. ${f.fewest} would.`;
    const notes = [
      ...(members! % 2 === 0 ? [`An even number buys nothing: ${members! - 1} may lose as many.`] : []),
      ...(zones === 2 ? ['Of two zones one always holds a majority or half: its loss stops everything. A third place is needed.'] : []),
      ...(nodes! < members! ? [`Some nodes hold more than one member (${shown('count', Math.ceil(members! / nodes!))} at most).`] : [])
    ];
    return { headline, notes };
  },
  chart: ({ members, zones }) => ({
    kind: 'bars',
    title: 'members of each zone',
    unit: 'count',
    points: heaped(members!, zones!).map((value, i) => ({ label: `zone ${i + 1}`, value })),
    bound: { value: members! - majorityOf(members!), label: 'more than these may not go at once' }
  })
};
