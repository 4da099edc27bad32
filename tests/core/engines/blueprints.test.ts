import { describe, expect, it } from 'vitest';
import { answerFaults, blueprints, firstAnswers, type Answers, type Blueprint } from '$core/blueprints';
import { changeSheet } from '$core/change';
import { asManifest, inSendingOrder } from '$core/manifest';
import { isReady, keyOf, kindEntries, refOf, type ApiObject } from '$core/model';
import { provedWorkload, workloadNamed, type Proof } from '$core/proofs';
import { sentByPerson, World } from '$core/standin';
import { ofEach, played } from '../../played';
import { wordless } from '../../told';
import { roomy } from '../roomy';

function sent(blueprint: Blueprint, answers: Answers): World {
  const world = roomy();
  expect(answerFaults(blueprint, answers, world.store)).toEqual([]);
  expect(world.act({ type: 'send', objects: blueprint.objects(answers, () => 'a-value-made-up-for-a-test') })).toEqual([]);
  world.runSettled();
  return world;
}

const prove = (world: World, answers: Answers, messages = 60_000): Proof[] =>
  provedWorkload({
    facts: world.store,
    workload: workloadNamed(world.store, answers.namespace!, answers.name!)!,
    changes: world.journal.changes,
    fork: () => World.restore(world.seed, world.save()),
    messages
  });

const failed = (proofs: readonly Proof[]) =>
  proofs.filter((one) => one.state !== 'holds').map((one) => [one.id, one.says, one.checks.filter((check) => !check.ok)]);

/** Proofs that each pack must have, beside those that all have. */
const own: Readonly<Record<string, readonly string[]>> = {
  'multi-primary-sql': ['data', 'credentials', 'sizes', 'matrix', 'refuses'],
  'primary-standby-sql': ['data', 'credentials', 'sizes', 'matrix', 'refuses'],
  'document-set': ['data', 'credentials', 'sizes', 'matrix', 'refuses'],
  'log-broker': ['credentials', 'produced', 'broker-lost'],
  'memory-store': ['credentials', 'shards'],
  'object-store': ['credentials', 'objects'],
  'time-series': ['credentials', 'series', 'tunnel'],
  'shared-files': ['files'],
  'image-shelf': ['images']
};

describe('blueprints', () => {
  it.each(blueprints)('$id: answered, sent, settled, proved; taken out, sent to an empty cluster, settled, proved again', (blueprint) => {
    const answers = firstAnswers(blueprint, roomy().store);
    const world = sent(blueprint, answers);
    const pods = world.store.list('Pod', answers.namespace!);
    expect(pods.length).toBeGreaterThan(0);
    expect(pods.filter((one) => !isReady(one)).map((one) => one.metadata.name)).toEqual([]);
    for (const one of [...world.store.list('MemoryCluster'), ...world.store.list('MemoryDatabase')])
      expect(one.status?.stage).toBe('ready');
    for (const topic of world.store.list('Topic')) expect(topic.status?.conditions[0]?.status).toBe('True');
    const proofs = prove(world, answers);
    played(() => ofEach(proofs.map(wordless)));
    expect(failed(proofs)).toEqual([]);
    expect(proofs.map((one) => one.id)).toEqual(expect.arrayContaining(['places', 'reach', ...own[blueprint.id]!]));
    // Whoever begins another of it beside this one is led to nothing that would alter it.
    const next = firstAnswers(blueprint, world.store);
    const sheet = changeSheet(
      world.store,
      blueprint.objects(next, () => 'another')
    );
    expect([...sheet.altered, ...sheet.restarted, ...sheet.lost, ...sheet.refused]).toEqual([]);
    expect(sheet.new.length).toBeGreaterThan(1);
    // Everything that a person sent, but what the ground and the supply are made of.
    const ground = new Set(roomy().journal.changes.map((one) => one.key));
    const out = inSendingOrder(
      kindEntries
        .filter((entry) => !entry.derived)
        .flatMap((entry) => world.store.list(entry.kind) as ApiObject[])
        .filter((one) => sentByPerson(one) && !ground.has(keyOf(refOf(one))))
        .map(asManifest)
    );
    const again = roomy();
    expect(again.act({ type: 'send', objects: out })).toEqual([]);
    again.runSettled();
    expect(failed(prove(again, answers, 6_000))).toEqual([]);
  });
});
