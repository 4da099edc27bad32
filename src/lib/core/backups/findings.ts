import { clockOf, plural, wordsOf } from '../shared';
import type { BackupPlan, Facts } from '../model';
import { assetsOf, chainTo, doneOf, engineRunning, handsOutLog, isFar, podsRunning, referencesOf, runsOf, storeFacts } from '../standin';
import { roomAhead, roomsAhead, type RoomAhead } from './room';
import { askedOf, claimsBack, figuresOf, longestGapMs, returnsOf } from './figures';

/** Something about a workload's copies that holds, is doubtful, or is broken. */
export interface BackupFinding {
  readonly id: string;
  readonly state: 'holds' | 'doubt' | 'broken';
  readonly says: string;
  readonly remedy?: string;
}

/** The backends that the volumes of a workload's members lie at. */
const backendsOf = (facts: Facts, namespace: string, workload: string): Set<string> =>
  new Set(podsRunning(facts, namespace, workload).flatMap((pod) => assetsOf(facts, pod).map((one) => one.spec.backend)));

/** The secrets that a workload's members can't do without. */
const secretsOf = (facts: Facts, namespace: string, workload: string): Set<string> =>
  new Set(
    podsRunning(facts, namespace, workload).flatMap((pod) => referencesOf(pod).flatMap((one) => (one.kind === 'Secret' ? one.name : [])))
  );

function placeFinding(facts: Facts, plan: BackupPlan): BackupFinding {
  const namespace = plan.metadata.namespace ?? '';
  const { how, into, workload } = plan.spec;
  const mine = backendsOf(facts, namespace, workload);
  if (how === 'snapshots')
    return {
      id: 'same-backend',
      state: 'broken',
      says: `the copies lie where the data lie (${[...mine].join(', ') || 'at the same backend'}): what takes one takes both`,
      remedy: 'Copy through the engine into a bucket elsewhere, too.'
    };
  const there = into && storeFacts(facts, into);
  const theirs = there ? backendsOf(there, into.namespace, into.store) : new Set<string>();
  if (into && isFar(facts, into))
    return theirs.size
      ? {
          id: 'other-cluster',
          state: 'holds',
          says: `copies go to another cluster, ${into.cluster}, at ${[...theirs].join(', ')}: what takes this one leaves them`
        }
      : {
          id: 'other-cluster',
          state: 'doubt',
          says: `copies go to another cluster, ${into.cluster}, but no volumes of the store can be seen there`,
          remedy: 'See the sheet Links, and the root line of the store.'
        };
  const both = [...mine].filter((one) => theirs.has(one));
  if (both.length)
    return {
      id: 'same-backend',
      state: 'broken',
      says: `the copies lie at the backend of the data (${both.join(', ')}), and on the same cluster`,
      remedy: 'Let the store keep its volumes at another backend, best on another cluster.'
    };
  return {
    id: 'same-cluster',
    state: 'doubt',
    says: theirs.size ? `another backend (${[...theirs].join(', ')}), but the same cluster` : 'the store has no volumes that can be seen',
    remedy: 'Keep one more copy on another cluster.'
  };
}

/** From this share of a store on its room is in doubt. Made up, as for pools. */
const fullShare = 0.8;

/** What is to be said where copies outgrow the store that takes them. */
function roomFinding(facts: Facts, plan: BackupPlan, rooms: ReadonlyMap<string, RoomAhead>): BackupFinding | undefined {
  const { points, storeBytes: holds, othersBytes, mostBytes } = roomAhead(facts, plan, rooms);
  if (holds === undefined) return undefined;
  const past = points.find((one) => one.bytes + othersBytes > holds);
  const { into } = plan.spec;
  const store = into && isFar(facts, into) ? `${into.store} of ${into.cluster}` : (into?.store ?? '');
  const remedy = 'Keep fewer, or let the store grow before that.';
  const others = othersBytes ? ', with those of other plans' : '';
  if (past) {
    const days = Math.ceil((past.atMs - facts.nowMs) / 86_400_000);
    const when = days > 0 ? `will take more than ${store} holds in ${plural(days, 'day')}` : `take more than ${store} holds`;
    return {
      id: 'outgrows',
      state: 'broken',
      says: `the copies that are kept ${when}${others}: ${Math.round(holds / 2 ** 30).toLocaleString('en')} GiB`,
      remedy
    };
  }
  if (mostBytes + othersBytes <= holds * fullShare) return undefined;
  const share = Math.round((100 * (mostBytes + othersBytes)) / holds);
  return { id: 'outgrows', state: 'doubt', says: `the copies that are kept come to ${share} % of what ${store} holds${others}`, remedy };
}

