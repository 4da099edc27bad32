import { beforeAll, describe, expect, test } from 'vitest';
import { call, read, type Line } from './call';

interface OverLine extends Line {
  trunks: { label: string; cluster?: string; firstBreak?: string }[];
  sentence: string;
}
const lineOf = async (cluster: string, kind = 'StatefulSet', name = 'crew') =>
  (await call<OverLine>('GET', `/rehearsals/${cluster}/root-line?kind=${kind}&namespace=people&name=${name}`)).body;
const say = (cluster: string, body: object) => call<{ with: string[]; operator?: object }>('PUT', `/clusters/${cluster}/joined`, body);
const joint = (line: OverLine, id: string) => line.joints.find((one) => one.joint === id);
const operator = { cluster: 'seen-pilot', kind: 'Deployment', namespace: 'documents-system', name: 'document-operator' };

describe('dumps of several clusters that the reader joins', () => {
  beforeAll(async () => {
    for (const [name, id] of [
      ['seen-harbour', 'harbour~crew'],
      ['seen-south', 'south-quay~crew'],
      ['seen-pilot', 'pilot-house~crew']
    ] as const) {
      const { body } = await call<{ items: object[] }>('GET', `/rehearsals/${id}/dump`);
      expect((await read(name, body)).status).toBe(201);
    }
  }, 60_000);

  test('until they are, a line stays in its own cluster and says nothing of others', async () => {
    const line = await lineOf('seen-harbour');
    expect(line.trunks.every((one) => one.cluster === undefined)).toBe(true);
    expect(joint(line, 'link')).toBeUndefined();
  });

  test('a line runs over the members of all of them; whether calls come through is unseen, never whole', async () => {
    expect((await say('seen-harbour', { with: ['seen-south'] })).body).toEqual({ with: ['seen-south'] });
    // It counts on both sides.
    expect((await call<{ with: string[] }>('GET', '/clusters/seen-south/joined')).body.with).toEqual(['seen-harbour']);
    const line = await lineOf('seen-harbour');
    expect(line.trunks.map((one) => `${one.cluster} ${one.label}`)).toEqual(['seen-harbour -20', 'seen-south -0', 'seen-south -1']);
    expect(joint(line, 'link')).toMatchObject({
      state: 'unseen',
      trunks: [0, 1, 2],
      says: expect.stringContaining('no export tells') as string
    });
    // The member here isn't ready, so the whole doesn't hold.
    expect(line.sentence).toBe('crew comes up: ready, node runs, and is not ready yet.');
    const fromThere = await lineOf('seen-south');
    expect(fromThere.trunks.map((one) => one.cluster)).toEqual(['seen-south', 'seen-south', 'seen-harbour']);
  });

  test('its operator is looked at where it stands; one that is away is the break, and one that is in no export is unseen', async () => {
    expect((await say('seen-harbour', { with: ['seen-south', 'seen-pilot'], operator })).status).toBe(200);
    const line = await lineOf('seen-harbour');
    const cared = line.trunks.filter((one) => one.cluster === 'seen-pilot');
    expect(cared.length).toBeGreaterThan(0);
    expect(cared.every((one) => one.label === 'operator')).toBe(true);
    await say('seen-harbour', { with: ['seen-south', 'seen-pilot'], operator: { ...operator, name: 'nobody' } });
    expect(joint(await lineOf('seen-harbour'), 'resource')).toMatchObject({
      state: 'unseen',
      says: 'Deployment documents-system/nobody, which looks after it, is not in the export of seen-pilot'
    });
    // A later dump in which its pod has no node: the first break is there, with that cluster's flag.
    const { body: dump } = await call<{ items: { kind: string; metadata: { name: string }; spec?: object; status?: object }[] }>(
      'GET',
      '/rehearsals/pilot-house~crew/dump'
    );
    const pending = dump.items.map((one) =>
      one.kind === 'Pod' && one.metadata.name.startsWith('document-operator')
        ? {
            ...one,
            spec: { ...one.spec, nodeName: undefined },
            status: {
              phase: 'Pending',
              conditions: [
                {
                  type: 'PodScheduled',
                  status: 'False',
                  reason: 'Unschedulable',
                  message: '0/3 nodes are available: 3 Insufficient memory.'
                }
              ]
            }
          }
        : one
    );
    expect((await read('seen-pilot', { ...dump, items: pending })).status).toBe(201);
    await say('seen-harbour', { with: ['seen-south', 'seen-pilot'], operator });
    const away = await lineOf('seen-harbour');
    const broken = away.joints.find((one) => one.state === 'broken') as unknown as { cluster?: string; joint: string };
    expect([away.firstBreak, broken.cluster]).toEqual([broken.joint, 'seen-pilot']);
    expect(away.sentence).toMatch(/^Who looks after crew is broken in seen-pilot: document-operator waits/);
  });

  test('one that holds by itself is not told to be broken by another of its name elsewhere', { timeout: 30_000 }, async () => {
    const stuck = (await call<{ items: object[] }>('GET', '/rehearsals/south-quay/dump')).body;
    await call('POST', '/rehearsals/south-quay/forks', { name: 'mended' });
    const { body: install } = await call<{ yaml: string }>('GET', '/drivers/block.standin.example/install');
    await call('POST', '/rehearsals/south-quay~mended/send', install.yaml);
    await call('POST', '/rehearsals/south-quay~mended/clock', { until: 'settled' });
    const mended = (await call<{ items: object[] }>('GET', '/rehearsals/south-quay~mended/dump')).body;
    for (const [name, dump] of [
      ['seen-stuck', stuck],
      ['seen-mended', mended]
    ] as const)
      expect((await read(name, dump)).status).toBe(201);
    await say('seen-mended', { with: ['seen-stuck'] });
    const lineIn = async (cluster: string) =>
      (await call<OverLine>('GET', `/rehearsals/${cluster}/root-line?kind=StatefulSet&namespace=tickets&name=bookings`)).body;
    const whole = await lineIn('seen-mended');
    expect([whole.firstBreak, whole.trunks.some((one) => one.cluster !== undefined)]).toEqual([null, false]);
    expect(await lineIn('seen-stuck')).toMatchObject({
      firstBreak: 'driver',
      sentence: expect.stringMatching(/^bookings waits: no driver/) as string
    });
  });

  test('what is no dump is refused, what is taken away is joined no more, and nothing is lost by bad input', async () => {
    for (const [body, status] of [
      [{ with: ['harbour'] }, 404],
      [{ with: ['seen-harbour'] }, 404],
      [{ with: ['nowhere'] }, 404],
      [{ with: 'seen-south' }, 400],
      [{ with: [], operator: { ...operator, cluster: 'nowhere' } }, 404]
    ] as const)
      expect([body, (await say('seen-harbour', body)).status]).toEqual([body, status]);
    expect((await call('PUT', '/clusters/harbour/joined', { with: [] })).status).toBe(404);
    expect((await call<{ with: string[] }>('GET', '/clusters/seen-harbour/joined')).body.with).toEqual(['seen-pilot', 'seen-south']);
    expect((await call('DELETE', '/clusters/seen-south')).status).toBeLessThan(300);
    expect((await call<{ with: string[] }>('GET', '/clusters/seen-harbour/joined')).body.with).toEqual(['seen-pilot']);
    const line = await lineOf('seen-harbour');
    expect(line.trunks.some((one) => one.cluster === 'seen-south')).toBe(false);
    expect(joint(line, 'link')!.says).toContain('nothing of this name is in seen-pilot');
  });
});
