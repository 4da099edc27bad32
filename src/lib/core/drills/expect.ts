import { majorityOf, plural, wordsOf } from '../shared';
import type { Pod } from '../model';
import { podsIn, podsOver, seatsOf } from '../proofs';
import { decidesByMajority, enginePartOf, storeLayoutOf, wantedOf } from '../standin';
import type { Derived, DrillScene, Expectation, Target } from './types';

/** What is asked for where nothing is demanded: how long a workload may take to go on without a member. Common practice, no source. */
const usual = { pauseMs: 30_000, steadyMs: 60_000, wholeMs: 600_000 };
/** Until a workload that had to stop goes on again after the fault is over, it may take so long. Made up. */
const afterStopMs = 180_000;

const partOf = (pod: Pod): string => enginePartOf(pod)?.part ?? '';

interface Sum {
  readonly goesOn: boolean | undefined;
  readonly why: string;
}

/** Whether what is left of a part is enough. */
function left(what: string, all: number, away: number, needed: number, because: string): Sum {
  const rest = all - away;
  return {
    goesOn: rest >= needed,
    why: `${away} of ${plural(all, what)} ${away === 1 ? 'goes' : 'go'}, ${rest} ${rest === 1 ? 'is' : 'are'} left; ${because}`
  };
}

/** What has to be left of each part, by the engine's own rules. Source: the promises of engines in docs/model.md. */
function sums(scene: DrillScene, members: readonly string[]): Sum[] {
  const { facts, workload } = scene;
  const seats = seatsOf(facts, workload);
  const pods = podsOver(facts, workload).map((one) => one.pod);
  const wantedIn = (part: string) => seats.reduce((sum, one) => sum + wantedOf(one.facts, workload, part), 0);
  const away = (part: string) => pods.filter((pod) => partOf(pod) === part && members.includes(pod.metadata.name)).length;
  const option = (name: string): string | undefined =>
    pods.map((pod) => facts.get('Process', workload.namespace, pod.metadata.name)?.spec.options[name]).find((one) => one !== undefined);
  const found: Sum[] = [];
  for (const part of new Set(pods.map(partOf))) {
    const example = pods.find((pod) => partOf(pod) === part)!;
    if (!decidesByMajority(enginePartOf(example))) continue;
    const all = wantedIn(part);
    found.push(left(part, all, away(part), majorityOf(all), `${majorityOf(all)} are a majority`));
  }
  switch (workload.engine) {
    case 'primary-standby-sql': {
      const all = wantedOf(facts, workload, 'member');
      const waits = Number(option('synchronous') ?? 1);
      const electors = waits > 0 ? Math.max(majorityOf(all), all - waits) : majorityOf(all);
      found.push(
        left(
          'member',
          all,
          away('member'),
          Math.max(electors, Math.min(all, waits + 1)),
          `${electors} elect a primary, and a commit waits for ${plural(waits, 'standby', 'standbys')}`
        )
      );
      break;
    }
    case 'log-broker': {
      const all = wantedOf(facts, workload, 'broker');
      const least = leastReplicas(all);
      found.push(left('broker', all, away('broker'), least, `a write needs ${least} of its ${copiesOf(all)} replicas`));
      break;
    }
    case 'object-store': {
      const all = wantedOf(facts, workload, 'member');
      const layout = storeLayoutOf(facts, workload);
      found.push(
        left(
          'member',
          all,
          away('member'),
          all - layout.writableWithoutMembers,
          `a put needs ${layout.writeQuorum} of ${layout.volumes} volumes`
        )
      );
      break;
    }
    case 'time-series': {
      found.push(left('front member', wantedOf(facts, workload, 'front'), away('front'), 1, 'it alone takes requests'));
      const copies = Number(option('copies') ?? 2);
      found.push(left('store member', wantedOf(facts, workload, 'store'), away('store'), copies, `a new span needs ${copies}`));
      break;
    }
    case 'memory-store':
      found.push(left('node', wantedOf(facts, workload, 'node'), away('node'), 1, 'each shard has one replica more'));
      break;
    case 'shared-files':
      found.push(left('user', wantedOf(facts, workload, 'user'), away('user'), 1, 'any of them reads and writes'));
      break;
    case 'image-shelf':
      found.push(left('shelf', wantedOf(facts, workload, 'shelf'), away('shelf'), 1, 'any of them hands out images'));
      break;
    default:
  }
  return found;
}

/** How often a log broker keeps what a load writes, and how many replicas a write needs. */
export const copiesOf = (brokers: number): number => Math.min(3, Math.max(1, brokers));
/** As above. */
export const leastReplicas = (brokers: number): number => Math.max(1, copiesOf(brokers) - 1);

/**
 * What can be expected of a workload under a fault: by its engine's promise, its members and where they stand.
 * @param faultMs how long the fault lasts
 */
export function derive(scene: DrillScene, target: Target, faultMs: number): Derived {
  const all = sums(scene, target.members);
  const short: Sum | undefined =
    target.stops === undefined ? all.find((one) => one.goesOn === false) : { goesOn: false, why: target.stops };
  const goesOn = all.some((one) => one.goesOn === undefined) ? undefined : !short;
  const why = short?.why ?? (target.members.length ? all.map((one) => one.why).join('; ') : 'no member goes');
  const stops = short && target.lasting;
  const pauseMs = stops ? faultMs + afterStopMs : short ? afterStopMs : usual.pauseMs;
  // Who looks for what was dropped finds nothing until it is put back.
  if (target.deletes)
    return {
      goesOn: true,
      why: 'all members go on, and all of them drop it; what comes back from copies is not lost for good',
      // What is gone as a whole takes no writes until somebody makes it again.
      expectation: { writesPauseMs: target.end.length ? faultMs + usual.pauseMs : usual.pauseMs, lost: 0, wholeMs: usual.wholeMs }
    };
  const expectation: Expectation = {
    writesPauseMs: pauseMs,
    readsPauseMs: pauseMs,
    lost: 0,
    // While work goes from place to place each of them may be felt.
    ...(target.stages ? {} : { steadyMs: stops ? faultMs + afterStopMs : short ? afterStopMs : usual.steadyMs }),
    wholeMs: usual.wholeMs
  };
  const loses = target.volume ? keptAlone(scene, target.members) : undefined;
  return { expectation, goesOn, why, ...(loses === undefined ? {} : { loses }) };
}

/** Why what lies in a member's volume is nowhere else; undefined where another of its part ought to have it. */
function keptAlone({ facts, workload }: DrillScene, [name]: readonly string[]): string | undefined {
  const pod = podsIn(facts, workload).find((one) => one.metadata.name === name);
  return pod && wantedOf(facts, workload, partOf(pod)) === 1 ? `${name} is the only ${partOf(pod)}, and keeps it alone` : undefined;
}

/** What of a demand can't hold by arithmetic, in sentences; nothing where all of it may. */
export function impossible({ goesOn, why, loses }: Derived, demanded: Expectation, target: Target, faultMs: number): string[] {
  const said: string[] = [];
  if (loses !== undefined && demanded.lost === 0) said.push(`what was acknowledged can't stay: ${loses}`);
  if (goesOn !== false || !target.lasting) return said;
  if (demanded.writesPauseMs !== undefined && demanded.writesPauseMs < faultMs)
    said.push(`writes can't go on after ${wordsOf(demanded.writesPauseMs)}: ${why}, for ${wordsOf(faultMs)}`);
  return said;
}
