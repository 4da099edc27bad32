import { isReady, refOf, type Facts, type Pod } from '../../model';
import {
  driverParts,
  eventsAbout,
  latestOf,
  nodePartOn,
  readyIn,
  replicasOf,
  tellingPart,
  timeOf,
  type DriverHalf,
  type DriverParts
} from '../../exports';
import { compact, field, look, ref } from '../evidence';
import type { Evidence, Look, Position, ClaimPlace } from '../types';
import { containersSeen, evidenceOf, quietWaits, remedyFor } from './place';

/** What of a driver somebody waits for. */
export type Need = 'none' | 'make' | 'attach' | 'mount';

const words = { controller: 'controller', node: 'node part' };

/** Why a part isn't ready, in a few words, with the evidence. */
function whyNot(facts: Facts, half: DriverHalf): { says: string; evidence: Evidence[] } {
  for (const pod of half.pods.filter((one) => !isReady(one))) {
    const stuck = containersSeen(pod).find((one) => one.waiting && !quietWaits.test(one.waiting.reason));
    const since = timeOf(pod.status?.conditions?.find((one) => one.type === 'Ready')?.lastTransitionTime);
    if (stuck?.waiting) {
      const before = stuck.before ? `, ended with ${stuck.before.reason || `exit code ${stuck.before.code}`}` : '';
      return {
        says: `${pod.metadata.name}: ${stuck.waiting.reason} of ${stuck.name}${before}`,
        evidence: [
          field(
            pod,
            `status.containerStatuses[${stuck.name}].state.waiting`,
            [stuck.waiting.reason, stuck.waiting.message].filter(Boolean).join(': '),
            since
          )
        ]
      };
    }
    const event = latestOf(eventsAbout(facts, pod), [
      'FailedScheduling',
      'FailedMount',
      'FailedAttachVolume',
      'Failed',
      'BackOff',
      'Unhealthy',
      'FailedCreatePodSandBox'
    ]);
    if (event) return { says: `${pod.metadata.name}: ${tellingPart(event.message)}`, evidence: [evidenceOf(event)] };
    return {
      says: `${pod.metadata.name} is ${pod.status?.phase ?? 'Pending'} and not ready`,
      evidence: [field(pod, 'status.phase', pod.status?.phase, since)]
    };
  }
  const [maker] = half.makers;
  const failed = maker && latestOf(eventsAbout(facts, maker), ['FailedCreate']);
  if (failed) return { says: tellingPart(failed.message), evidence: [evidenceOf(failed)] };
  if (maker) {
    const { ready, wanted } = replicasOf(maker);
    return {
      says: wanted === 0 ? `${maker.metadata.name} asks for none` : `${ready} of ${wanted} ready`,
      evidence: [field(maker, 'status', `${ready} of ${wanted} ready`)]
    };
  }
  return { says: 'not ready', evidence: [] };
}

function down(facts: Facts, driver: string, half: DriverHalf, part: keyof typeof words, where: string): Look {
  const { says, evidence } = whyNot(facts, half);
  return look('broken', driver, `its ${words[part]}${where} is not ready: ${says}`, {
    objects: [...half.makers.map(refOf), ...half.pods.slice(0, 3).map(refOf)],
    evidence,
    ...remedyFor('driver')
  });
}

const nodesNaming = (facts: Facts, driver: string): number =>
  facts.list('CSINode').filter((one) => one.spec.drivers.some((two) => two.name === driver)).length;

