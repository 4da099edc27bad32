import fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { linkedPairs, overWorkloads, rightsTables, survival, tryReach, type Loss } from '$core/estate';
import { Estate, type Action } from '$core/standin';
import { acted, crewParts, operatedParts, processes } from './help';

/** Whether every single cluster may be lost. */
const survivesAnyCluster = (losses: readonly Loss[]): boolean => losses.every((one) => one.is !== 'cluster' || one.state !== 'broken');
const brief = (losses: readonly Loss[]) => losses.map((one) => `${one.id}: ${one.state}, ${one.says}`);

describe('what a workload over several clusters survives', () => {
  test('members 2, 2 and 1, run from a fourth cluster: any one of them may be lost', () => {
    const losses = survival({
      clusters: [
        { cluster: 'south-quay', members: 2 },
        { cluster: 'north-quay', members: 2 },
        { cluster: 'harbour', members: 1 }
      ],
      leads: 'south-quay',
      operator: 'pilot-house'
    });
    expect(brief(losses)).toEqual([
      'cluster south-quay: holds, 3 stay, one in north-quay leads',
      'cluster north-quay: holds, 3 stay',
      'cluster harbour: holds, 4 stay',
      'link south-quay north-quay: partial, 3 stay; 2 wait, and catch up afterwards',
      'link south-quay harbour: partial, 4 stay; 1 waits, and catches up afterwards',
      'link north-quay harbour: holds, 5 stay',
      'operator: partial, all 5 stay, and nobody mends: the operator runs there'
    ]);
    expect(survivesAnyCluster(losses)).toBe(true);
  });

  test('two clusters never survive the loss of either one with more than half, whatever the numbers', () => {
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 9 }), fc.integer({ min: 1, max: 9 }), (a, b) => {
        const losses = survival({
          clusters: [
            { cluster: 'a', members: a },
            { cluster: 'b', members: b }
          ],
          leads: 'a'
        });
        expect(survivesAnyCluster(losses)).toBe(false);
      })
    );
  });

  test('the arithmetic holds against what then happens: each cluster lost, each link cut', { timeout: 60_000 }, () => {
    const whole = Estate.replay(crewParts(), 90_000);
    whole.runSettled();
    const [crew] = overWorkloads(whole.world('west')!.store);
    expect(crew).toMatchObject({ name: 'crew', leads: 'east', parts: [{ ready: 2 }, { ready: 2 }, { ready: 1 }] });
    const outage = (spec: object): Action => ({
      type: 'send',
      objects: [{ apiVersion: 'standin.example/v1', kind: 'Outage', metadata: { name: 'lost' }, spec } as never]
    });
    for (const loss of crew!.survives) {
      const estate = whole.fork();
      const [is, a, b] = loss.id.split(' ') as [string, string, string | undefined];
      const world = estate.world(a)!;
      acted(
        world,
        outage(is === 'cluster' ? { dark: world.store.list('Node').map((one) => one.metadata.name) } : { links: [{ to: b!, is: 'cut' }] })
      );
      estate.runUntil(estate.nowMs + 90_000);
      const from = loss.leads ?? 'east';
      const asked = estate.world(from)!;
      acted(asked, {
        type: 'ask',
        namespace: 'people',
        id: 'try',
        ask: { workload: 'crew', way: 'inside', login: 'right', op: { do: 'write', key: 'k', value: 'v', acks: 'majority' } }
      });
      estate.runUntil(estate.nowMs + 40_000);
      const answer = asked.store.get('Ask', 'people', 'try')!.status?.outcome;
      expect([loss.id, answer === 'acknowledged']).toEqual([loss.id, loss.state !== 'broken']);
      const leads = processes(estate)
        .filter((one) => one.includes(' primary true'))
        .map((one) => one.split(' ')[0]);
      expect([loss.id, leads]).toEqual([loss.id, loss.leads === undefined ? [] : [loss.leads]]);
    }
  });
});

describe('the sheet of linked clusters', () => {
  test('reach of every ordered pair before anything is deployed: found, reached, how long', () => {
    const estate = Estate.replay(operatedParts({ linkOf: { 'east west': { carries: { names: false, addresses: true } } } }), 80_000);
    acted(estate.world('north')!, {
      type: 'send',
      objects: [
        {
          apiVersion: 'standin.example/v1',
          kind: 'Outage',
          metadata: { name: 'cut' },
          spec: { links: [{ to: 'south', is: 'one-way' }] }
        } as never
      ]
    });
    const before = estate.clusters.map((name) => estate.world(name)!.journal.changes.length);
    const { squares } = tryReach(estate.fork().world('east')!);
    expect(squares).toHaveLength(12);
    const said = Object.fromEntries(squares.map((one) => [`${one.from} ${one.to}`, `${one.state}: ${one.says}`]));
    expect(said['east north']).toBe('holds: found and reached in 19 ms');
    expect(said['east west']).toBe(
      "broken: reached by its address, and not found by its name: east's end of the link east.west carries no names, so those of west aren't found here"
    );
    expect(said['south north']).toBe('broken: on the link north.south what leaves north arrives, and no answer comes back (cut)');
    // On a fork: nothing of it is left.
    expect(estate.clusters.map((name) => estate.world(name)!.journal.changes.length)).toEqual(before);
  });

  test('links, rights and names as they stand', () => {
    const estate = Estate.replay(operatedParts({ grants: ['north'], access: ['west'] }), 90_000);
    estate.runSettled();
    const facts = estate.world('north')!.store;
    expect(linkedPairs(facts).map((one) => [one.name, one.fault?.is])).toEqual([
      ['east.north', undefined],
      ['east.south', undefined],
      ['east.west', undefined],
      ['north.south', undefined],
      ['north.west', undefined],
      ['south.west', undefined]
    ]);
    expect(rightsTables(facts)).toEqual([
      {
        operator: 'document-operator',
        cluster: 'south',
        squares: [
          { cluster: 'east', namespace: 'people', state: 'holds', says: 'may make and alter all that it has to' },
          {
            cluster: 'north',
            namespace: 'people',
            state: 'broken',
            says: 'There is no account documents-system/document-operator-of-south in north',
            mendIn: 'north',
            fault: 'AccountMissing'
          },
          {
            cluster: 'west',
            namespace: 'people',
            state: 'broken',
            says: 'The operator has no access document for west in documents-system',
            mendIn: 'south',
            fault: 'NoAccess'
          }
        ]
      }
    ]);
    const [crew] = overWorkloads(facts);
    expect(crew!.names).toMatchObject({ missing: [] });
    expect(crew!.parts.map((one) => [one.cluster, one.ready, one.wanted])).toEqual([
      ['east', 2, 2],
      ['north', 0, 2],
      ['west', 0, 1]
    ]);
  });
});
