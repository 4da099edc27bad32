import { conditionOf, momentIn, refOf, type Facts, type Pod } from '../../model';
import { eventsAbout, jointOf, latestOf, logOf, saidIn, tellingPart, timeOf, type Said } from '../../exports';
import { compact, field, look, madeMs, ref } from '../evidence';
import type { Evidence, Position } from '../types';
import {
  brokenBy,
  containersSeen,
  evidenceOf,
  mostTelling,
  placed,
  remedyFor,
  underWay,
  type Fault,
  type Placed,
  quietWaits
} from './place';
import { stageOf, type Stage } from './stage';
import { nodeLook } from './node';

const imageWaits = /ImagePull|^ErrImage|InvalidImageName|RegistryUnavailable|ImageInspect/;
const configWaits = /^Create(Container|Pod)?Config?Error$|^CreateContainerConfigError$|^CreateContainerError$/;

const endedWords = (one: { code: number; reason: string; message: string } | undefined): string => {
  if (!one) return '';
  const why = one.reason && one.reason !== 'Error' ? one.reason : `exit code ${one.code}`;
  const last = one.message.trim().split('\n').at(-1) ?? '';
  return `${why}${one.reason === 'OOMKilled' ? `, exit code ${one.code}` : ''}${last ? `: ${tellingPart(last, 120)}` : ''}`;
};

const fewRestarts = 3;
const latelyMs = 3_600_000;

function containerFault(facts: Facts, pod: Pod, stage: Stage): Fault | undefined {
  const own = (from: string, reason: string, message: string, atMs?: number): Said => ({
    object: refOf(pod),
    from,
    reason,
    message,
    count: 1,
    ...(atMs === undefined ? {} : { atMs }),
    warning: true,
    by: ''
  });
  for (const one of containersSeen(pod)) {
    const at = `status.${one.init ? 'initContainerStatuses' : 'containerStatuses'}[${one.name}]`;
    const who = one.init ? `init container ${one.name}` : one.name;
    const events = eventsAbout(facts, pod);
    if (one.waiting && imageWaits.test(one.waiting.reason)) {
      const failed = events
        .filter((two) => two.reason === 'Failed' && two.message.includes(one.image))
        .filter((two) => !/^Error: /.test(two.message))
        .at(-1);
      return {
        joint: 'image',
        said: failed ?? own(`${at}.state.waiting`, one.waiting.reason, one.waiting.message),
        says: `${one.image || who}: ${tellingPart(failed?.message.replace(/^Failed to pull image "[^"]+": /, '') ?? one.waiting.message) || one.waiting.reason}`
      };
    }
    if (one.waiting && configWaits.test(one.waiting.reason)) {
      const joint =
        jointOf('mount', one.waiting.message) === 'references' || one.waiting.reason === 'CreateContainerConfigError'
          ? 'references'
          : 'start';
      return {
        joint: /runAsNonRoot|run as root|non-numeric user/i.test(one.waiting.message) ? 'start' : joint,
        said: own(`${at}.state.waiting`, one.waiting.reason, one.waiting.message),
        says: `${who}: ${tellingPart(one.waiting.message) || one.waiting.reason}`
      };
    }
    if (one.waiting && !quietWaits.test(one.waiting.reason)) {
      const why = endedWords(one.before) || tellingPart(one.waiting.message);
      const probe =
        one.before && [137, 143].includes(one.before.code) && one.before.reason !== 'OOMKilled'
          ? latestOf(
              events.filter((two) => /liveness|startup/i.test(two.message)),
              ['Unhealthy', 'Killing']
            )
          : undefined;
      return {
        joint: 'start',
        said: one.before
          ? own(
              `${at}.lastState.terminated`,
              one.before.reason,
              `exit code ${one.before.code}${one.before.message ? `: ${one.before.message}` : ''}`,
              one.before.atMs
            )
          : own(`${at}.state.waiting`, one.waiting.reason, one.waiting.message),
        says: `${who} ends again and again${one.restarts ? `, ${one.restarts} times so far` : ''}: ${why}${probe ? `; ${tellingPart(probe.message, 90)}` : ''}`
      };
    }
    // It runs just now, and has ended so often, and so lately, that it won't for long.
    if (
      !one.init &&
      one.running &&
      !one.ready &&
      one.before &&
      one.restarts >= fewRestarts &&
      facts.nowMs - (one.before.atMs ?? facts.nowMs) < latelyMs
    )
      return {
        joint: 'start',
        said: own(`${at}.lastState.terminated`, one.before.reason, `exit code ${one.before.code}`, one.before.atMs),
        says: `${who} ends again and again, ${one.restarts} times so far: ${endedWords(one.before)}`
      };
    if (one.ended && one.ended.code !== 0 && (stage !== 'failed' || !one.init))
      return {
        joint: 'start',
        said: own(`${at}.state.terminated`, one.ended.reason, `exit code ${one.ended.code}`, one.ended.atMs),
        says: `${who} has ended: ${endedWords(one.ended)}`
      };
  }
  return undefined;
}

