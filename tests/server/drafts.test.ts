import { describe, expect, test } from 'vitest';
import { rules } from '$core/checker';
import { installObjects, installOf } from '$core/standin';
import { writeManifests } from '$core/manifest';
import { bookingsYaml } from '../../src/lib/scenario/workloads';
import { call, dispatch } from './call';

interface Found {
  code: string;
  severity: string;
  line: number;
  column: number;
  object?: string;
  message: string;
  remedy: string;
}
const checked = async (text: string, query = '') => (await call<{ findings: Found[] }>('POST', `/check${query}`, text)).body.findings;
let nth = 0;
async function fork(from = 'south-quay'): Promise<string> {
  return (await call<{ id: string }>('POST', `/rehearsals/${from}/forks`, { name: `d${(nth += 1)}` })).body.id;
}
interface Draft {
  id: number;
  files: { name: string; text: string }[];
}
const begin = async (files: Draft['files'] | string, cluster = 'south-quay') =>
  (
    await call<Draft>('POST', `/clusters/${cluster}/drafts`, {
      name: 'a draft',
      ...(typeof files === 'string' ? { text: files } : { files })
    })
  ).body.id;

describe('POST /check', () => {
  test.each(rules.map((one) => [one.id, one] as const))(
    '%s: its bad manifest gives that rule and no other error, its good one no error',
    async (id, rule) => {
      const against = rule.against ? `?against=${rule.against}` : '';
      const bad = await checked(rule.bad, against);
      expect(bad.map((one) => one.code)).toContain(id);
      expect(
        bad
          .filter((one) => one.severity === 'error')
          .map((one) => one.code)
          .filter((one) => one !== id)
      ).toEqual([]);
      for (const one of bad) {
        expect(one.line).toBeGreaterThan(0);
        expect(one.column).toBeGreaterThan(0);
      }
      expect((await checked(rule.good, against)).filter((one) => one.severity === 'error')).toEqual([]);
    }
  );

  test("the demo's manifests give no error but the name that crew's certificate lacks, as YAML or as JSON; an unknown rehearsal is told", async () => {
    for (const id of ['harbour', 'north-quay', 'south-quay', 'pilot-house']) {
      const { body } = await call<{ yaml: string }>('GET', `/rehearsals/${id}/manifests`);
      const errors = (await checked(body.yaml)).filter((one) => one.severity === 'error').map((one) => one.code);
      expect(errors).toEqual(id === 'pilot-house' ? ['cert-name-missing'] : []);
    }
    expect(await checked(JSON.stringify({ apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'a' } }))).toEqual([]);
    expect((await call('POST', '/check?against=nowhere', bookingsYaml)).status).toBe(404);
  });

  test('the same as a SARIF log', async () => {
    const { body } = await call<{
      version: string;
      runs: {
        tool: { driver: { rules: { id: string }[] } };
        results: {
          ruleId: string;
          ruleIndex: number;
          level: string;
          locations: { physicalLocation: { region: { startLine: number }; artifactLocation: { uri: string } } }[];
        }[];
      }[];
    }>('POST', '/check?format=sarif&file=set.yaml', rules.find((one) => one.id === 'size-decimal')!.bad);
    expect(body.version).toBe('2.1.0');
    const [run] = body.runs;
    const result = run!.results.find((one) => one.ruleId === 'size-decimal')!;
    expect(run!.tool.driver.rules[result.ruleIndex]!.id).toBe('size-decimal');
    expect(result.locations[0]!.physicalLocation).toMatchObject({ artifactLocation: { uri: 'set.yaml' }, region: { startLine: 4 } });
  });
});

