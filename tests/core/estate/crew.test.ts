import { expect, test } from 'vitest';
import { isReady } from '$core/model';
import { provedWorkload, workloadNamed } from '$core/proofs';
import { rootLine } from '$core/rootline';
import { Estate, type EstatePart } from '$core/standin';
import { scenario } from '../../../src/lib/scenario';
import { acted, processes } from './help';

const crew = (): Map<string, EstatePart> =>
  new Map(scenario().map((one) => [one.name, { origin: { seed: one.seed, ground: one.ground }, actions: one.forks![0]!.actions }]));
const subject = { kind: 'DocumentSet' as const, namespace: 'people', name: 'crew' };

test('crew: three breaks, each found in one press and mended by what its root line offers', { timeout: 60_000 }, () => {
  const estate = Estate.replay(crew(), 990_000);
  const home = estate.world('pilot-house')!;
  const lineOf = () => rootLine(home.store, subject)!;
  const first = lineOf();
  expect(first.trunks.map((one) => [one.cluster, one.ref.name, one.firstBreak])).toEqual([
    ['south-quay', 'crew-0', undefined],
    ['south-quay', 'crew-1', 'authority'],
    ['north-quay', 'crew-10', 'resource'],
    ['north-quay', 'crew-11', 'resource'],
    ['harbour', 'crew-20', 'link']
  ]);
  const pressed: string[] = [];
  for (let line = first; line.firstBreak && pressed.length < 6; line = lineOf()) {
    const broken = line.joints.find((one) => one.state === 'broken')!;
    pressed.push(`${broken.joint} in ${broken.cluster ?? broken.remedy!.in ?? 'pilot-house'}`);
    const sentTo = broken.joint === 'authority' ? 'pilot-house' : (broken.remedy!.in ?? 'pilot-house');
    acted(estate.world(sentTo)!, { type: 'send', objects: broken.remedy!.manifests! });
    estate.runSettled();
  }
  expect(pressed).toEqual(['link in harbour', 'authority in south-quay', 'resource in north-quay']);
  expect(
    processes(estate)
      .filter((one) => one.includes('crew'))
      .every((one) => one.includes(' true '))
  ).toBe(true);
  // The pack of proofs, in each cluster that holds members: what is written through one is read through another, and taken members come back.
  for (const cluster of ['south-quay', 'north-quay', 'harbour']) {
    const world = estate.world(cluster)!;
    const workload = workloadNamed(world.store, 'people', 'crew')!;
    const fork = () => estate.fork().world(cluster)!;
    const proofs = provedWorkload({ facts: world.store, workload, changes: world.journal.changes, fork });
    expect(proofs.length).toBeGreaterThanOrEqual(5);
    expect(proofs.filter((one) => one.state !== 'holds').map((one) => [cluster, one.id, one.state, one.says])).toEqual([]);
  }
  expect(isReady(estate.world('harbour')!.store.get('Pod', 'people', 'crew-20')!)).toBe(true);
});
