import { join, claim, storageClass } from '../examples';
import { claimPlaces } from '../pods';
import { rule, change, hit, nearest } from '../rule';

export default rule({
  id: 'source-missing',
  level: 'error',
  title: 'What the volume is to be filled from is not there',
  why: "A claim's dataSource must stand in the same namespace: a VolumeSnapshot or another claim. Until it is there, nothing is made.",
  absent: ['VolumeSnapshot', 'PersistentVolumeClaim'],
  bad: join(
    storageClass(),
    claim(
      'accessModes: [ReadWriteOnce], storageClassName: even, dataSource: {apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: last-night}, resources: {requests: {storage: 40Gi}}'
    ),
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: lastnight}\nspec: {source: {persistentVolumeClaimName: journal}}\n'
  ),
  good: join(
    storageClass(),
    claim(
      'accessModes: [ReadWriteOnce], storageClassName: even, dataSource: {apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: last-night}, resources: {requests: {storage: 40Gi}}'
    ),
    'apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: last-night}\nspec: {source: {persistentVolumeClaimName: journal}}\n'
  ),
  check: (context) =>
    claimPlaces(context).flatMap(({ on, spec, path, namespace }) => {
      const field = spec.dataSource ? 'dataSource' : 'dataSourceRef';
      const source = spec.dataSource ?? (spec.dataSourceRef?.namespace === undefined ? spec.dataSourceRef : undefined);
      if (!source || (source.kind !== 'VolumeSnapshot' && source.kind !== 'PersistentVolumeClaim')) return [];
      const there = context.all(source.kind, namespace).map((one) => one.metadata.name);
      if (there.includes(source.name) || (!context.target && there.length === 0)) return [];
      const near = nearest(source.name, there);
      return [
        hit(
          on,
          [...path, field, 'name'],
          `There is no ${source.kind} "${source.name}" in ${namespace}.`,
          near ? `Write ${near}.` : 'Make it first, in the same namespace.',
          near ? change(`Write ${near}`, on, { set: [...path, field, 'name'], value: near }) : undefined
        )
      ];
    })
});