/** The last lines of the log of whoever ended, where it lies beside the objects. */
function logEvidence(facts: Facts, pod: Pod): Evidence[] {
  const ended = containersSeen(pod).find((one) => one.before ?? one.ended);
  const log = ended && logOf(facts, pod.metadata.namespace ?? '', pod.metadata.name, ended.name);
  if (!log) return [];
  return [field(pod, log.path, log.tail.trim().split('\n').slice(-8).join('\n'))];
}

/** Image, references and start, by the states of all containers. */
export function containerLooks(at: Position, faults: readonly Fault[]): Placed[] {
  const { facts, pod, podName } = at;
  if (!pod || podName === undefined) return [];
  const stage = stageOf(pod);
  const objects = [refOf(pod)];
  if (stage === 'ready')
    return (['references', 'image', 'start'] as const).map((joint) =>
      placed(
        joint,
        look(
          'holds',
          podName,
          {
            references: 'what it refers to was there when it became ready',
            image: 'its images are on the node',
            start: 'all its containers run'
          }[joint],
          { objects }
        )
      )
    );
  if (stage === 'ended') return [placed('start', look('holds', podName, 'has run to its end', { objects }))];
  const outside = faults.filter((one) => one.joint === 'references' || one.joint === 'start').map((one) => brokenBy(one, podName));
  if (stage !== 'begun' && stage !== 'failed') return outside;
  const fault = containerFault(facts, pod, stage);
  if (fault) return [...outside, brokenBy(fault, podName, fault.joint === 'start' ? logEvidence(facts, pod) : [])];
  if (stage === 'failed') {
    const { reason = '', message = '' } = pod.status as { reason?: string; message?: string };
    if (nodeLook(at).some((one) => one.look.state === 'broken')) return outside;
    return [
      ...outside,
      placed(
        'start',
        look('broken', podName, [reason || 'Failed', tellingPart(message)].filter(Boolean).join(': '), {
          objects,
          evidence: [field(pod, 'status.phase', 'Failed')],
          ...remedyFor('start')
        })
      )
    ];
  }
  const seen = containersSeen(pod);
  const preparing = seen.find((one) => one.init && one.running && !one.ready);
  const pulling = seen.find((one) => one.waiting);
  if (preparing && !seen.some((one) => !one.init && one.running))
    return [
      ...outside,
      underWay(
        facts,
        'start',
        podName,
        `init container ${preparing.name} runs`,
        preparing.runningMs,
        [1_000, 300_000],
        `the log of ${preparing.name} tells what it waits for`,
        { objects }
      )
    ];
  if (pulling) {
    const event = eventsAbout(facts, pod).at(-1);
    return [
      ...outside,
      underWay(
        facts,
        'image',
        podName,
        event?.reason === 'Pulling' ? tellingPart(event.message) : `${pulling.name} is being made`,
        event?.atMs ?? madeMs(pod),
        [1_000, 300_000],
        'no failure is told; see the node',
        { objects }
      )
    ];
  }
  return [...outside, placed('start', look('holds', podName, 'its containers run', { objects }))];
}

