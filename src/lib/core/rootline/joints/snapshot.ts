import { momentOf } from '../../shared';
import { refOf, type ApiObject, type Snapshot } from '../../model';
import { callsSeen, consistencyMark, defaultSnapshotMark, snapshotLook } from '../../standin';
import { compact, field, lastEvent, look, madeMs, ref } from '../evidence';
import type { JointRule, Remedy } from '../types';

/** A snapshot class for the volume's driver, where that is what is missing. */
function classRemedy(snapshot: Snapshot, driver: string): Remedy {
  const name = snapshot.spec.volumeSnapshotClassName;
  const mark = name === undefined ? { annotations: { [defaultSnapshotMark]: 'true' } } : {};
  const object: ApiObject = {
    apiVersion: 'snapshot.storage.k8s.io/v1',
    kind: 'VolumeSnapshotClass',
    metadata: { name: name ?? `${driver.split('.')[0]}-snapshots`, ...mark },
    driver,
    deletionPolicy: 'Delete'
  };
  return { text: `Send a snapshot class of ${driver}.`, manifests: [object] };
}

/** Has the snapshot been taken? */
export const snapshot = {
  id: 'snapshot' as const,
  shared: false,
  title: 'Snapshot',
  why: 'A snapshot is the content of one moment. Of a volume that is mounted it is what a power cut would have left.',
  perClaim: true,
  look({ facts }, place) {
    const one = place.snapshot;
    if (!one) return undefined;
    const { name } = one.metadata;
    const objects = [refOf(one)];
    const consistency = one.metadata.annotations?.[consistencyMark] ?? '';
    if (one.status?.readyToUse) return look('holds', name, `ready; ${consistency}`, { objects });
    const { fault, driver } = snapshotLook(facts, one);
    const evidence = compact([
      field(one, 'status.error.message', one.status?.error?.message),
      field(ref('VolumeSnapshot', one.metadata.namespace ?? '', name), 'spec.volumeSnapshotClassName', one.spec.volumeSnapshotClassName),
      lastEvent(facts, one, ['SnapshotCreationFailed'])
    ]);
    if (fault && /snapshot class/.test(fault)) return look('broken', name, fault, { objects, evidence, remedy: classRemedy(one, driver) });
    if (fault && /takes no snapshots/.test(fault))
      return look('broken', name, fault, {
        objects,
        evidence,
        remedy: { text: 'Copy the files with a pod, or move them to a class whose driver takes snapshots.' }
      });
    if (fault) return look('waiting', name, fault, { objects, evidence });
    const since = one.status?.creationTime;
    return look('settling', name, 'is being taken', {
      objects,
      settling: {
        sinceMs: since ? momentOf(since) : (madeMs(one) ?? facts.nowMs),
        normalMs: callsSeen(facts, driver, 'copying')?.normalMs ?? [2_000, 30_000]
      }
    });
  }
} satisfies JointRule;
