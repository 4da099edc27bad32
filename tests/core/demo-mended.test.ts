import { describe, expect, it } from 'vitest';
import { persist } from '$core/drafts';
import { conditionOf, isReady, type ApiObject, type Ref } from '$core/model';
import { rootLine } from '$core/rootline';
import { provedWorkload, workloadNamed } from '$core/proofs';
import { enginePartOf, operatedKinds, replay, workloadOfTemplate, World } from '$core/standin';
import { scenario } from '../../src/lib/scenario';

/** Everything that somebody may ask a root line of, and that isn't as it should be. */
function notWell(world: World): Ref[] {
  const { store } = world;
  const at = ({ kind, metadata }: ApiObject): Ref => ({ kind, namespace: metadata.namespace ?? '', name: metadata.name });
  return [
    ...store.list('StatefulSet').filter((one) => (one.status?.readyReplicas ?? 0) < (one.spec.replicas ?? 1)),
    ...operatedKinds.flatMap((kind) => store.list(kind)).filter((one) => conditionOf(one.status?.conditions, 'Ready')?.status !== 'True'),
    ...store.list('Pod').filter((one) => !isReady(one) && one.status?.phase !== 'Succeeded')
  ].map(at);
}

/** The first thing that a root line offers by one press, with the sentence of the break. */
function offered(world: World): { says: string; manifests: readonly ApiObject[] } | undefined {
  for (const ref of notWell(world)) {
    const broken = rootLine(world.store, ref)?.joints.find((one) => one.state === 'broken');
    if (broken?.remedy?.manifests?.length) return { says: `${broken.joint}: ${broken.says}`, manifests: broken.remedy.manifests };
  }
  return undefined;
}

/** Proofs of all workloads that don't hold, with what was asked. */
function failedProofs(world: World, only?: string): string[] {
  const { store } = world;
  const sets = [...store.list('StatefulSet'), ...store.list('Deployment')].filter((one) => enginePartOf(one.spec.template));
  const names = new Map(sets.map((one) => [workloadOfTemplate(one), one.metadata.namespace ?? '']));
  return [...names].flatMap(([name, namespace]) => {
    if (only !== undefined && name !== only) return [];
    const workload = workloadNamed(store, namespace, name)!;
    const fork = () => World.restore(world.seed, world.save());
    const proofs = provedWorkload({ facts: store, workload, changes: world.journal.changes, fork, messages: 5_000 });
    expect(proofs.length).toBeGreaterThan(2);
    return proofs
      .filter((one) => one.state !== 'holds')
      .map(
        (one) =>
          `${name}: ${one.id}: ${one.checks
            .filter((two) => !two.ok)
            .map((two) => two.asked)
            .join('; ')}: ${one.says}`
      );
  });
}

describe.each(scenario().map((one) => [one.name, one] as const))('%s', (_, cluster) => {
  it('whatever is broken in the demo is mended by sending what root lines offer, and nothing else', () => {
    const world = replay({ seed: cluster.seed, ground: cluster.ground }, cluster.actions, cluster.headMs);
    const pressed: string[] = [];
    for (let found = offered(world); found && pressed.length < 20; found = offered(world)) {
      pressed.push(found.says);
      expect(world.act({ type: 'send', objects: found.manifests }), found.says).toEqual([]);
      world.runSettled();
    }
    expect(notWell(world), pressed.join('\n')).toEqual([]);
    expect(pressed.length).toBeGreaterThan(0);
    // What came up so holds, in every proof of every workload, but for the shelf that keeps its images in its pod.
    const shelf = cluster.name === 'harbour';
    expect(failedProofs(world)).toEqual(
      shelf ? ['image-shelf: images: pull it from the next pod: what is pushed goes with its pod: it lies in an ephemeral directory'] : []
    );
    if (!shelf) return;
    const wish = {
      kind: 'Deployment',
      namespace: 'shelf',
      name: 'image-shelf',
      volume: 'images',
      size: '100Gi',
      mode: 'ReadWriteOnce',
      strategy: 'Recreate'
    } as const;
    expect(world.act({ type: 'send', objects: persist(world.store, { ...wish, className: 'shed-pool' })!.objects })).toEqual([]);
    world.runSettled();
    expect(notWell(world)).toEqual([]);
    expect(failedProofs(world, 'image-shelf')).toEqual([]);
  });
});