/** Ready, or why not? */
export function readyLook({ facts, pod, podName, namespace }: Position): Placed[] {
  if (podName === undefined) return [];
  const objects = [pod ? refOf(pod) : ref('Pod', namespace, podName)];
  if (!pod) return [placed('ready', look('waiting', podName, 'waits for the member', { objects }))];
  const stage = stageOf(pod);
  const ready = conditionOf(pod.status?.conditions, 'Ready');
  if (stage === 'ready')
    return [
      placed(
        'ready',
        look(
          'holds',
          podName,
          ready?.lastTransitionTime ? `since ${momentIn(facts, timeOf(ready.lastTransitionTime) ?? facts.nowMs)}` : 'ready',
          { objects }
        )
      )
    ];
  if (stage === 'ended') return [];
  if (stage === 'silent')
    return [placed('ready', look('unseen', podName, 'it was exported without its status; export it as it stands', { objects }))];
  if (stage === 'going') {
    const going = timeOf(pod.metadata.deletionTimestamp)!;
    const held = pod.metadata.finalizers ?? [];
    if (held.length && facts.nowMs - going > 60_000)
      return [
        placed(
          'ready',
          look('broken', podName, `was taken away, and is held by ${held.join(', ')}`, {
            objects,
            evidence: [
              field(pod, 'metadata.finalizers', held.join(', ')),
              field(pod, 'metadata.deletionTimestamp', pod.metadata.deletionTimestamp, going)
            ],
            remedy: { text: `Let whoever set ${held.join(', ')} finish, or take the finalizer off when that one is gone for good.` }
          })
        )
      ];
    const killing = mostTelling(
      eventsAbout(facts, pod).filter((one) => ['FailedKillPod', 'FailedUnmount', 'FailedPreStopHook'].includes(one.reason))
    );
    return [
      underWay(
        facts,
        'ready',
        podName,
        killing ? `is being taken away: ${tellingPart(killing.message)}` : 'is being taken away',
        going,
        [0, 60_000],
        'see the node agent on its node',
        { objects, ...(killing ? { evidence: [evidenceOf(killing)] } : {}) }
      )
    ];
  }
  const seen = containersSeen(pod);
  const running = seen.filter((one) => !one.init && one.running);
  if (stage !== 'begun' || !running.length || containerFault(facts, pod, stage))
    return [placed('ready', look('waiting', podName, 'waits for its containers', { objects }))];
  const started = Math.max(...running.map((one) => one.runningMs ?? 0));
  const unhealthy = eventsAbout(facts, pod)
    .filter((one) => one.reason === 'Unhealthy' && (one.atMs ?? 0) >= started)
    .at(-1);
  const evidence = compact([ready && evidenceOf(saidIn(pod, ready)), unhealthy && evidenceOf(unhealthy)]);
  if (unhealthy)
    return [placed('ready', look('broken', podName, tellingPart(unhealthy.message), { objects, evidence, ...remedyFor('ready') }))];
  const gate = (pod.status?.conditions ?? []).find(
    (one) =>
      one.status !== 'True' &&
      ![
        'Ready',
        'ContainersReady',
        'PodScheduled',
        'Initialized',
        'PodReadyToStartContainers',
        'DisruptionTarget',
        'PodResizePending',
        'PodResizeInProgress'
      ].includes(one.type)
  );
  if (running.every((one) => one.ready) && (ready?.reason === 'ReadinessGatesNotReady' || gate))
    return [
      placed(
        'ready',
        look(
          'broken',
          podName,
          `its containers are ready, the gate ${gate?.type ?? ''} is not${gate?.message ? `: ${tellingPart(gate.message)}` : ''}`,
          { objects, evidence: compact([gate && evidenceOf(saidIn(pod, gate)), ...evidence]), ...remedyFor('ready') }
        )
      )
    ];
  const quiet = running.find((one) => !one.ready);
  return [
    underWay(
      facts,
      'ready',
      podName,
      `${quiet?.name ?? 'it'} runs, and is not ready yet`,
      Number.isFinite(started) && started ? started : madeMs(pod),
      [1_000, 300_000],
      `no failing probe is told; see the log of ${quiet?.name ?? 'its containers'}`,
      { objects, evidence }
    )
  ];
}
