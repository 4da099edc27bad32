// Reads a made-up dump of 50,000 objects (about 100 MiB) as YAML and as JSON: how long beside the parser alone, in the same run; what other
// requests have to wait meanwhile; how much memory it takes; that a stop leaves nothing behind. Ratios, not absolute times.
import { closeSync, createReadStream, mkdtempSync, openSync, readFileSync, rmSync, statSync, writeSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { request } from 'node:http';
import { stringify } from 'yaml';
import { ownServer } from './own-server.mjs';

const folder = mkdtempSync(join(tmpdir(), 'root-barn-dump-'));
const count = Number(process.env.OBJECTS ?? 50_000);
const stamp = (i) => new Date(Date.UTC(2026, 4, 1) + (i % 86_400) * 1_000).toISOString();
const words = 'a note that somebody left here so that the next shift knows what this is for: ';
const meta = (kind, name, namespace, i, more = {}) => ({
  name,
  ...(namespace ? { namespace } : {}),
  uid: `${kind}-${i}`,
  creationTimestamp: stamp(i),
  resourceVersion: String(1_000_000 + i),
  labels: { app: `app-${i % 700}`, tier: 'data', 'example.test/team': `team-${i % 40}` },
  annotations: { 'example.test/note': words + i, 'example.test/checked': stamp(i + 60) },
  ...more
});
const pod = (i) => ({
  apiVersion: 'v1',
  kind: 'Pod',
  metadata: meta('p', `app-${i}-0`, `space-${i % 200}`, i, {
    ownerReferences: [{ apiVersion: 'apps/v1', kind: 'StatefulSet', name: `app-${i}`, uid: `s-${i}`, controller: true }]
  }),
  spec: {
    nodeName: `node-${i % 500}`,
    containers: [
      {
        name: 'main',
        image: 'registry.example.test/engines/store:1.2.3',
        env: Array.from({ length: 14 }, (_, k) => ({ name: `SETTING_${k}`, value: `value of setting ${k} for app ${i}` })),
        resources: { requests: { cpu: '100m', memory: '128Mi' }, limits: { memory: '256Mi' } },
        volumeMounts: [{ name: 'data', mountPath: '/var/lib/data' }]
      }
    ],
    volumes: [{ name: 'data', persistentVolumeClaim: { claimName: `data-app-${i}-0` } }]
  },
  status: {
    phase: 'Running',
    podIP: `10.${i % 200}.${(i >> 8) % 250}.${i % 250}`,
    startTime: stamp(i),
    conditions: ['PodScheduled', 'Initialized', 'ContainersReady', 'Ready'].map((type) => ({
      type,
      status: 'True',
      lastTransitionTime: stamp(i + 5)
    })),
    containerStatuses: [
      {
        name: 'main',
        image: 'registry.example.test/engines/store:1.2.3',
        imageID: 'sha256:0',
        ready: true,
        restartCount: 0,
        started: true,
        state: { running: { startedAt: stamp(i) } }
      }
    ]
  }
});
const set = (i) => ({
  apiVersion: 'apps/v1',
  kind: 'StatefulSet',
  metadata: meta('s', `app-${i}`, `space-${i % 200}`, i),
  spec: {
    replicas: 1,
    serviceName: `app-${i}`,
    selector: { matchLabels: { app: `app-${i % 700}` } },
    template: { metadata: { labels: { app: `app-${i % 700}`, tier: 'data' } }, spec: pod(i).spec },
    volumeClaimTemplates: [
      {
        metadata: { name: 'data' },
        spec: { accessModes: ['ReadWriteOnce'], storageClassName: 'fast', resources: { requests: { storage: '10Gi' } } }
      }
    ]
  },
  status: { replicas: 1, readyReplicas: i === 7 ? 0 : 1 }
});
const claim = (i) => ({
  apiVersion: 'v1',
  kind: 'PersistentVolumeClaim',
  metadata: meta('c', `data-app-${i}-0`, `space-${i % 200}`, i),
  spec: {
    accessModes: ['ReadWriteOnce'],
    storageClassName: i === 7 ? 'gone' : 'fast',
    ...(i === 7 ? {} : { volumeName: `pv-${i}` }),
    resources: { requests: { storage: '10Gi' } }
  },
  status: i === 7 ? { phase: 'Pending' } : { phase: 'Bound', capacity: { storage: '10Gi' }, accessModes: ['ReadWriteOnce'] }
});
const volume = (i) => ({
  apiVersion: 'v1',
  kind: 'PersistentVolume',
  metadata: meta('v', `pv-${i}`, '', i),
  spec: {
    capacity: { storage: '10Gi' },
    accessModes: ['ReadWriteOnce'],
    storageClassName: 'fast',
    persistentVolumeReclaimPolicy: 'Retain',
    claimRef: { namespace: `space-${i % 200}`, name: `data-app-${i}-0` },
    csi: { driver: 'disks.example.test', volumeHandle: `disk-${i}` }
  },
  status: { phase: 'Bound' }
});
const config = (i) => ({
  apiVersion: 'v1',
  kind: 'ConfigMap',
  metadata: meta('m', `settings-${i}`, `space-${i % 200}`, i),
  data: { 'engine.conf': Array.from({ length: 30 }, (_, k) => `option_${k} = ${words}${k}`).join('\n') }
});
const node = (i) => ({
  apiVersion: 'v1',
  kind: 'Node',
  metadata: meta('n', `node-${i}`, '', i, {
    labels: { 'topology.kubernetes.io/zone': `zone-${i % 3}`, 'kubernetes.io/hostname': `node-${i}` }
  }),
  status: { allocatable: { cpu: '16', memory: '64Gi', pods: '110' } }
});

/** A fifth each of pods, sets, claims, volumes and settings, after 500 nodes, a class and a driver. */
function* objects() {
  yield {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: 'fast' },
    provisioner: 'disks.example.test',
    allowVolumeExpansion: true
  };
  yield { apiVersion: 'storage.k8s.io/v1', kind: 'CSIDriver', metadata: { name: 'disks.example.test' }, spec: { attachRequired: true } };
  for (let i = 0; i < 500; i += 1) yield node(i);
  const each = Math.floor((count - 502) / 5);
  // One set waits for a class that is gone, and has no member yet.
  for (let i = 0; i < each; i += 1) yield* i === 7 ? [set(i), claim(i), config(i)] : [pod(i), set(i), claim(i), volume(i), config(i)];
}

