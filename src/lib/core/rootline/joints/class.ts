import { defaultClassMark, refOf, waitsForConsumer, type Facts } from '../../model';
import { asManifest } from '../../manifest';
import { field, isBound, look, ref } from '../evidence';
import type { JointRule } from '../types';

const defaultsOf = (facts: Facts) => facts.list('StorageClass').filter((one) => one.metadata.annotations?.[defaultClassMark] === 'true');

/** Does the claim go by a class that exists? */
export const classJoint: JointRule = {
  id: 'class',
  title: 'Class',
  why: 'The class says which driver makes the volume, and how. A claim that names no class goes by the default one.',
  perClaim: true,
  look({ facts }, place) {
    const { spec, claim } = place;
    if (!spec) return look('unseen', '–', "the claim isn't there, so its class can't be told");
    const name = spec.storageClassName;
    if (name === '') return look('holds', '""', 'no class: only a pre-made volume without class will do');
    if (place.class) {
      const one = place.class;
      const fallback = name === undefined || one.metadata.annotations?.[defaultClassMark] === 'true';
      const says = `provisioner ${one.provisioner}${fallback ? '; default' : ''}; ${waitsForConsumer(one) ? 'binds when the member is placed' : 'binds at once'}`;
      return look('holds', one.metadata.name, says, { objects: [refOf(one)] });
    }
    if (isBound(place)) return look('holds', name ?? '–', "the class has gone; the claim is bound and doesn't need it");
    const classes = facts.list('StorageClass');
    const others = classes.map((one) => one.metadata.name).join(', ') || 'none';
    const at = claim ?? ref('PersistentVolumeClaim', place.namespace, place.name);
    if (name === undefined) {
      const [only] = classes.length === 1 ? classes : [];
      const marked =
        only &&
        asManifest({ ...only, metadata: { ...only.metadata, annotations: { ...only.metadata.annotations, [defaultClassMark]: 'true' } } });
      return look(
        'broken',
        '(default)',
        `the claim names no class, and none of the classes is the default (${defaultsOf(facts).length} marked)`,
        {
          evidence: [
            field(at, 'spec.storageClassName', undefined),
            { object: ref('StorageClass', '', '(all)'), field: 'metadata.name', value: others }
          ],
          remedy: { text: 'Mark a class as the default, or name one in the claim.', ...(marked ? { manifests: [marked] } : {}) }
        }
      );
    }
    return look('broken', name, `there is no class ${name}`, {
      objects: [ref('StorageClass', '', name)],
      evidence: [
        field(at, 'spec.storageClassName', name),
        { object: ref('StorageClass', '', '(all)'), field: 'metadata.name', value: others }
      ],
      remedy: { text: `Send a class ${name}, or name one that exists: ${others}.` }
    });
  }
};
