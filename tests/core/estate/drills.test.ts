import { describe, expect, test } from 'vitest';
import { drilled, offers, type FaultId } from '$core/drills';
import { workloadNamed } from '$core/proofs';
import { Estate } from '$core/standin';
import { operatedParts } from './help';
import { rows } from '../../rounds';

const whole = Estate.replay(operatedParts(), 90_000);
whole.runSettled();
const pace = { leadMs: 10_000, faultMs: 60_000, calmMs: 15_000 };
function drill(cluster: string, fault: FaultId) {
  const { store } = whole.world(cluster)!;
  const workload = workloadNamed(store, 'people', 'crew')!;
  const found = drilled({ facts: store, workload, fault, pace, fork: () => whole.fork().world(cluster)! });
  if (typeof found === 'string') throw new Error(`${cluster} ${fault}: ${found}`);
  return found;
}

describe('drills of a workload over several clusters', { timeout: 60_000 }, () => {
  test.each(
    rows(3, [
      ['west', 'cluster-lost', 'cluster east', 'expected', 2],
      ['west', 'link-slow', 'link to east', 'expected', 0],
      ['east', 'node-dark', undefined, 'expected', 1],
      ['east', 'cluster-lost', 'cluster north', 'expected', 2],
      ['east', 'link-cut', 'link to north', 'expected', 2],
      ['west', 'operator-lost', 'cluster south', 'expected', 0]
    ] as const)
  )('%s: %s strikes %s and comes out as %s', (cluster, fault, target, state, away) => {
    const found = drill(cluster, fault);
    expect([found.state, found.says]).toEqual([state, found.says]);
    if (target !== undefined) expect(found.target).toBe(target);
    expect(found.measured.lostCount).toBe(0);
    expect(found.derived.goesOn).toBe(true);
    expect(found.lanes.map((one) => one.name).sort()).toEqual(['crew-0', 'crew-1', 'crew-10', 'crew-11', 'crew-20']);
    expect(found.derived.why).toContain(away ? `${away} of 5 members` : 'no member goes');
    // The leading member is lost: somebody has to be elected first.
    if (target === 'cluster east') expect(found.measured.writesPauseMs).toBeGreaterThan(5_000);
    if (fault === 'operator-lost') expect(found.measured.writesPauseMs).toBe(0);
  });

  test.each(rows(1, ['link-one-way', 'link-cut'] as const))(
    '%s to the leading member: clients on this side wait for its end, as was said before',
    (fault) => {
      const found = drill('west', fault);
      expect(found.derived).toMatchObject({ goesOn: false, why: 'clients in west come to the leading member in east over this link' });
      expect(found.measured.writesPauseMs).toBeGreaterThanOrEqual(60_000);
      expect([found.state, found.measured.lostCount]).toEqual(['expected', 0]);
    }
  );

  test('where a workload stands in one cluster none of them can happen, and why is said', () => {
    const { store } = whole.world('south')!;
    expect(workloadNamed(store, 'people', 'crew')).toBeUndefined();
    const alone = Estate.replay(operatedParts(), 70_000).world('east')!;
    const all = offers({
      facts: alone.store,
      workload: { namespace: 'x', name: 'y', engine: 'document-set', sets: [], deployments: [], daemonSets: [] }
    });
    expect(all.filter((one) => /^(cluster-lost|link|operator-lost)/.test(one.fault)).map((one) => one.not)).toEqual(
      Array(5).fill('all its members stand in this cluster')
    );
  });
});
