import { describe, expect, test } from 'vitest';
import { stringify } from 'yaml';
import { keepValue, latestIn, latestInOther, parseYamlCut, type OtherObject } from '$core/dumps';
import { scopeOf } from '$core/exports';
import type { Ref } from '$core/model';
import { lineSentence, rootLine, type RootLine } from '$core/rootline';
import { epochMs } from '$core/shared';
import { Store } from '$core/standin';
import { cases, type ExportCase } from '../fixtures/exports/cases';
import { space, type Doc, type Export } from '../fixtures/exports/cluster';

/** What is kept of an export's values. */
function kept(values: readonly unknown[]): Store {
  const store = new Store(false);
  const others: OtherObject[] = [];
  let latest = 0;
  for (const value of values) {
    const one = keepValue(value, false);
    if ('other' in one) {
      others.push(one.other);
      latest = Math.max(latest, latestInOther(one.other));
    }
    if (!('object' in one)) continue;
    store.place(undefined, one.object);
    latest = Math.max(latest, latestIn(one.object));
  }
  store.nowMs = latest - epochMs;
  store.scope = scopeOf(store, { others });
  return store;
}

/** Reads an export as a file of it is read: text, documents, what is kept of each. */
const readExport = ({ docs }: Export): Store =>
  kept(parseYamlCut({ text: docs.map((one) => stringify(one)).join('---\n'), linesBefore: 0 }).values);

function answerOf(line: RootLine): string {
  if (line.firstBreak) return line.firstBreak;
  if (line.joints.some((one) => one.overdueSinceMs !== undefined)) return 'unseen';
  if (line.joints.some((one) => one.state === 'settling')) return 'moves';
  const sentence = lineSentence(line);
  if (/holds/.test(sentence)) return 'fine';
  return /unseen|can't be told/.test(sentence) ? 'unseen' : 'waits';
}

const refOf = ({ subject: [kind, name, namespace = ''] }: ExportCase): Ref => ({ kind, namespace, name }) as Ref;

describe('what exports of real clusters say', () => {
  const seen = cases.map((one) => {
    const line = rootLine(readExport(one.build()), refOf(one));
    return { id: one.id, wanted: one.expect, got: line ? answerOf(line) : 'no line', says: line ? lineSentence(line) : '' };
  });
  const isWrong = ({ wanted, got }: (typeof seen)[number]) => wanted !== got && got !== 'unseen';

  test('at least 95 of 100 are right, and none is confidently wrong', () => {
    const right = seen.filter((one) => one.wanted === one.got);
    const byJoint = new Map<string, [number, number]>();
    for (const one of seen) {
      const [yes, all] = byJoint.get(one.wanted) ?? [0, 0];
      byJoint.set(one.wanted, [yes + (one.got === one.wanted ? 1 : 0), all + 1]);
    }
    console.log([...byJoint].map(([joint, [yes, all]]) => `${joint} ${yes}/${all}`).join(', '), `of ${seen.length}`);
    expect(seen.length).toBeGreaterThanOrEqual(60);
    expect(seen.filter(isWrong)).toEqual([]);
    expect(seen.filter((one) => one.wanted !== one.got).slice(0, 20)).toEqual([]);
    expect(right.length / seen.length).toBeGreaterThanOrEqual(0.95);
  });

  /** What an export may lack. */
  const cuts: Record<string, (one: Doc) => boolean> = {
    events: (one) => one.kind === 'Event',
    'cluster-wide objects': (one) => !one.metadata.namespace,
    'the namespace of the driver': (one) => one.metadata.namespace === 'quarry-system',
    'all other namespaces': (one) => one.metadata.namespace !== space,
    classes: (one) => one.kind === 'StorageClass',
    'drivers and their nodes': (one) => one.kind === 'CSIDriver' || one.kind === 'CSINode',
    volumes: (one) => one.kind === 'PersistentVolume',
    attachments: (one) => one.kind === 'VolumeAttachment',
    claims: (one) => one.kind === 'PersistentVolumeClaim',
    nodes: (one) => one.kind === 'Node' || one.kind === 'CSINode',
    'settings and secrets': (one) => one.kind === 'ConfigMap' || one.kind === 'Secret',
    services: (one) => one.kind === 'Service' || one.kind === 'EndpointSlice',
    'replica sets': (one) => one.kind === 'ReplicaSet',
    leases: (one) => one.kind === 'Lease'
  };

  test('whatever is left out of an export, the answer is the same, or it is unseen', () => {
    const wrong: string[] = [];
    let looked = 0;
    for (const one of cases)
      for (const [name, cut] of Object.entries(cuts)) {
        const to = one.build().drop(cut);
        const line = to.docs.length ? rootLine(kept(to.docs), refOf(one)) : undefined;
        if (!line) continue;
        looked += 1;
        const got = answerOf(line);
        // What only waits on a break that was left out may be said to wait.
        if (got === one.expect || got === 'unseen' || (got === 'waits' && one.expect !== 'fine')) continue;
        wrong.push(`${one.id}, without ${name}: ${one.expect} became ${got}: ${lineSentence(line)}`);
      }
    console.log(looked, 'narrowed exports');
    expect(wrong).toEqual([]);
  });
});