/** Nobody answers to the name, by the cluster's own lists: every node's own list is there, and none names it, nor does a CSIDriver. */
function nobody(facts: Facts, driver: string, place: ClaimPlace | undefined): Look | undefined {
  const nodes = facts.list('CSINode');
  // Names with a slash are those of provisioners that are no CSI drivers; nodes don't list them.
  if (driver.includes('/') || !nodes.length || nodes.length < facts.list('Node').length) return undefined;
  if (nodesNaming(facts, driver) || facts.get('CSIDriver', '', driver)) return undefined;
  const heard = place?.claim && eventsAbout(facts, place.claim).some((one) => one.by.startsWith(driver));
  if (heard) return undefined;
  const waiting = place?.claim && latestOf(eventsAbout(facts, place.claim), ['ExternalProvisioning']);
  return look(
    'broken',
    driver,
    `nobody answers to it: none of ${nodes.length} nodes has registered it, and no CSIDriver carries its name`,
    {
      objects: [ref('CSIDriver', '', driver)],
      evidence: compact([
        {
          object: ref('CSINode', '', '(all)'),
          field: 'spec.drivers[].name',
          value: [...new Set(nodes.flatMap((one) => one.spec.drivers.map((two) => two.name)))].join(', ') || 'none'
        },
        waiting && evidenceOf(waiting)
      ]),
      remedy: { text: `Install ${driver}, or use a class whose driver is installed.` }
    }
  );
}

function saysOf(facts: Facts, driver: string, parts: DriverParts): string {
  const said: string[] = [];
  const controller = readyIn(parts.controller);
  if (controller.of) said.push(`controller ${controller.ready} of ${controller.of} ready`);
  const node = readyIn(parts.node);
  if (node.of) said.push(`node part ${node.ready} of ${node.of} ready`);
  else if (nodesNaming(facts, driver)) said.push(`registered on ${nodesNaming(facts, driver)} of ${facts.list('CSINode').length} nodes`);
  return said.join('; ');
}

function makerLook(facts: Facts, driver: string, parts: DriverParts, place: ClaimPlace | undefined): Look {
  const { ready, of } = readyIn(parts.controller);
  const objects = [...parts.controller.makers.map(refOf), ...parts.controller.pods.slice(0, 3).map(refOf)];
  if (ready) return look('holds', driver, saysOf(facts, driver, parts), { objects });
  if (of || parts.controller.makers.length) return down(facts, driver, parts.controller, 'controller', '');
  const heard = place?.claim && eventsAbout(facts, place.claim).findLast((one) => one.by.startsWith(`${driver}_`));
  if (heard)
    return look('holds', driver, `its controller has spoken of the claim last: ${tellingPart(heard.message, 90)}`, {
      evidence: [evidenceOf(heard)]
    });
  return (
    nobody(facts, driver, place) ??
    look('unseen', driver, `its controller isn't in the export; export the namespace that it runs in, and see whether it answers`, {
      objects: facts.get('CSIDriver', '', driver) ? [ref('CSIDriver', '', driver)] : []
    })
  );
}

function mounterLook(facts: Facts, driver: string, parts: DriverParts, pod: Pod): Look {
  const node = pod.spec.nodeName ?? '';
  const on = nodePartOn(parts, node);
  const listed = facts.get('CSINode', '', node);
  if (on?.status?.phase && !isReady(on)) return down(facts, driver, { makers: parts.node.makers, pods: [on] }, 'node', ` on ${node}`);
  if (listed && !listed.spec.drivers.some((one) => one.name === driver))
    return look('broken', driver, `${node} has not registered it: its node part doesn't answer there`, {
      objects: [refOf(listed)],
      evidence: [field(listed, 'spec.drivers[].name', listed.spec.drivers.map((one) => one.name).join(', ') || 'none')],
      ...remedyFor('driver')
    });
  if (on || listed)
    return look('holds', driver, saysOf(facts, driver, parts) || `registered on ${node}`, { objects: on ? [refOf(on)] : [refOf(listed!)] });
  return look('unseen', driver, `its node part on ${node} isn't in the export; export the namespace that it runs in, and CSINode ${node}`);
}

/** How a driver stands, by what somebody waits for it to do. */
export function driverLook({ facts, pod }: Position, driver: string, need: Need, place?: ClaimPlace): Look {
  const parts = driverParts(facts, driver);
  const says = saysOf(facts, driver, parts);
  if (need === 'none') return look(says ? 'holds' : 'unseen', driver, says || "its parts aren't in the export; nothing asks for them now");
  if (need === 'mount' && pod) return mounterLook(facts, driver, parts, pod);
  return makerLook(facts, driver, parts, place);
}
