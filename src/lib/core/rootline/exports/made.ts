import { memberName, ordinalsOf, refOf, type ApiObject } from '../../model';
import { eventsAbout, latestOf, replicasOf, saidIn, scopeIn, tellingPart } from '../../exports';
import { look, madeMs, ref } from '../evidence';
import type { Position } from '../types';
import { brokenBy, faultOf, mostTelling, placed, underWay, type Fault, type Placed } from './place';
import { stageOf } from './stage';

/** Those that should make the member, the nearest first. */
export const makersOf = ({ set, maker }: Position): ApiObject[] =>
  [maker, set].filter((one): one is NonNullable<typeof one> => one !== undefined);

/** Why a member can't be made: refused when it, or its claim, was sent. */
export function createFault(at: Position): Fault | undefined {
  const { facts } = at;
  for (const maker of makersOf(at)) {
    const said = eventsAbout(facts, maker);
    const done = latestOf(said, ['SuccessfulCreate'])?.atMs ?? -Infinity;
    const failed = said.filter((one) => one.reason === 'FailedCreate' && (one.atMs ?? 0) >= done);
    const conditions = (maker as { status?: { conditions?: { type: string; status: string }[] } }).status?.conditions ?? [];
    const refused = conditions.filter((one) => one.type === 'ReplicaFailure' && one.status === 'True').map((one) => saidIn(maker, one));
    const telling = mostTelling([...refused, ...failed]);
    if (telling) return { ...faultOf('create', telling), says: refusalSays(telling.message) };
  }
  return undefined;
}

/** The telling part of a refusal: what stands behind the names of what was sent. */
const refusalSays = (message: string): string =>
  tellingPart(
    message.replace(/^.*?(failed error: |Error creating: )/s, '').replace(/^(pods?|persistentvolumeclaims?) "[^"]+" is forbidden: /, '')
  );

/** Whether whoever makes the members says that all are ready, where a member itself is not in the export. */
export function saidReady(at: Position): string | undefined {
  const { pod, set, maker } = at;
  if (pod ?? createFault(at)) return undefined;
  for (const one of [set, maker]) {
    if (one?.kind !== 'StatefulSet' && one?.kind !== 'Deployment' && one?.kind !== 'DaemonSet' && one?.kind !== 'ReplicaSet') continue;
    const { wanted, ready } = replicasOf(one);
    if (wanted > 0 && ready >= wanted) return `${one.metadata.name} says that ${ready} of ${wanted} are ready`;
  }
  return undefined;
}

/** Was the member let in, and made? */
export function madeLook(at: Position): Placed[] {
  const { facts, pod, podName, set, ordinal, namespace } = at;
  if (pod || podName === undefined) return [];
  const fault = createFault(at);
  if (fault) return [brokenBy(fault, podName)];
  const reach = scopeIn(facts).of('Pod', namespace);
  const waiting = (says: string, more = {}) => [placed('placing', look('waiting', podName, says, more))];
  if (reach !== 'contained')
    return [placed('placing', look('unseen', podName, `pods of ${namespace} are not in the export; export Pod ${podName}`))];
  if (set && ordinal !== undefined && set.spec.podManagementPolicy !== 'Parallel') {
    const before = ordinalsOf(set)
      .filter((one) => one < ordinal)
      .map((one) => memberName(set, one));
    const first = before.find((one) => stageOf(facts.get('Pod', namespace, one)) !== 'ready');
    const after = ordinalsOf(set).length - 1 - before.length;
    if (first)
      return waiting(`made when ${first} is ready${after > 0 ? `, and ${after.toLocaleString('en')} more after it` : ''}`, {
        objects: [ref('Pod', namespace, first)]
      });
  }
  const [maker] = makersOf(at);
  return [
    underWay(
      facts,
      'placing',
      podName,
      'not made yet',
      madeMs(maker),
      [500, 30_000],
      `no refusal is in the export; export the events of ${namespace}`,
      { objects: maker ? [refOf(maker)] : [] }
    )
  ];
}
