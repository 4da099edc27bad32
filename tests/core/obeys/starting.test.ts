/* How pods start and are kept running. Sources: "Init Containers", "Sidecar Containers", "Liveness, Readiness, and Startup Probes", Probe v1 core; "Container Lifecycle Hooks"; HostPathVolumeSource v1 core. */
import { expect, test } from 'vitest';
import { askOf, conditionOf, isReady, type Pod } from '$core/model';
import { probeFault } from '$core/standin';
import { rootLine } from '$core/rootline';
import { epochMs } from '$core/shared';
import { closed, firstBreak, objects, ref } from '../help';
import { alter, eventsAbout, get, image, pod, ready, remove, send } from './help';

const inits = (list: string) => `initContainers: [${list}]`;
const one = (name: string, more = '') => `{name: ${name}, image: ${image}${more ? `, ${more}` : ''}}`;
const watched = (name: string, probes: string, more = '') =>
  `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: space, labels: {a: b}}\nspec: {containers: [{name: main, image: ${image}, ${probes}}]${more}}\n---\n`;
/** A program that listens on a port that is known. */
const listener = (name: string, probes: string) =>
  watched(name, probes).replace(image, 'shelf.standin.example/engines/multi-primary-sql:r4');
const settledReady = (world: ReturnType<typeof ready>, name: string) => {
  const at: number[] = [];
  for (const until = world.nowMs + 240_000; world.nowMs < until; world.runUntil(world.nowMs + 250))
    if (isReady(get(world, 'Pod', name))) at.push(world.nowMs);
  return at[0];
};

test('init containers run one after the other to their end, a sidecar runs on, and only then the others start', () => {
  const world = ready();
  send(world, pod('p', inits([one('first'), one('beside', 'restartPolicy: Always'), one('last')].join(', '))));
  const seen: string[] = [];
  for (const until = world.nowMs + 120_000; world.nowMs < until; world.runUntil(world.nowMs + 100)) {
    const { initContainerStatuses = [], containerStatuses = [], conditions } = get(world, 'Pod', 'p')!.status ?? {};
    const states = [...initContainerStatuses, ...containerStatuses].map((two) => Object.keys(two.state ?? {})[0]![0]);
    const line = `${states.join('')} ${conditionOf(conditions, 'Initialized')?.status ?? '-'}`;
    if (states.length && line !== seen.at(-1)) seen.push(line);
  }
  // w waiting, r running, t terminated; the last letter is the program itself.
  expect(seen.slice(seen.findIndex((line) => line.startsWith('r')))).toEqual(['rwww False', 'trww False', 'trrw False', 'trtr True']);
  expect(eventsAbout(world, 'Pod', 'p').filter((line) => line.startsWith('Started'))).toEqual([
    'Started: Started first.',
    'Started: Started beside.',
    'Started: Started last.',
    'Started: Started main.'
  ]);
});

test('an init container that lacks a value holds the others back, and the root line names it', () => {
  const world = ready();
  send(world, pod('p', inits(one('first', 'envFrom: [{configMapRef: {name: gone}}]'))));
  world.runSettled();
  const held = get(world, 'Pod', 'p')!;
  expect(held.status!.initContainerStatuses![0]!.state!.waiting!.reason).toBe('CreateContainerConfigError');
  expect(held.status!.containerStatuses![0]!.state!.waiting!.reason).toBe('PodInitializing');
  const line = rootLine(world.store, { kind: 'Pod', namespace: 'space', name: 'p' })!;
  expect(line.firstBreak).toBe('references');
  send(world, 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: gone, namespace: space}\ndata: {a: b}\n');
  world.runSettled();
  expect(get(world, 'Pod', 'p')!.status!.phase).toBe('Running');
});

test("an init container's image is pulled in its turn", () => {
  const world = closed(ready());
  send(world, pod('p', inits(`{name: first, image: nowhere.test/x:1}`)));
  world.runUntil(world.nowMs + 60_000);
  expect(get(world, 'Pod', 'p')!.status!.initContainerStatuses![0]!.state!.waiting!.reason).toMatch(/ErrImagePull|ImagePullBackOff/);
  expect(rootLine(world.store, { kind: 'Pod', namespace: 'space', name: 'p' })!.firstBreak).toBe('image');
});

