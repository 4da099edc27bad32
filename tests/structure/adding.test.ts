import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { expect, test } from 'vitest';
import { copyOf } from './copy';

const copy = copyOf('src/lib/core', 'src/lib/scenario', 'tsconfig.core.json', 'vite.worker.config.ts');

/** Makes the changes of docs/adding.md in the copy: blocks with a path are files, or lines that come after a line that is there once. */
function follow(page: string): number {
  let made = 0;
  for (const [, language, path, text] of page.matchAll(/```(ts|diff) (\S+)\n([\s\S]*?)```/g)) {
    const file = join(copy, path!);
    if (language === 'ts') {
      mkdirSync(dirname(file), { recursive: true });
      writeFileSync(file, text!);
    } else {
      const lines = text!.split('\n').filter(Boolean);
      const [there, ...added] = lines.map((one) => one.slice(1));
      const before = readFileSync(file, 'utf8');
      expect(before.split(`${there}\n`), `${path}: ${there}`).toHaveLength(2);
      writeFileSync(
        file,
        before.replace(`${there}\n`, () => `${[there, ...added].join('\n')}\n`)
      );
    }
    made += 1;
  }
  return made;
}

const run = (command: string, ...args: string[]) => {
  const env = { ...process.env, ENTRY: 'tried.ts', OUT: 'out' };
  const [program, ...front] = command === 'node' ? ['node'] : ['npx', '--no-install', command];
  const done = spawnSync(program!, [...front, ...args], { cwd: copy, encoding: 'utf8', env });
  if (done.status !== 0) throw new Error(`${command}: ${done.stdout}${done.stderr}`);
};

/** Tries what was added, and says what came of it. */
const tried = `
import { check, ruleOf } from '$core/checker';
import { readManifests } from '$core/manifest';
import { rootLine } from '$core/rootline';
import { World, installObjects, installOf } from '$core/standin';
import { scenario } from './src/lib/scenario';

const south = scenario().find((one) => one.name === 'south-quay')!;
const world = World.create({ seed: south.seed, ground: south.ground });
const send = (yaml: string) => world.act({ type: 'send', objects: readManifests(yaml).objects.map((one) => one.object) });
world.act({ type: 'send', objects: installObjects(installOf('block.standin.example')!) });
world.act(south.actions[0]!.action);
send(\`apiVersion: v1
kind: Service
metadata: {name: tally, namespace: default}
spec: {clusterIP: None, selector: {app: tally}, ports: [{port: 7290}]}
---
apiVersion: apps/v1
kind: StatefulSet
metadata: {name: tally, namespace: default}
spec:
  serviceName: tally
  selector: {matchLabels: {app: tally}}
  template:
    metadata: {labels: {app: tally}}
    spec: {containers: [{name: main, image: 'shelf.standin.example/engines/tally:r1', volumeMounts: [{name: data, mountPath: /data}]}]}
  volumeClaimTemplates:
  - metadata: {name: data}
    spec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 8Gi}}}
\`);
world.runSettled();
const ask = (id: string, op: { do: string; count?: number }) => {
  world.act({ type: 'ask', namespace: 'default', id, ask: { workload: 'tally', way: 'inside', login: 'right', op } });
  world.runSettled();
  return world.store.get('Ask', 'default', id)?.status?.count;
};
const added = ask('one', { do: 'add', count: 3 });
world.act({ type: 'crash', namespace: 'default', pod: 'tally-0' });
// It is started again after a wait.
world.runUntil(world.nowMs + 120_000);
const space = world.store.get('Namespace', '', 'default')!;
world.put({ ...space, metadata: { ...space.metadata, annotations: { ...space.metadata.annotations, 'standin.example/paused': 'stocktaking' } } });
const line = rootLine(world.store, { kind: 'Pod', namespace: 'default', name: 'tally-0' })!;
console.log(JSON.stringify({
  added,
  kept: ask('two', { do: 'read' }),
  claims: world.store.get('Namespace', '', 'default')!.metadata.annotations!['standin.example/claims'],
  firstBreak: line.firstBreak,
  found: [ruleOf('name-of-nothing')!.bad, ruleOf('name-of-nothing')!.good].map((text) => check([{ text }]).some((one) => one.code === 'name-of-nothing'))
}));
`;

test('what docs/adding.md shows compiles and works: a rule, a joint, a loop, an engine', () => {
  expect(follow(readFileSync('docs/adding.md', 'utf8'))).toBe(15);
  writeFileSync(join(copy, 'tried.ts'), tried);
  run('node', 'node_modules/@typescript/native/bin/tsc', '-p', 'tsconfig.core.json');
  run('vite', 'build', '--config', 'vite.worker.config.ts', '--logLevel', 'error');
  const said = spawnSync('node', [join(copy, 'out/tried.js')], { encoding: 'utf8' });
  expect(said.stderr).toBe('');
  expect(JSON.parse(said.stdout)).toEqual({ added: 3, kept: 3, claims: '1', firstBreak: 'pause', found: [true, false] });
});
