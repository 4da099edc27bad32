import { describe, expect, test } from 'vitest';
import { lineSentence, rootLine } from '$core/rootline';
import { Estate, type Action } from '$core/standin';
import type { ApiObject, Certificate, DocumentSet, Facts } from '$core/model';
import { objects } from '../help';
import { acted, documentSet, operatedParts, processes } from './help';

const subject = { kind: 'DocumentSet' as const, namespace: 'people', name: 'crew' };
const standing = (estate: Estate) => estate.world('south')!.store.get('DocumentSet', 'people', 'crew')?.status;
const lineOf = (estate: Estate) => rootLine(estate.world('south')!.store, subject)!;
const member = (estate: Estate, cluster: string, name: string) =>
  rootLine(estate.world(cluster)!.store, { kind: 'Pod', namespace: 'people', name })!;
/** Sends what mends the first break, in the cluster that the remedy names. */
function mend(estate: Estate, from: string, line: ReturnType<typeof lineOf>) {
  const broken = line.joints.find((one) => one.state === 'broken')!;
  expect(broken.remedy?.manifests, broken.says).toBeDefined();
  acted(estate.world(broken.remedy!.in ?? from)!, { type: 'send', objects: broken.remedy!.manifests! });
  estate.runSettled();
}
const sent = (objects: readonly ApiObject[]): Action => ({ type: 'send', objects });
const allReady = (estate: Estate) => {
  expect(standing(estate)?.conditions[0]?.message).toBe('All 5 members in 3 clusters are ready.');
  const line = lineOf(estate);
  expect(line.firstBreak).toBeNull();
  expect(line.trunks.map((one) => [one.cluster, one.ref.name])).toEqual([
    ['east', 'crew-0'],
    ['east', 'crew-1'],
    ['north', 'crew-10'],
    ['north', 'crew-11'],
    ['west', 'crew-20']
  ]);
};
const run = (parts = operatedParts()) => {
  const estate = Estate.replay(parts, 90_000);
  estate.runSettled();
  return estate;
};