function write(name, items) {
  const path = join(folder, name);
  const file = openSync(path, 'w');
  let part = [];
  let length = 0;
  for (const text of items) {
    part.push(text);
    length += text.length;
    if (length > 4 << 20) {
      writeSync(file, part.join(''));
      [part, length] = [[], 0];
    }
  }
  writeSync(file, part.join(''));
  closeSync(file);
  return path;
}
function* yamlText() {
  for (const one of objects()) yield `---\n${stringify(one, { lineWidth: 0 })}`;
}
function* jsonText() {
  yield '{"apiVersion":"v1","kind":"List","items":[';
  let first = true;
  for (const one of objects()) {
    yield `${first ? '' : ','}${JSON.stringify(one)}`;
    first = false;
  }
  yield ']}';
}

/** The parser alone (for JSON with the validation of each object), in a process of its own, on the same file. */
function alone(kind, path) {
  const { stdout, stderr } = spawnSync('node', ['--max-old-space-size=8000', 'build/bench/bench-alone.js', kind, path], {
    encoding: 'utf8'
  });
  if (!stdout) throw new Error(stderr);
  return Number(stdout.split(' ')[0]);
}

const { base, end, pid } = await ownServer();
const get = async (path) => (await fetch(`${base}/api/v1${path}`)).json();
const memory = () => {
  const found = /VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'));
  return Number(found[1]) / 1024;
};
const post = (name, path, reading) =>
  new Promise((resolve, reject) => {
    const call = request(
      `${base}/api/v1/clusters?name=${name}&reading=${reading}`,
      { method: 'POST', agent: false, headers: { 'content-length': statSync(path).size } },
      (response) => {
        let text = '';
        response.on('data', (chunk) => (text += chunk));
        response.on('end', () => resolve({ status: response.statusCode, body: JSON.parse(text) }));
      }
    );
    call.on('error', reject);
    createReadStream(path).pipe(call);
  });

