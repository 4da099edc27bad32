import { stringify } from 'yaml';
import { entryOf, likenessMark, type ApiObject } from '../model';

/** Fields that a cluster fills in by itself and that don't belong into a manifest. */
const ownMeta = new Set([
  'uid',
  'resourceVersion',
  'generation',
  'creationTimestamp',
  'deletionTimestamp',
  'managedFields',
  'selfLink',
  'ownerReferences',
  'finalizers',
  'deletionGracePeriodSeconds'
]);
const ownMarks = [
  'pv.kubernetes.io/bind-completed',
  'pv.kubernetes.io/bound-by-controller',
  'volume.kubernetes.io/selected-node',
  'volume.kubernetes.io/storage-provisioner',
  likenessMark
];

/** The same without what is supposed of its program: that is no part of what people wrote. */
function withoutLikeness(rest: Record<string, unknown>): Record<string, unknown> {
  const spec = rest.spec as { template?: { metadata?: { annotations?: Record<string, string> } } } | undefined;
  const marks = spec?.template?.metadata?.annotations;
  if (marks?.[likenessMark] === undefined) return rest;
  const { [likenessMark]: _, ...kept } = marks;
  const { annotations: __, ...meta } = spec!.template!.metadata!;
  const metadata = Object.keys(kept).length ? { ...meta, annotations: kept } : meta;
  return { ...rest, spec: { ...spec, template: { ...spec!.template, metadata } } };
}

/** An object as a person would write it: without status and without what the cluster filled in. */
export function asManifest(object: ApiObject): ApiObject {
  const { apiVersion, kind, metadata, ...rest } = object as ApiObject & Record<string, unknown>;
  const meta = Object.fromEntries(Object.entries(metadata).filter(([key]) => !ownMeta.has(key)));
  const marks = Object.entries((metadata.annotations ?? {}) as Record<string, string>).filter(([key]) => !ownMarks.includes(key));
  delete meta.annotations;
  if (marks.length) meta.annotations = Object.fromEntries(marks);
  const kept: Record<string, unknown> = { apiVersion, kind, metadata: meta, ...withoutLikeness(rest) };
  if (kind !== 'Node') delete kept.status;
  if (object.kind === 'Service' && object.spec.clusterIP !== 'None') {
    const spec: Record<string, unknown> = { ...object.spec };
    delete spec.clusterIP;
    delete spec.clusterIPs;
    kept.spec = spec;
  }
  // A volume that the cluster chose is another one elsewhere; one that a person named is part of the wish.
  if (object.kind === 'PersistentVolumeClaim' && metadata.annotations?.['pv.kubernetes.io/bound-by-controller'] === 'yes') {
    const spec: Record<string, unknown> = { ...object.spec };
    delete spec.volumeName;
    kept.spec = spec;
  }
  return kept as ApiObject;
}

const byOrder = (a: ApiObject, b: ApiObject): number =>
  entryOf(a.kind).order - entryOf(b.kind).order ||
  compare(a.metadata.namespace ?? '', b.metadata.namespace ?? '') ||
  compare(a.metadata.name, b.metadata.name);

const compare = (a: string, b: string): number => (a === b ? 0 : a < b ? -1 : 1);

/** Objects in the order in which they have to be sent: what others rest on comes first. */
export const inSendingOrder = <T extends ApiObject>(objects: readonly T[]): T[] => [...objects].sort(byOrder);

/** One object as YAML. Texts that an older reader would take for numbers or truth values are quoted. */
export const writeOne = (object: unknown): string => stringify(object, { lineWidth: 0, compat: 'yaml-1.1', aliasDuplicateObjects: false });

/** Ordered multi-document YAML that reads back equal. */
export const writeManifests = (objects: readonly ApiObject[]): string => inSendingOrder(objects).map(writeOne).join('---\n');
