import { clockOf, wordsOf } from '$core/shared';
import { ephemeralDirs, persist, type PersistWish } from '$core/drafts';
import { writeManifests } from '$core/manifest';
import { isReady, makerOf, type ApiObject, type Deployment, type StatefulSet, podsMadeBy } from '$core/model';
import { lineSentence, rootLine } from '$core/rootline';
import { ephemeralFillAt, type World } from '$core/standin';
import type { Scene } from './scene';

const podsOf = (world: World, wish: PersistWish) =>
  world.store
    .list('Pod', wish.namespace)
    .filter((pod) => makerOf(pod)?.kind === wish.kind && makerOf(pod)?.name === wish.name && !pod.metadata.deletionTimestamp);

/** Runs until settled; gives how long nobody was ready on the way, and what stands in the end. */
function runOut(world: World, wish: PersistWish): { awayMs: number; stuck?: { pod: string; says: string; firstBreak: string | null } } {
  const from = world.nowMs;
  const until = from + 3_600_000;
  let awayMs = 0;
  while (!world.settled && world.nextMs !== undefined && world.nextMs < until) {
    const before = world.nowMs;
    const away = !podsOf(world, wish).some(isReady);
    world.runUntil(world.nextMs);
    if (away) awayMs += world.nowMs - before;
  }
  const stuck = podsOf(world, wish).find((pod) => !isReady(pod));
  if (!stuck) return { awayMs };
  const line = rootLine(world.store, { kind: 'Pod', namespace: wish.namespace, name: stuck.metadata.name });
  return {
    awayMs,
    stuck: { pod: stuck.metadata.name, says: line ? lineSentence(line) : 'it is not ready', firstBreak: line?.firstBreak ?? null }
  };
}

/** Sends the move on a fork, then one more rollout, and says how each went. */
function rehearsed(world: World, wish: PersistWish, objects: readonly ApiObject[], replace: boolean) {
  const sent = world.act({
    type: 'send',
    objects,
    ...(replace ? { replace: [{ kind: 'StatefulSet' as const, namespace: wish.namespace, name: wish.name }] } : {})
  });
  if (sent.length) return { refused: sent.map((one) => one.message) };
  const first = runOut(world, wish);
  const found = objects.find((one) => one.kind === wish.kind) as Deployment | StatefulSet;
  const { template } = found.spec;
  const again = {
    ...found,
    spec: {
      ...found.spec,
      template: {
        ...template,
        metadata: { ...template.metadata, annotations: { ...template.metadata?.annotations, 'standin.example/rollout': 'next' } }
      }
    }
  } as ApiObject;
  const refusals = world.act({ type: 'send', objects: [again] });
  const next = refusals.length ? { awayMs: 0 } : runOut(world, wish);
  const told = (one: ReturnType<typeof runOut>, what: string) =>
    one.stuck
      ? `${what}: hangs. ${one.stuck.pod}: ${one.stuck.says}`
      : `${what}: comes up${one.awayMs > 0 ? `; nobody is ready for ${wordsOf(one.awayMs)}` : ', and somebody is ready all the while'}.`;
  return {
    first: told(first, 'The move'),
    next: told(next, 'The next rollout'),
    hangs: Boolean(first.stuck ?? next.stuck),
    firstBreak: (first.stuck ?? next.stuck)?.firstBreak ?? null,
    until: clockOf(world.nowMs)
  };
}

/** The move of a workload to a claim, and how it goes when it is rehearsed. */
export function persistView(scene: Scene, { wish, rehearse }: { wish: PersistWish; rehearse: boolean }) {
  const plan = persist(scene.facts, wish);
  if (!plan) return undefined;
  return {
    yaml: writeManifests(plan.objects),
    lost: plan.lost,
    steps: plan.steps,
    replace: plan.replace,
    ...(plan.warning ? { warning: plan.warning } : {}),
    ...(rehearse ? { rehearsal: rehearsed(scene.fork(), wish, plan.objects, plan.replace) } : {})
  };
}

/** Workloads that keep something in an ephemeral directory. */
export function ephemeralView({ facts }: Scene, _: object) {
  return (['Deployment', 'StatefulSet'] as const).flatMap((kind) =>
    (facts.list(kind) as (Deployment | StatefulSet)[]).flatMap((one) => {
      const pods = podsMadeBy(facts, one);
      return ephemeralDirs(one).map(({ volume, paths }) => ({
        kind,
        namespace: one.metadata.namespace ?? 'default',
        name: one.metadata.name,
        volume,
        paths,
        bytes: pods.reduce((sum, pod) => sum + ephemeralFillAt(pod, facts.nowMs), 0),
        classes: facts.list('StorageClass').map((two) => two.metadata.name)
      }));
    })
  );
}