test('a pod asks for the most that is needed at once', () => {
  const cpu = (n: string) => `resources: {requests: {cpu: ${n}, memory: 10Mi}}`;
  const ask = (list: string) => {
    const [made] = objects(pod('p', inits(list)).replace(`image: ${image}}]`, `image: ${image}, ${cpu('300m')}}]`));
    return askOf((made as unknown as { spec: never }).spec).milliCpu;
  };
  expect(ask(one('a', cpu('200m')))).toBe(300);
  expect(ask(one('a', cpu('1')))).toBe(1_000);
  expect(ask([one('s', `restartPolicy: Always, ${cpu('100m')}`), one('a', cpu('200m'))].join(', '))).toBe(400);
  expect(ask([one('s', `restartPolicy: Always, ${cpu('100m')}`), one('a', cpu('500m'))].join(', '))).toBe(600);
});

test('liveness that is too hasty for the start, or asks at a dead port, starts the program again and again; a startup probe gives it time', () => {
  const world = ready();
  const hasty = 'livenessProbe: {exec: {command: [ok]}, periodSeconds: 1, failureThreshold: 1}';
  send(
    world,
    watched('hasty', hasty) + watched('patient', `${hasty}, startupProbe: {exec: {command: [ok]}, periodSeconds: 5, failureThreshold: 30}`)
  );
  send(world, listener('deaf', 'livenessProbe: {tcpSocket: {port: 81}, periodSeconds: 10, failureThreshold: 3, initialDelaySeconds: 30}'));
  world.runUntil(world.nowMs + 300_000);
  const restarts = (name: string) => get(world, 'Pod', name)!.status!.containerStatuses![0]!.restartCount;
  expect(restarts('hasty')).toBeGreaterThan(2);
  expect(eventsAbout(world, 'Pod', 'hasty').join()).toContain('liveness probe of main gave it 0 s');
  expect([restarts('patient'), isReady(get(world, 'Pod', 'patient'))]).toEqual([0, true]);
  expect(restarts('deaf')).toBeGreaterThan(1);
  expect(eventsAbout(world, 'Pod', 'deaf').join()).toContain('asks at port 81, where nobody listens');
  // Looks at 30, 40 and 50 s after its start: it is ended at the third, each time.
  const lives: number[] = [];
  let [began, times] = [0, 0];
  for (const { atMs, after } of world.journal.changes) {
    const one = after?.kind === 'Pod' && after.metadata.name === 'deaf' ? after.status?.containerStatuses?.[0] : undefined;
    if (one && one.restartCount > times) lives.push(atMs - began);
    if (one) times = one.restartCount;
    const running = one?.state?.running?.startedAt;
    if (running !== undefined) began = Date.parse(running) - epochMs;
  }
  expect(lives.length).toBeGreaterThan(1);
  expect(lives).toEqual(lives.map(() => 50_000));
});

test('a program that shows certificates and takes no plain calls does not listen at its plain port', () => {
  const [made] = objects(listener('safe', 'env: [{name: TLS, value: "on"}], readinessProbe: {tcpSocket: {port: 7110}}'));
  const [plain] = objects(listener('plain', 'readinessProbe: {tcpSocket: {port: 7110}}'));
  expect([probeFault(made as Pod), probeFault(plain as Pod)]).toEqual([{ container: 'main', port: 7110 }, undefined]);
});

test('readiness is seen at a look, after its delay, and as often as it has to succeed', () => {
  const world = ready();
  const began = world.nowMs;
  send(
    world,
    watched('plain', 'ports: []') +
      watched('late', 'readinessProbe: {exec: {command: [ok]}, initialDelaySeconds: 60, periodSeconds: 20, successThreshold: 1}')
  );
  send(world, watched('twice', 'readinessProbe: {exec: {command: [ok]}, initialDelaySeconds: 60, periodSeconds: 20, successThreshold: 3}'));
  const started = began;
  const [late, twice] = [settledReady(world, 'late')!, undefined];
  expect(late - started).toBeGreaterThan(60_000);
  expect(twice).toBeUndefined();
  const seen = (name: string) => Date.parse(conditionOf(get(world, 'Pod', name)!.status!.conditions, 'Ready')!.lastTransitionTime!);
  expect(seen('twice') - seen('late')).toBeGreaterThan(35_000);
  expect(seen('late') - seen('plain')).toBeGreaterThan(40_000);
});