function planFindings(facts: Facts, plan: BackupPlan, rooms: ReadonlyMap<string, RoomAhead>): BackupFinding[] {
  const { namespace = '', name } = plan.metadata;
  const { spec } = plan;
  const runs = runsOf(facts, namespace, name);
  const good = doneOf(runs).at(-1);
  const last = runs.at(-1)?.status;
  const returns = returnsOf(facts, namespace, name);
  const back = returns.filter((one) => one.status?.phase === 'Done').at(-1);
  const found: BackupFinding[] = [];
  const asked = askedOf(facts, namespace, spec.workload);
  const { couldLoseMs, backMs, measuredMs } = figuresOf(facts, plan);
  if (!good)
    found.push({
      id: 'never-ran',
      state: 'broken',
      says: runs.length ? 'no copy was ever done' : 'the plan never ran',
      remedy: 'Run it now, by hand.'
    });
  if (last?.phase === 'Failed')
    found.push({
      id: 'failed',
      state: 'broken',
      says: `the last copy failed: ${last.says ?? ''}`,
      remedy: last.remedy ?? 'See its root line.'
    });
  if (plan.status?.shipping?.says !== undefined)
    found.push({
      id: 'log-stands',
      state: 'broken',
      says: `the log is not taken away: ${plan.status.shipping.says}`,
      remedy: 'See the root line of the plan.'
    });
  const claims = spec.how === 'snapshots' ? claimsBack(facts, plan) : [];
  if (good && claims.length)
    found.push({
      id: 'restored',
      state: 'holds',
      says: `put back as ${plural(claims.length, 'claim')}; the proofs of who uses them tell whether they hold`
    });
  else if (good)
    found.push(
      back
        ? {
            id: 'restored',
            state: 'holds',
            says: `put back at ${clockOf(back.status!.endedMs ?? 0)}, and proved`
          }
        : {
            id: 'never-restored',
            state: 'doubt',
            says: 'never put back: how long that takes is computed, and nobody knows whether the copy opens',
            remedy: 'Put it back beside the workload once.'
          }
    );
  if (spec.suspend)
    found.push({ id: 'suspended', state: 'broken', says: 'it is suspended: no copy is made', remedy: 'Take suspend away.' });
  else if (longestGapMs(spec.schedule, spec.timeZone, facts.nowMs) === undefined)
    found.push({ id: 'never-comes', state: 'broken', says: `no moment of ${spec.schedule} ever comes`, remedy: 'Write another schedule.' });
  found.push(placeFinding(facts, plan));
  const { newest, days, weeks, months } = spec.keep;
  if (newest + days + weeks + months < 2)
    found.push({
      id: 'one-copy',
      state: 'doubt',
      says: 'only one copy is kept: a mistake that the next one copies takes it',
      remedy: 'Keep as many as it takes to notice a mistake.'
    });
  const torn = doneOf(runs).filter((one) => !chainTo(doneOf(runs), one));
  if (torn.length)
    found.push({
      id: 'chain-torn',
      state: 'broken',
      says: `${plural(torn.length, 'copy builds', 'copies build')} on one that is there no more: ${torn[0]!.name}`,
      remedy: 'Run it once more; the next copy is whole where nothing before it is.'
    });
  const { seal } = spec;
  if (seal)
    found.push({
      id: 'seal-here',
      state: 'doubt',
      says: `nobody opens the copies without ${seal.key} of the secret ${seal.secret}, and that is in none of them`,
      remedy: 'Keep it where it can be had without this cluster.'
    });
  const outgrows = roomFinding(facts, plan, rooms);
  if (outgrows) found.push(outgrows);
  const secrets = secretsOf(facts, namespace, spec.workload).size;
  if (secrets && spec.how !== 'snapshots')
    found.push({
      id: 'secrets-out',
      state: 'doubt',
      says: `${plural(secrets, 'secret')} of the workload ${secrets === 1 ? 'is' : 'are'} not in the copy`,
      remedy: 'Keep them where they can be had without this cluster.'
    });
  if (asked.losesMs !== undefined && (couldLoseMs === undefined || couldLoseMs > asked.losesMs))
    found.push({
      id: 'loses-more',
      state: 'broken',
      says: `up to ${couldLoseMs === undefined ? 'everything' : wordsOf(couldLoseMs)} of writes could be lost; asked for: ${wordsOf(asked.losesMs)}`,
      remedy: 'Copy more often, or take the log away behind the copy.'
    });
  const takes = measuredMs ?? backMs[1];
  if (asked.backMs !== undefined && takes > asked.backMs)
    found.push({
      id: 'back-later',
      state: 'broken',
      says: `it takes ${wordsOf(takes)} to come back (${measuredMs === undefined ? 'computed' : 'measured'}); asked for: ${wordsOf(asked.backMs)}`,
      remedy: 'Keep less in one workload, or a standby elsewhere.'
    });
  for (const odd of asked.odd)
    found.push({ id: 'odd-mark', state: 'doubt', says: `what is asked for can't be read: ${odd}`, remedy: 'Write 90s, 5m, 2h or 1d.' });
  return found;
}

/** What is to be said of a workload's copies: of each plan, or that there is none. */
export function judgeBackup(
  facts: Facts,
  namespace: string,
  workload: string,
  plans: readonly BackupPlan[],
  rooms: ReadonlyMap<string, RoomAhead> = roomsAhead(facts)
): BackupFinding[] {
  if (plans.length) return plans.flatMap((one) => planFindings(facts, one, rooms));
  const engine = engineRunning(facts, namespace, workload);
  const log = handsOutLog(engine) ? ', best with the log behind it' : '';
  return [
    {
      id: 'no-plan',
      state: 'broken',
      says: 'no plan copies it: what is dropped by mistake, or lost with the cluster, is gone',
      remedy: engine === undefined ? 'Write one with snapshots: what its programs keep is not known here.' : `Write one${log}.`
    }
  ];
}