describe('drafts', () => {
  test('every change is a state; undo and redo outlive the page; any state can be had again', async () => {
    const id = await begin([{ name: 'a.yaml', text: 'one' }]);
    const keep = (text: string) => call<Draft>('PUT', `/drafts/${id}`, { files: [{ name: 'a.yaml', text }] });
    await keep('two');
    await keep('two');
    await keep('three');
    const states = await call<{ items: { id: number; parent: number | null }[] }>('GET', `/drafts/${id}/states`);
    expect(states.body.items).toHaveLength(3);
    const text = (body: Draft) => body.files[0]!.text;
    expect(text((await call<Draft>('POST', `/drafts/${id}/undo`)).body)).toBe('two');
    expect(text((await call<Draft>('POST', `/drafts/${id}/undo`)).body)).toBe('one');
    expect(await call('POST', `/drafts/${id}/undo`)).toMatchObject({ status: 409, body: { type: 'urn:root-barn:problem:no-such-state' } });
    expect(text((await call<Draft>('POST', `/drafts/${id}/redo`)).body)).toBe('two');
    // Another way from here on: what was undone is kept, and redo follows the newer way.
    await keep('four');
    await call('POST', `/drafts/${id}/undo`);
    expect(text((await call<Draft>('POST', `/drafts/${id}/redo`)).body)).toBe('four');
    const third = states.body.items[0]!.id;
    expect((await call<{ files: Draft['files'] }>('GET', `/drafts/${id}/states/${third}`)).body.files[0]!.text).toBe('three');
    expect((await call('GET', `/drafts/${id}/states/9999`)).status).toBe(404);
    expect((await call('PUT', `/drafts/${id}`, { files: [{ name: '../a.yaml', text: '' }] })).status).toBe(400);
  });

  test('names lead somewhere: into the draft, to the target, or nowhere', async () => {
    const at = await fork();
    const files = [
      {
        name: 'a.yaml',
        text: 'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: a, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 1Gi}}}\n'
      },
      {
        name: 'b.yaml',
        text: 'apiVersion: v1\nkind: Pod\nmetadata: {name: b, namespace: tickets}\nspec: {containers: [{name: c, image: "x:1", envFrom: [{secretRef: {name: gone}}]}], volumes: [{name: v, persistentVolumeClaim: {claimName: a}}]}\n'
      }
    ];
    const { body } = await call<{
      links: { kind: string; there: string; file: string; from: number; to: number }[];
      sheet: { new: object[] };
    }>('POST', `/rehearsals/${at}/look`, { files, sheet: true });
    expect(body.links.map((one) => [one.kind, one.there])).toEqual([
      ['StorageClass', 'target'],
      ['PersistentVolumeClaim', 'draft'],
      ['Secret', 'nowhere']
    ]);
    for (const { file, from, to, kind } of body.links)
      expect(files.find((one) => one.name === file)!.text.slice(from, to)).toBe(
        { StorageClass: 'steady-block', PersistentVolumeClaim: 'a', Secret: 'gone' }[kind]
      );
    expect(body.sheet.new).toHaveLength(2);
  });

  test("what loses data needs the cluster's name; another cluster's name doesn't match", async () => {
    const at = await fork('harbour');
    const { body: now } = await call<{ yaml: string }>('GET', `/rehearsals/${at}/manifests`);
    const id = await begin(now.yaml.replace('image-shelf:r3', 'image-shelf:9.9'), 'harbour');
    const send = (confirm?: string) =>
      call<{ type: string; detail: string; nowMs: number }>('POST', `/drafts/${id}/send`, {
        rehearsal: at,
        ...(confirm === undefined ? {} : { confirm })
      });
    expect(await send()).toMatchObject({
      status: 409,
      body: { type: 'urn:root-barn:problem:name-needed', detail: expect.stringMatching(/ephemeral/) as string }
    });
    expect(await send('north-quay')).toMatchObject({
      status: 409,
      body: { detail: expect.stringMatching(/"north-quay" is not the name/) as string }
    });
    expect((await send('harbour')).status).toBe(200);
    const other = await fork('south-quay');
    expect(
      (await call('POST', `/drafts/${await begin('apiVersion: v1\nkind: Namespace\nmetadata: {name: x}\n')}/send`, { rehearsal: other }))
        .status
    ).toBe(200);
  });

  test('a draft knows where it was sent, and what has drifted there since', async () => {
    const at = await fork();
    const id = await begin(
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes, namespace: tickets}\ndata: {a: "1"}\n---\napiVersion: v1\nkind: ConfigMap\nmetadata: {name: more, namespace: tickets}\ndata: {a: "1"}\n'
    );
    await call('POST', `/drafts/${id}/send`, { rehearsal: at });
    const sent = async () =>
      (
        await call<{ items: { rehearsal: string; changedSince: boolean; drift: { object: string; says: string }[] }[] }>(
          'GET',
          `/drafts/${id}/sent`
        )
      ).body.items[0]!;
    expect(await sent()).toMatchObject({ rehearsal: at, changedSince: false, drift: [] });
    await call(
      'POST',
      `/rehearsals/${at}/send`,
      'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: notes, namespace: tickets}\ndata: {a: "2"}\n'
    );
    await call('POST', `/rehearsals/${at}/remove`, { kind: 'ConfigMap', namespace: 'tickets', name: 'more' });
    await call('PUT', `/drafts/${id}`, { text: 'apiVersion: v1\nkind: Namespace\nmetadata: {name: y}\n' });
    expect(await sent()).toMatchObject({
      changedSince: true,
      drift: [
        { object: 'ConfigMap tickets/more', says: 'is no longer there' },
        { object: 'ConfigMap tickets/notes', says: expect.stringMatching(/data\.a was changed/) as string }
      ]
    });
  });

  test('a table beside the manifests gives each cluster its own values, in the check, on the sheet and when sent', async () => {
    const table =
      'apiVersion: standin.example/v1\nkind: ValueTable\nmetadata: {name: values}\nspec:\n  rows:\n  - name: size\n    places: ["PersistentVolumeClaim tickets/extra spec.resources.requests.storage"]\n    values: {south-quay: 7Gi, north-quay: 900Ti}\n';
    const claim =
      'apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: extra, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 5Gi}}}\n';
    const files = [
      { name: 'claim.yaml', text: claim },
      { name: 'by-cluster.yaml', text: table }
    ];
    const north = await call<{ findings: { code: string }[] }>('POST', '/rehearsals/north-quay/look', { files });
    expect(north.body.findings.map((one) => one.code)).toContain('size-out-of-range');
    const at = await fork();
    const id = await begin(files);
    expect((await call('POST', `/drafts/${id}/send`, { rehearsal: at })).status).toBe(200);
    const found = await call<{ items: { spec: { resources: { requests: { storage: string } } } }[] }>(
      'GET',
      `/rehearsals/${at}/objects?kind=PersistentVolumeClaim&namespace=tickets&name=extra`
    );
    expect(found.body.items[0]!.spec.resources.requests.storage).toBe('7Gi');
    const broken = await call<{ findings: { code: string; at: { file: string } }[] }>('POST', '/rehearsals/north-quay/look', {
      files: [files[0]!, { name: 'by-cluster.yaml', text: 'kind: ValueTable\nspec: {}\n' }]
    });
    expect(broken.body.findings[0]).toMatchObject({ code: 'bad-value', at: { file: 'by-cluster.yaml' } });
  });
});

