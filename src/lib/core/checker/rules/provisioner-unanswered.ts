import { kindEntries, keyOf, refOf } from '../../model';
import { driverAnswers, driverPartOf, installFor, installObjects } from '../../standin';
import { join, claim } from '../examples';
import { claimPlaces, classFor, podPlaces } from '../pods';
import { rule, hit } from '../rule';
import { type Repair } from '../types';

export default rule({
  id: 'provisioner-unanswered',
  level: 'error',
  title: 'No installed driver answers to the class',
  why: 'A class only names a driver. When none of that name is installed, claims stay Pending, members wait for them, and nothing on the members says so.',
  against: 'south-quay',
  absent: ['CSIDriver'],
  bad: claim('accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 40Gi}}'),
  good: join(
    'apiVersion: storage.k8s.io/v1\nkind: CSIDriver\nmetadata: {name: block.standin.example}\nspec: {attachRequired: true}\n',
    claim('accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: 40Gi}}')
  ),
  check: (context) => {
    const { target } = context;
    if (!target) return [];
    const answered = (driver: string) =>
      (context.find('CSIDriver', '', driver) !== undefined && !still(driver)) ||
      driverAnswers(target, driver) ||
      driver === 'kubernetes.io/no-provisioner';
    /** The controller of a driver that nobody runs: it is scaled to nothing. */
    const still = (driver: string) =>
      context.all('Deployment').find(({ spec }) => {
        const part = spec.replicas === 0 ? driverPartOf(spec.template.spec) : undefined;
        return part?.driver === driver && part.part === 'controller';
      });
    const seen = new Set<string>();
    const repairOf = (driver: string): Repair | undefined => {
      const known = installFor(target, driver);
      if (!known) return undefined;
      const there = new Set(context.written(...kindEntries.map((one) => one.kind)).map((one) => keyOf(refOf(one.object))));
      return { says: `Add ${driver} ${known.version}`, add: installObjects(known).filter((one) => !there.has(keyOf(refOf(one)))) };
    };
    return [
      ...claimPlaces(context).map(({ on, spec, path }) => ({
        on,
        path: [...path, 'storageClassName'],
        one: spec.volumeName ? undefined : classFor(context, spec)
      })),
      ...podPlaces(context).flatMap(({ on, spec, path }) =>
        (spec.volumes ?? []).flatMap(({ ephemeral }, i) =>
          ephemeral?.volumeClaimTemplate
            ? [{ on, path: [...path, 'volumes', i], one: classFor(context, ephemeral.volumeClaimTemplate.spec) }]
            : []
        )
      ),
      ...context.written('StorageClass').map((on) => ({ on, path: ['provisioner'], one: on.object }))
    ].flatMap(({ on, path, one }) => {
      if (!one || answered(one.provisioner) || seen.has(one.provisioner)) return [];
      seen.add(one.provisioner);
      const stopped = still(one.provisioner);
      if (stopped)
        return [
          hit(
            on,
            path,
            `The class ${one.metadata.name} names ${one.provisioner}, whose controller ${stopped.metadata.name} is scaled to nothing.`,
            `Let ${stopped.metadata.namespace}/${stopped.metadata.name} run again.`
          )
        ];
      return [
        hit(
          on,
          path,
          `The class ${one.metadata.name} names ${one.provisioner}, and no driver of that name is installed.`,
          `Install ${one.provisioner}, or use a class whose driver is there.`,
          repairOf(one.provisioner)
        )
      ];
    });
  }
});
