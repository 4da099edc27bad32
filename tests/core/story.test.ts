import { expect, test } from 'vitest';
import { replay, installObjects, installOf } from '$core/standin';
import { scenario } from '../../src/lib/scenario';

test('probe', () => {
  const south = scenario()[0]!;
  const world = replay(south, south.actions, south.headMs);
  const dump = () => {
    for (const p of world.store.list('Pod')) console.log(p.metadata.name, p.spec.nodeName, p.status?.phase, p.status?.podIP, JSON.stringify(p.status?.conditions?.map(c=>[c.type,c.status,c.lastTransitionTime,c.message])));
    for (const p of world.store.list('PersistentVolumeClaim')) console.log(p.metadata.name, p.status?.phase, p.spec.volumeName, JSON.stringify(p.metadata.annotations));
  };
  dump();
  console.log(world.settled, world.nowMs, world.journal.changes.length);
  expect(world.act({ type: 'send', objects: installObjects(installOf('block.standin.example')!) })).toEqual([]);
  console.log(world.runSettled(), world.nowMs, world.calls, world.journal.changes.length);
  dump();
  for (const s of world.log.steps) console.log(s.subject, s.step, s.fromMs, s.toMs);
  for (const e of world.store.list('Event')) console.log(e.involvedObject.name, e.reason, e.count, e.message);
});