describe('from an ephemeral directory to a claim', () => {
  test('Recreate comes up, a rolling update hangs on the volume that the old pod holds', async () => {
    const at = await fork('pilot-house');
    // A pool reaches every node, so a new pod lands on another one; here shared block volumes without zones do the same.
    const place =
      'apiVersion: standin.example/v1\nkind: Backend\nmetadata: {name: anywhere}\nspec: {driver: block.standin.example, zones: [{name: here, capacity: 1Ti}], topologyKey: "", quotaVolumes: 10}\n---\napiVersion: standin.example/v1\nkind: Identity\nmetadata: {name: keeper}\nspec: {driver: block.standin.example, issuer: ISSUER, subject: "system:serviceaccount:storage-system:block-driver", audience: volumes.standin.example, rights: [create, attach, detach, delete]}\n---\napiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: roaming}\nprovisioner: block.standin.example\nvolumeBindingMode: WaitForFirstConsumer\n';
    const ground = await call<{ items: { spec: { issuer: string } }[] }>('GET', `/rehearsals/${at}/objects?kind=Ground`);
    const sent = [
      place.replace('ISSUER', ground.body.items[0]!.spec.issuer),
      writeManifests(installObjects(installOf('block.standin.example')!)),
      'apiVersion: v1\nkind: Namespace\nmetadata: {name: desks}\n---\napiVersion: apps/v1\nkind: Deployment\nmetadata: {name: shelf, namespace: desks}\nspec:\n  replicas: 1\n  selector: {matchLabels: {app: shelf}}\n  template:\n    metadata: {labels: {app: shelf}, annotations: {standin.example/holds: 2Gi}}\n    spec:\n      containers: [{name: shelf, image: "shelf.standin.example/engines/image-shelf:r4", volumeMounts: [{name: store, mountPath: /var/lib/registry}]}]\n      volumes: [{name: store, emptyDir: {}}]\n'
    ];
    for (const one of sent) expect((await call('POST', `/rehearsals/${at}/send`, one)).status).toBe(200);
    await call('POST', `/rehearsals/${at}/clock`, { until: 'settled' });
    const dirs = await call<{ items: { name: string; volume: string; paths: string[]; bytes: number }[] }>(
      'GET',
      `/rehearsals/${at}/ephemeral`
    );
    expect(dirs.body.items[0]).toMatchObject({ name: 'shelf', volume: 'store', paths: ['/var/lib/registry'] });
    expect(dirs.body.items[0]!.bytes).toBeGreaterThanOrEqual(2 * 2 ** 30);
    const ask = (strategy: string) =>
      call<{
        yaml: string;
        lost: string;
        steps: string[];
        rehearsal: { first: string; next: string; hangs: boolean; firstBreak: string | null };
      }>('POST', `/rehearsals/${at}/persist`, {
        kind: 'Deployment',
        namespace: 'desks',
        name: 'shelf',
        volume: 'store',
        className: 'roaming',
        size: '20Gi',
        strategy,
        rehearse: true
      });
    const right = (await ask('Recreate')).body;
    expect(right.lost).toMatch(/var\/lib\/registry/);
    expect(right.rehearsal).toMatchObject({ hangs: false, first: expect.stringMatching(/nobody is ready for/) as string });
    const wrong = (await ask('RollingUpdate')).body;
    expect(wrong.rehearsal).toMatchObject({ hangs: true, next: expect.stringMatching(/hangs/) as string, firstBreak: 'attaching' });
    // Nothing of it has touched the rehearsal; sent from the draft it works there.
    expect(
      (await call<{ items: object[] }>('GET', `/rehearsals/${at}/objects?kind=PersistentVolumeClaim&namespace=shelf`)).body.items
    ).toHaveLength(0);
    const sheet = await call<{ lost: { says: string }[]; new: object[]; restarted: { says: string }[] }>(
      'POST',
      `/rehearsals/${at}/change-sheet`,
      right.yaml
    );
    expect([sheet.body.new.length, sheet.body.restarted.length, sheet.body.lost.length]).toEqual([1, 1, 1]);
    expect(sheet.body.lost[0]!.says).toMatch(/store.*2Gi in all/);
    expect(sheet.body.restarted[0]!.says).toMatch(/old ones end before/);
  });
});