try {
  // Worlds are rebuilt when they are first asked for; that is no wait of the reading's.
  await get('/rehearsals/south-quay/sheets/supply');
  for (const kind of ['yaml', 'json']) {
    const path = write(`dump.${kind}`, kind === 'yaml' ? yamlText() : jsonText());
    const mib = statSync(path).size / 2 ** 20;
    const parserMs = alone(kind, path);
    const carefulMs = kind === 'yaml' ? alone('careful', path) : 0;
    let worst = 0;
    let most = 0;
    let done = false;
    const watch = (async () => {
      while (!done) {
        for (const other of ['/rehearsals/south-quay', '/rehearsals/south-quay/sheets/supply', '/rehearsals']) {
          const at = performance.now();
          await get(other);
          worst = Math.max(worst, performance.now() - at);
        }
        most = Math.max(most, memory());
        await new Promise((next) => setTimeout(next, 150));
      }
    })();
    const from = performance.now();
    const { status, body } = await post(`big-${kind}`, path, `r-${kind}`);
    const readMs = performance.now() - from;
    if (status !== 201) throw new Error(JSON.stringify(body));
    const traceFrom = performance.now();
    const line = await get(`/rehearsals/big-${kind}/root-line?kind=StatefulSet&namespace=space-7&name=app-7`);
    const traceMs = performance.now() - traceFrom;
    const again = performance.now();
    await get(`/rehearsals/big-${kind}/root-line?kind=StatefulSet&namespace=space-8&name=app-8`);
    const secondMs = performance.now() - again;
    done = true;
    await watch;
    const wrongFrom = performance.now();
    const wrong = await get(`/clusters/big-${kind}/wrong`);
    const wrongMs = performance.now() - wrongFrom;
    const lineFrom = performance.now();
    for (let i = 20; i < 40; i += 1) await get(`/rehearsals/big-${kind}/root-line?kind=StatefulSet&namespace=space-${i}&name=app-${i}`);
    const lineMs = (performance.now() - lineFrom) / 20;
    console.log(
      `dump of ${body.objects.toLocaleString('en')} objects, ${mib.toFixed(0)} MiB ${kind}`.padEnd(54),
      `read in ${(readMs / 1000).toFixed(1)} s, ${kind === 'yaml' ? 'its parser (js-yaml) alone' : 'parse and validation alone'} ${(parserMs / 1000).toFixed(1)} s: ${(readMs / parserMs).toFixed(2)} x (${kind === 'yaml' ? '2.5' : '6'} allowed)`
    );
    if (carefulMs)
      console.log(
        ''.padEnd(54),
        `the parser of drafts (yaml) alone ${(carefulMs / 1000).toFixed(1)} s, by a tenth of it: ${(readMs / carefulMs).toFixed(2)} x`
      );
    console.log(
      ''.padEnd(54),
      `what is wrong, all of it: ${wrongMs.toFixed(0)} ms (1,000 allowed), ${wrong.items.length} causes of ${wrong.looked.toLocaleString('en')} objects; a root line ${lineMs.toFixed(1)} ms (50 allowed)`
    );
    console.log(
      ''.padEnd(54),
      `stood up and traced in ${(traceMs / 1000).toFixed(1)} s (first break ${line.firstBreak}), then ${secondMs.toFixed(0)} ms; other requests wait ${worst.toFixed(0)} ms at the worst; rss ${most.toFixed(0)} MiB`
    );
  }
  const path = join(folder, 'dump.yaml');
  const reading = post('stopped', path, 'r-stop');
  await new Promise((next) => setTimeout(next, 1_500));
  await fetch(`${base}/api/v1/readings/r-stop`, { method: 'DELETE' });
  const { status, body } = await reading;
  const left = await fetch(`${base}/api/v1/clusters/stopped/dumps`);
  console.log(
    'a reading stopped half way'.padEnd(54),
    `${status} ${body.type}; dumps left: ${left.status === 404 ? 'none' : 'some'}; rss ${memory().toFixed(0)} MiB`
  );
} finally {
  end();
  rmSync(folder, { recursive: true, force: true });
}
