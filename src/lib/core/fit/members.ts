import { majorityOf, plural } from '../shared';
import { keyOf, zoneOf, type Facts } from '../model';
import { faultSentence } from '../standin';
import type { Needs, PartNeed } from './needs';
import type { PartToBe, Supposed } from '../supposed';
import type { FitSquare } from './types';

const partFor = ({ parts }: Supposed, need: PartNeed): PartToBe | undefined => parts.find((one) => keyOf(one.of) === keyOf(need.of));
const zonesIn = (part: PartToBe | undefined): Set<string> => new Set((part?.open ?? []).map(zoneOf).filter(Boolean));

/** Whether members find as many zones and nodes as they keep apart over. */
export function spreadFit({ parts }: Needs, by: Supposed): FitSquare {
  const square = (state: FitSquare['state'], says: string): FitSquare => ({ need: 'spread', state, says });
  for (const need of parts) {
    const part = partFor(by, need);
    // Those of a job may come one after another.
    if (!part || part.named || part.kind === 'Job' || part.kind === 'CronJob') continue;
    const { name, wanted, open } = part;
    const zones = zonesIn(part).size;
    if (need.apart === 'zone' && wanted > zones) return square('broken', `${plural(zones, 'zone')} for ${wanted} members of ${name}`);
    if (need.apart === 'node' && wanted > open.length)
      return square('broken', `${plural(open.length, 'node')} for ${wanted} members of ${name}`);
    if (need.majority && wanted > 1 && zones && wanted - Math.ceil(wanted / zones) < majorityOf(wanted))
      return square('tight', `${plural(zones, 'zone')}: a majority of ${name} falls with one`);
  }
  const widest = by.parts.reduce<PartToBe | undefined>(
    (most, one) => (most && most.open.length >= one.open.length ? most : one),
    undefined
  );
  const [nodes, most] = [widest?.open.length ?? 0, Math.max(0, ...by.parts.map((one) => (one.kind === 'DaemonSet' ? 0 : one.wanted)))];
  const state = most > 0 && nodes === 0 ? 'broken' : most > nodes ? 'tight' : 'holds';
  return square(state, `${plural(zonesIn(widest).size, 'zone')}, ${plural(nodes, 'node')}`);
}

/** Whether each member finds a node, by the cluster's own rules of placing. */
export function sizeFit(there: Facts, by: Supposed): FitSquare {
  const square = (state: FitSquare['state'], says: string): FitSquare => ({ need: 'size', state, says });
  if (there.scope && there.scope.of('Node') !== 'contained' && !there.nodes().length) return square('unseen', 'the export holds no nodes');
  const short = by.parts.find((one) => one.faults.size);
  if (short)
    return square(
      short.untold ? 'unseen' : 'broken',
      `${short.stay + short.placed} of ${plural(short.wanted, 'member')} of ${short.name} find a place; of ${plural(there.nodes().length, 'node')} ${faultSentence(short.faults)}`
    );
  const shared = by.parts.find((one) => one.shared);
  if (shared) return square('broken', shared.shared!.says);
  const gone = by.parts.flatMap((one) => one.sentAway);
  if (gone.length)
    return square('tight', `only where ${gone.map((one) => one.metadata.name).join(', ')} ${gone.length === 1 ? 'is' : 'are'} sent away`);
  if (by.parts.some((one) => one.blind) && new Set(there.nodes().map(zoneOf)).size > 1)
    return square('unseen', "where volumes that don't wait for a member would lie, an export doesn't tell");
  if (by.parts.some((one) => one.shut)) return square('unseen', 'nobody is let in so far');
  const turns = by.parts.find((one) => one.inTurns);
  if (turns) return square('tight', `of ${turns.name} fewer than ${turns.wanted} run side by side, others after them`);
  if (there.scope && there.scope.of('Pod') !== 'contained') return square('unseen', 'the export may leave pods out that take room');
  const fresh = by.parts.filter((one) => one.placed > 0 && one.kind !== 'DaemonSet');
  if (!fresh.length) return square('holds', by.parts.length ? 'its members stand there' : 'nobody is to be placed');
  const words = `${Math.max(...fresh.map((one) => one.first))} of ${plural(there.nodes().length, 'node')} have room`;
  return fresh.every((one) => one.spare > 0) ? square('holds', words) : square('tight', `${words}, none to spare`);
}

/** Whether what members name is there, or comes along. */
export function namesFit(by: Supposed): FitSquare {
  const lacking = by.parts.filter((one) => one.lacks);
  const first = lacking.find((one) => !one.lacks!.unseen) ?? lacking[0];
  if (!first) return { need: 'names', state: 'holds', says: 'there, or comes along' };
  const { says, field, unseen } = first.lacks!;
  return { need: 'names', state: unseen ? 'unseen' : 'broken', says, ...(field === undefined ? {} : { field }) };
}

/** Whether namespaces let members and claims in, somebody looks for a place for them, and policies let members call each other. */
export function admittedFit(there: Facts, by: Supposed): FitSquare {
  const first = by.parts.find((one) => one.shut);
  if (first) {
    const { says, field, unseen } = first.shut!;
    return { need: 'admitted', state: unseen ? 'unseen' : 'broken', says, ...(field === undefined ? {} : { field }) };
  }
  const mute = by.parts.find((one) => one.mute)?.mute;
  if (mute) return { need: 'admitted', state: 'broken', says: mute.says };
  const unread = (['ResourceQuota', 'LimitRange', 'NetworkPolicy'] as const).find(
    (kind) => there.scope && there.scope.of(kind) !== 'contained'
  );
  if (unread) return { need: 'admitted', state: 'unseen', says: `the export may leave out ${unread}` };
  return { need: 'admitted', state: 'holds', says: 'nothing keeps them out' };
}