describe('two editors', () => {
  test('what was written on an older text is refused with the text that stands; each change has its number', async () => {
    const made = await call<{ id: number; revision: number }>('POST', '/clusters/south-quay/drafts', { name: 'both', text: 'a: 1' });
    const path = `/drafts/${made.body.id}`;
    const put = async (text: string, seen?: number) => {
      const request = new Request(`http://127.0.0.1/api/v1${path}`, {
        method: 'PUT',
        body: JSON.stringify({ text }),
        headers: seen === undefined ? {} : { 'if-match': `"${seen}"` }
      });
      const answer = await dispatch(request, path);
      return {
        status: answer.status,
        body: (await answer.json()) as { revision: number; current: { revision: number; files: { text: string }[] } }
      };
    };
    const first = made.body.revision;
    const next = await put('a: 2', first);
    expect([next.status, next.body.revision]).toEqual([200, first + 1]);
    const stale = await put('a: 3', first);
    expect(stale).toMatchObject({
      status: 409,
      body: { type: 'urn:root-barn:problem:stale-draft', current: { revision: first + 1, files: [{ text: 'a: 2' }] } }
    });
    // Two at once: one of them is kept, the other told.
    const both = await Promise.all([put('b: 1', first + 1), put('b: 2', first + 1)]);
    expect(both.map((one) => one.status).sort()).toEqual([200, 409]);
    // The same text again is no change; undo is one.
    expect((await put(both.find((one) => one.status === 200)!.body ? 'c: 1' : '', first + 2)).body.revision).toBe(first + 3);
    expect((await put('c: 1', first + 3)).body.revision).toBe(first + 3);
    expect((await call<{ revision: number }>('POST', `${path}/undo`)).body.revision).toBe(first + 4);
    for (const [method, more] of [
      ['POST', '/undo'],
      ['POST', '/redo'],
      ['DELETE', '']
    ] as const) {
      const answer = await dispatch(
        new Request(`http://127.0.0.1/api/v1${path}${more}`, { method, headers: { 'if-match': `"${first}"` } }),
        path + more
      );
      expect(answer.status, method + more).toBe(409);
    }
  });
});