describe('one operator for several clusters', () => {
  test('makes members cluster by cluster, within the usual 5 to 15 minutes, with one certificate for all names', () => {
    const estate = Estate.replay(operatedParts(), 90_000);
    estate.runUntil(150_000);
    // The second cluster waits for the first.
    expect(estate.world('east')!.store.get('StatefulSet', 'people', 'crew')?.spec.ordinals?.start).toBe(0);
    expect(estate.world('north')!.store.get('StatefulSet', 'people', 'crew')).toBeUndefined();
    expect(member(estate, 'east', 'crew-0').firstBreak).toBeNull();
    estate.runSettled();
    allReady(estate);
    const tookMs = estate.nowMs - 90_000;
    expect(tookMs).toBeGreaterThan(240_000);
    expect(tookMs).toBeLessThan(900_000);
    const names = estate.world('south')!.store.get('Certificate', 'people', 'crew')!.spec.names;
    expect(names).toContain('crew-11.crew.people.svc.north.linked.example');
    expect(names).toContain('crew-20.crew.people.svc.cluster.local');
    const secrets = ['south', 'east', 'north', 'west'].map(
      (one) => estate.world(one)!.store.get('Secret', 'people', 'crew-tls')!.data!['tls.crt']
    );
    expect(new Set(secrets).size).toBe(1);
  });

  test('a link without names: the member over there waits, and its end is what mends it', () => {
    const nameless = { carries: { names: false, addresses: true } };
    const estate = run(operatedParts({ linkOf: { 'east west': nameless } }));
    estate.runUntil(estate.nowMs + 900_000);
    const line = lineOf(estate);
    expect(line.firstBreak).toBe('link');
    expect(line.trunks.filter((one) => one.firstBreak).map((one) => one.ref.name)).toEqual(['crew-20']);
    expect(lineSentence(line)).toBe("crew waits: west's end of the link east.west carries no names, so those of east aren't found here.");
    const own = member(estate, 'west', 'crew-20');
    expect([own.firstBreak, own.joints.find((one) => one.state === 'broken')!.remedy!.in]).toEqual(['link', undefined]);
    mend(estate, 'south', line);
    allReady(estate);
  });

  test('a namespace without rights: the members are not made there, and the role is what mends it', () => {
    const estate = run(operatedParts({ grants: ['north'] }));
    expect(processes(estate).map((one) => one.split(' ')[1])).toEqual(['crew-0', 'crew-1', 'crew-20']);
    expect(standing(estate)!.conditions[0]!.message).toBe(
      'There is no account documents-system/document-operator-of-south in north. 3 of 5 members are ready.'
    );
    const line = lineOf(estate);
    expect([line.firstBreak, line.trunks.filter((one) => one.firstBreak === 'resource').map((one) => one.ref.name)]).toEqual([
      'resource',
      ['crew-10', 'crew-11']
    ]);
    mend(estate, 'south', line);
    allReady(estate);
    // The account alone is not enough.
    const role = { kind: 'Role' as const, namespace: 'people', name: 'document-operator-of-south' };
    acted(estate.world('north')!, { type: 'remove', ref: role });
    acted(
      estate.world('south')!,
      sent([
        documentSet({
          members: 6,
          clusters: [
            { cluster: 'east', members: 2 },
            { cluster: 'north', members: 3 },
            { cluster: 'west', members: 1 }
          ]
        })
      ])
    );
    estate.runSettled();
    expect(standing(estate)!.conditions[0]).toMatchObject({ reason: 'ForbiddenThere' });
    expect(standing(estate)!.conditions[0]!.message).toContain(
      'may not make or alter statefulsets, services, secrets, configmaps in people of north. 5 of 6'
    );
    mend(estate, 'south', lineOf(estate));
    expect(standing(estate)!.conditions[0]!.message).toBe('All 6 members in 3 clusters are ready.');
    expect(processes(estate)).toContain('north crew-12 secondary true ');
  });

  test('a certificate without a name: others refuse the member, and the name is what mends it', () => {
    const estate = Estate.replay(operatedParts(), 80_000);
    const issuer = {
      apiVersion: 'engines.standin.example/v1',
      kind: 'Issuer',
      metadata: { name: 'crew-authority', namespace: 'people' },
      spec: { authority: 'crew-authority', make: true }
    };
    const south = estate.world('south')!;
    estate.runSettled();
    const whole = south.store.get('Certificate', 'people', 'crew')!.spec.names;
    // Somebody's own certificate is left as it is.
    acted(south, { type: 'remove', ref: subject });
    acted(south, { type: 'remove', ref: { kind: 'Certificate', namespace: 'people', name: 'crew' } });
    estate.runSettled();
    for (const one of ['east', 'north', 'west']) expect(estate.world(one)!.store.list('StatefulSet', 'people')).toEqual([]);
    const own = {
      apiVersion: 'engines.standin.example/v1',
      kind: 'Certificate',
      metadata: { name: 'crew', namespace: 'people' },
      spec: {
        secret: 'crew-tls',
        issuer: { name: 'crew-authority' },
        names: whole.filter((one) => !/^crew-1\.crew.*(linked|east)/.test(one))
      }
    };
    acted(south, sent([issuer, own] as ApiObject[]));
    estate.runSettled();
    acted(south, sent([documentSet()]));
    estate.runSettled();
    estate.runUntil(estate.nowMs + 900_000);
    const line = lineOf(estate);
    expect([line.firstBreak, line.trunks.filter((one) => one.firstBreak === 'authority').map((one) => one.ref.name)]).toEqual([
      'authority',
      ['crew-1']
    ]);
    expect(lineSentence(line)).toContain("doesn't carry the name crew-1.crew.people.svc.east.linked.example");
    expect(line.joints.find((one) => one.state === 'broken')).toMatchObject({ cluster: 'east', trunks: [1] });
    expect(line.joints.find((one) => one.state === 'broken')!.remedy!.in).toBeUndefined();
    expect(member(estate, 'east', 'crew-1').joints.find((one) => one.state === 'broken')!.remedy!.in).toBe('south');
    mend(estate, 'south', line);
    allReady(estate);
    expect((estate.world('south')!.store.get('Certificate', 'people', 'crew') as Certificate).spec.names).toHaveLength(whole.length);
  });

  test('access that ends keeps nobody from running: members go on, and nobody mends', () => {
    const estate = run();
    const south = estate.world('south')!;
    const access = (south.store as Facts).get('Secret', 'documents-system', 'reach-north')!;
    acted(south, sent([{ ...access, data: { ...access.data, until: btoa('2026-03-02T06:00:00Z') } } as ApiObject]));
    estate.runSettled();
    expect(standing(estate)!.conditions[0]!.message).toBe(
      'The access document documents-system/reach-north for north has ended. 5 of 5 members are ready.'
    );
    expect(lineOf(estate).joints.find((one) => one.state === 'broken')?.says).toContain('has ended');
    mend(estate, 'south', lineOf(estate));
    allReady(estate);
    acted(south, { type: 'remove', ref: { kind: 'Secret', namespace: 'documents-system', name: 'reach-west' } });
    estate.runSettled();
    expect(standing(estate)!.conditions[0]!.reason).toBe('NoAccess');
  });

  test('the first cluster taken out: members are looked for where they stand, whatever their numbers', () => {
    const estate = run();
    acted(
      estate.world('south')!,
      sent([
        documentSet({
          members: 3,
          clusters: [
            { cluster: 'north', members: 2 },
            { cluster: 'west', members: 1 }
          ]
        })
      ])
    );
    estate.runSettled();
    expect(standing(estate)!.conditions[0]!.message).toBe('All 3 members in 2 clusters are ready.');
    expect(processes(estate)).toEqual([
      expect.stringMatching(/^north crew-10 primary true/),
      expect.stringMatching(/^north crew-11 secondary true/),
      expect.stringMatching(/^west crew-20 secondary true/)
    ]);
    acted(estate.world('west')!, {
      type: 'send',
      objects: objects('apiVersion: standin.example/v1\nkind: Outage\nmetadata: {name: cut}\nspec: {links: [{to: north, is: cut}]}\n')
    });
    estate.runUntil(estate.nowMs + 60_000);
    // Whoever has been ready goes on with what it has; the line doesn't say that it reaches whom it follows.
    const [link] = member(estate, 'west', 'crew-20').joints.filter((one) => one.joint === 'link');
    expect(link!.says).toContain('hears of nothing new');
  });

  test('the operator keeps each cluster as it was wished: members made again, a cluster taken out, all taken away', () => {
    const estate = run();
    acted(estate.world('north')!, { type: 'remove', ref: { kind: 'StatefulSet', namespace: 'people', name: 'crew' } });
    estate.runSettled();
    allReady(estate);
    acted(
      estate.world('south')!,
      sent([
        documentSet({
          members: 4,
          clusters: [
            { cluster: 'east', members: 2 },
            { cluster: 'north', members: 2 }
          ]
        })
      ])
    );
    estate.runSettled();
    expect((standing(estate) as DocumentSet['status'])!.conditions[0]!.message).toBe('All 4 members in 2 clusters are ready.');
    expect(estate.world('west')!.store.list('StatefulSet', 'people')).toEqual([]);
    expect(estate.world('west')!.store.list('PersistentVolumeClaim', 'people')).toHaveLength(1);
    acted(estate.world('south')!, sent([documentSet({ members: 7 })]));
    estate.runSettled();
    expect(standing(estate)!.conditions[0]!.message).toBe('The clusters have 5 members together, and spec.members says 7.');
  });
});