test('a container runs once its postStart handler is done; one that fails ends it, and it is tried again', () => {
  const world = ready();
  const hook = (name: string, lifecycle: string) =>
    `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: space}\nspec: {containers: [{name: main, image: ${image}, lifecycle: {${lifecycle}}}]}\n---\n`;
  send(world, hook('plain', '') + hook('slow', 'postStart: {exec: {command: [sh, -c, "prepare; sleep 40 && mark"]}}'));
  send(world, hook('fails', 'postStart: {tcpSocket: {port: 80}}'));
  world.runUntil(world.nowMs + 35_000);
  const state = (name: string) => get(world, 'Pod', name)!.status!.containerStatuses?.[0]?.state;
  expect([state('plain')?.running !== undefined, state('slow')?.running]).toEqual([true, undefined]);
  expect(state('fails')?.waiting?.reason).toBe('CrashLoopBackOff');
  expect(eventsAbout(world, 'Pod', 'fails').join()).toContain('FailedPostStartHook: The postStart handler of main fails: tcpSocket');
  world.runUntil(world.nowMs + 30_000);
  expect(state('slow')?.running).toBeDefined();
});

test('the time of a preStop handler is part of the grace: a pod ends after it, or when its grace is over', () => {
  const world = ready();
  const leaving = (name: string, seconds: number, grace: number) =>
    `apiVersion: v1\nkind: Pod\nmetadata: {name: ${name}, namespace: space}\nspec: {terminationGracePeriodSeconds: ${grace}, containers: [{name: main, image: ${image}, lifecycle: {preStop: {exec: {command: [sleep, "${seconds}"]}}}}]}\n---\n`;
  send(world, leaving('short', 20, 60) + leaving('long', 50, 30) + pod('none'));
  world.runSettled();
  for (const name of ['short', 'long', 'none']) remove(world, 'Pod', name);
  const there = () => ['short', 'long', 'none'].filter((name) => get(world, 'Pod', name));
  world.runUntil(world.nowMs + 10_000);
  expect(there()).toEqual(['short', 'long']);
  world.runUntil(world.nowMs + 9_900);
  expect(there()).toEqual(['short', 'long']);
  world.runUntil(world.nowMs + 9_000);
  expect(there()).toEqual(['long']);
  world.runUntil(world.nowMs + 1_500);
  expect(there()).toEqual([]);
});

test('a path of the node that is asked for with a type has to be there, and of that type', () => {
  const world = ready();
  const node = world.store.nodes()[0]!.metadata.name;
  const path = (name: string, where: string, type: string) =>
    pod(name, `nodeName: ${node}, volumes: [{name: d, hostPath: {path: ${where}, type: ${type}}}]`);
  const phase = (name: string) => get(world, 'Pod', name)!.status!.phase;
  send(world, path('usual', '/var/log/', 'Directory') + path('untyped', '/strange', '""') + path('lacks', '/data/a', 'Directory'));
  send(world, path('socket', '/run/one.sock', 'Socket') + path('other', '/etc', 'File'));
  world.runUntil(world.nowMs + 120_000);
  expect(['usual', 'untyped', 'lacks', 'socket', 'other'].map(phase)).toEqual(['Running', 'Running', 'Pending', 'Pending', 'Pending']);
  expect(eventsAbout(world, 'Pod', 'lacks').join()).toContain(`${node} has no directory /data/a`);
  expect(eventsAbout(world, 'Pod', 'other').join()).toContain(`/etc of ${node} is a directory, and a file is asked for`);
  expect(firstBreak(world, ref('Pod', 'space', 'lacks'))).toMatchObject({ joint: 'references' });
  // Another pod makes the one, the node's own word the other.
  send(world, path('makes', '/data/a/b', 'DirectoryOrCreate'));
  alter(world, node, () => ({
    metadata: { ...world.store.get('Node', '', node)!.metadata, annotations: { 'standin.example/has-paths': 'Socket:/run/one.sock' } }
  }));
  world.runUntil(world.nowMs + 300_000);
  expect(['lacks', 'socket', 'other'].map(phase)).toEqual(['Running', 'Running', 'Pending']);
});
