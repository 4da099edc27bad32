import { driverCard, parameterFault } from '../../standin';
import { claim, join } from '../examples';
import { claimPlaces } from '../pods';
import { change, hit, nearest, rule } from '../rule';
import type { Hit } from '../types';

const quick = 'apiVersion: storage.k8s.io/v1\nkind: VolumeAttributesClass\nmetadata: {name: quick}\n';
const data = (name: string) =>
  claim(
    `accessModes: [ReadWriteOnce], storageClassName: steady-block, volumeAttributesClassName: ${name}, resources: {requests: {storage: 40Gi}}`
  );

export default rule({
  id: 'attributes-unknown',
  level: 'error',
  title: 'Attributes that nobody can give the volume',
  why: 'A claim whose class of attributes is missing, is for another driver, or asks for what its driver can not change waits: a new volume is not made, one in use keeps what it has.',
  absent: ['VolumeAttributesClass'],
  bad: join(`${quick}driverName: block.standin.example\nparameters: {encrypted: "true"}\n`, data('quick')),
  good: join(`${quick}driverName: block.standin.example\nparameters: {speed: fast}\n`, data('quick')),
  check: (context) => {
    const all = context.all('VolumeAttributesClass');
    const own = context.written('VolumeAttributesClass').flatMap((on): Hit[] => {
      const card = driverCard(on.object.driverName);
      const wrong = card && parameterFault(card, on.object.parameters, card.mutable);
      return wrong ? [hit(on, ['parameters'], wrong, 'Name what it can change, or put it into the StorageClass.')] : [];
    });
    if (!context.target && !all.length) return own;
    const classes = context.all('StorageClass');
    const asked = claimPlaces(context).flatMap(({ on, spec, path }): Hit[] => {
      const { volumeAttributesClassName: name, storageClassName } = spec;
      if (!name) return [];
      const at = [...path, 'volumeAttributesClassName'];
      const one = all.find(({ metadata }) => metadata.name === name);
      if (!one) {
        const names = all.map(({ metadata }) => metadata.name);
        const near = nearest(name, names);
        return [
          hit(
            on,
            at,
            `There is no VolumeAttributesClass ${name}.`,
            near ? `Did you mean ${near}?` : 'Send the class too, or leave the field out.',
            near ? change(`Write ${near}`, on, { set: at, value: near }) : change('Leave it out', on, { drop: at })
          )
        ];
      }
      const driver = classes.find(({ metadata }) => metadata.name === storageClassName)?.provisioner;
      return driver !== undefined && driver !== one.driverName
        ? [
            hit(
              on,
              at,
              `${name} is for ${one.driverName}, and ${storageClassName} is made by ${driver}.`,
              'Name a class of attributes for that driver.'
            )
          ]
        : [];
    });
    return [...own, ...asked];
  }
});
