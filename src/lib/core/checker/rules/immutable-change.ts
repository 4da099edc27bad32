import { kindEntries, keyOf, refOf } from '../../model';
import { plan } from '../../standin';
import { rule, hit } from '../rule';

export default rule({
  id: 'immutable-change',
  level: 'error',
  title: 'A field that can no longer change',
  why: "Some fields are fixed once the object stands: a set's claim templates, service and selector, a class's provisioner and parameters, all of a claim but its growth. The cluster refuses the change; the change sheet shows the way round.",
  against: 'north-quay',
  bad: 'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: steady-block}\nprovisioner: block.standin.example\nreclaimPolicy: Retain\nvolumeBindingMode: Immediate\nallowVolumeExpansion: true\n',
  good: 'apiVersion: storage.k8s.io/v1\nkind: StorageClass\nmetadata: {name: calm-block}\nprovisioner: block.standin.example\nreclaimPolicy: Retain\nvolumeBindingMode: WaitForFirstConsumer\nallowVolumeExpansion: true\n',
  check: ({ written, target }) => {
    if (!target) return [];
    const all = written(...kindEntries.map((one) => one.kind)).filter((one) =>
      target.get(one.object.kind, one.object.metadata.namespace ?? '', one.object.metadata.name)
    );
    const verdicts = plan(
      target,
      all.map((one) => one.object)
    );
    return verdicts.flatMap(({ ref, refusals }) =>
      refusals
        .filter((one) => one.code === 'immutable-field' || one.code === 'claim-cannot-grow')
        .map((one) => {
          const on = all.find((two) => keyOf(refOf(two.object)) === keyOf(ref))!;
          const path = (one.at.field ?? '')
            .split(/[.[\]]+/)
            .filter(Boolean)
            .map((step) => (/^\d+$/.test(step) ? Number(step) : step));
          return hit(on, path, one.message, one.remedy);
        })
    );
  }
});
