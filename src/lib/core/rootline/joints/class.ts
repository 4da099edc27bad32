import { defaultClassMark, refOf, waitsForConsumer, type Facts, type StorageClass } from '../../model';
import { asManifest } from '../../manifest';
import { field, isBound, look, ref } from '../evidence';
import type { JointRule, Look } from '../types';
import { driverFor, plainClass } from '../plain-class';
import { wantsPremade } from './volume';

const defaultsOf = (facts: Facts) => facts.list('StorageClass').filter((one) => one.metadata.annotations?.[defaultClassMark] === 'true');

/** Evidence of several default classes, and the remedy: unmark the others. */
const twoDefaults = (marked: readonly StorageClass[], kept: StorageClass): Pick<Look, 'evidence' | 'remedy'> => ({
  evidence: marked.map((other) => field(other, `metadata.annotations[${defaultClassMark}]`, 'true')),
  remedy: {
    text: `Unmark all but one, so that nobody has to guess which counts.`,
    manifests: marked
      .filter((other) => other.metadata.name !== kept.metadata.name)
      .map((other) =>
        asManifest({
          ...other,
          metadata: { ...other.metadata, annotations: { ...other.metadata.annotations, [defaultClassMark]: 'false' } }
        })
      )
  }
});

/** Does the claim go by a class that exists? */
export const classJoint = {
  id: 'class' as const,
  shared: true,
  title: 'Class',
  why: 'The class says which driver makes the volume, and how. A claim that names no class goes by the default one.',
  perClaim: true,
  look({ facts }, place) {
    const { spec, claim } = place;
    if (place.volume) return undefined;
    if (!spec) return look('unseen', '–', "the claim isn't there, so its class can't be told");
    const name = spec.storageClassName;
    if (name === '') return look('holds', '""', 'no class: only a pre-made volume without class will do');
    if (place.class) {
      const one = place.class;
      const fallback = name === undefined || one.metadata.annotations?.[defaultClassMark] === 'true';
      const says = `provisioner ${one.provisioner}${fallback ? '; default' : ''}; ${waitsForConsumer(one) ? 'binds when the member is placed' : 'binds at once'}`;
      const marked = defaultsOf(facts);
      const several = marked.length > 1 && marked.some((other) => other.metadata.name === one.metadata.name);
      return look(
        'holds',
        one.metadata.name,
        several ? `${says}; ${marked.length} classes are marked as default, and the newest counts` : says,
        {
          objects: [refOf(one)],
          ...(several ? twoDefaults(marked, one) : {})
        }
      );
    }
    if (!isBound(place) && wantsPremade(facts, place))
      return look('holds', name ?? '–', 'no class of that name; only a pre-made volume that carries the name will do');
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
    const driver = facts.knowsProvider ? driverFor(facts, spec) : undefined;
    return look('broken', name, `there is no class ${name}`, {
      objects: [ref('StorageClass', '', name)],
      evidence: [
        field(at, 'spec.storageClassName', name),
        { object: ref('StorageClass', '', '(all)'), field: 'metadata.name', value: others }
      ],
      remedy: {
        text: `Send a class ${name}${driver ? ` that draws from ${driver} and keeps its volumes` : ''}, or name one that exists: ${others}.`,
        ...(driver ? { manifests: [plainClass(name, driver, { reclaimPolicy: 'Retain' })] } : {})
      }
    });
  }
} satisfies JointRule;
