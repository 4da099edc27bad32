import { asManifest } from '$core/manifest';
import type { ApiObject, StatefulSet } from '$core/model';
import { log, loggable } from '../log';
import type { DrillService, Which } from './drills';
import type { RehearsalService } from './rehearsals';

/** What is tried when the demo is laid down: something of each workload whose members hold, and one that comes out worse and can be mended. */
const tried: Readonly<Record<string, readonly Which[]>> = {
  'north-quay': [
    { namespace: 'events', workload: 'boarding', fault: 'member-hangs' },
    { namespace: 'plans', workload: 'timetable', fault: 'node-dark' },
    { namespace: 'keeps', workload: 'strongbox', fault: 'node-dark' }
  ],
  harbour: [{ namespace: 'shelf', workload: 'image-shelf', fault: 'program-ends' }]
};
/** Changed after its drill, so that one is stale: how long a member of it has to be ready before it counts, in seconds. Made up. */
const changed = { cluster: 'north-quay', namespace: 'keeps', name: 'strongbox', minReadySeconds: 5 } as const;

/**
 * Tries a few drills of the demo as anybody would, in workers, and keeps them; then something of one workload is changed. Whoever is quicker
 * and has sent something meanwhile is left alone: nothing is changed then. What can't be tried is written to the log.
 */
export async function tryDemo(rehearsals: RehearsalService, drills: DrillService): Promise<void> {
  try {
    const before = await rehearsals.state(changed.cluster);
    for (const [id, list] of Object.entries(tried)) await drills.some(id, list);
    if (!before.ok) return;
    const found = await rehearsals.ask(changed.cluster, 'objects', {
      kind: 'StatefulSet',
      namespace: changed.namespace,
      name: changed.name
    });
    const [set] = found.ok ? (found.value as StatefulSet[]) : [];
    if (!set) return;
    const { minReadySeconds } = changed;
    const object = asManifest({ ...set, spec: { ...set.spec, minReadySeconds } } as ApiObject);
    await rehearsals.act(changed.cluster, { type: 'send', objects: [object] }, before.value.revision);
  } catch (error) {
    log.warn(loggable(error), 'the drills of the demo could not be tried');
  }
}
