import { entryOf, fieldAt, kindEntries, kindEntry, meanings, type Kind } from '../model';
import { pathText } from '../manifest';
import { cursorAt, pathUnder, type Cursor } from './cursor';
import { starterOf } from './starters';

export { cursorAt, pathUnder, type Cursor } from './cursor';
export { starterOf } from './starters';

/** A thing that can be named: in the draft or on the target. */
export interface NameAtHand {
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
}

/** One proposal of the editor. */
export interface Proposal {
  readonly label: string;
  readonly insert: string;
  readonly detail: string;
  readonly info?: string;
}

/** What could be written at a place of a text. Offsets count UTF-16 units from its beginning. */
export interface Completion {
  readonly from: number;
  readonly proposals: readonly Proposal[];
}

/** Which kind a field names, by the end of its path. */
const naming: readonly { readonly test: RegExp; readonly kind: Kind | 'Image' }[] = [
  { test: /storageClassName$/, kind: 'StorageClass' },
  { test: /serviceName$|clientConfig\.service\.name$/, kind: 'Service' },
  { test: /claimName$|persistentVolumeClaimName$/, kind: 'PersistentVolumeClaim' },
  { test: /(configMap|configMapRef|configMapKeyRef)\.name$/, kind: 'ConfigMap' },
  { test: /secretName$|(secretRef|secretKeyRef)\.name$|imagePullSecrets\[\d+\]\.name$|spec\.authority$/, kind: 'Secret' },
  { test: /serviceAccountName$/, kind: 'ServiceAccount' },
  { test: /namespace$/, kind: 'Namespace' },
  { test: /^provisioner$|csi\.driver$|^driver$/, kind: 'CSIDriver' },
  { test: /volumeName$/, kind: 'PersistentVolume' },
  { test: /volumeSnapshotClassName$/, kind: 'VolumeSnapshotClass' },
  { test: /nodeName$|spec\.node$/, kind: 'Node' },
  { test: /issuer\.name$/, kind: 'Issuer' },
  { test: /spec\.set$/, kind: 'StatefulSet' },
  { test: /spec\.pool$|^parameters\.pool$/, kind: 'Pool' },
  { test: /\.image$/, kind: 'Image' }
];

/** Well-known label keys over which members are spread. */
const topologyKeys = ['kubernetes.io/hostname', 'topology.kubernetes.io/zone'];

function inserted(key: string, says: string, indent: number): string {
  const pad = ' '.repeat(indent + 2);
  if (says.startsWith('list of')) return `${key}:\n${pad}- `;
  if (says.startsWith('map of')) return `${key}:\n${pad}`;
  return `${key}: `;
}

function keyProposals(at: Cursor): Proposal[] {
  if (at.path.length === 0 && at.kind === undefined) {
    const starters = kindEntries
      .filter((one) => !one.derived && starterOf(one.kind))
      .map((one) => ({ label: one.kind, insert: starterOf(one.kind)!, detail: 'a whole manifest to begin from' }));
    const top = ['apiVersion', 'kind', 'metadata', 'spec']
      .filter((key) => !at.siblings.has(key))
      .map((key) => ({ label: key, insert: inserted(key, key === 'metadata' || key === 'spec' ? 'map of' : 'text', 0), detail: 'field' }));
    return at.empty ? [...starters, ...top] : top;
  }
  if (!at.kind) return [];
  const info = fieldAt(at.kind, at.path);
  const row = info && (!info.list || typeof at.path.at(-1) === 'number') ? info.fields : undefined;
  if (!row) return [];
  return Object.keys(row)
    .filter((key) => !at.siblings.has(key) && key !== 'status' && key !== '*')
    .map((key) => {
      const field = fieldAt(at.kind!, [...at.path, key])!;
      const meaning = meanings[field.key];
      return {
        label: key,
        insert: inserted(key, field.says, at.indent),
        detail: `${field.says}${field.needed ? ', needed' : ''}`,
        ...(meaning ? { info: meaning } : {})
      };
    })
    .sort((a, b) => Number(b.detail.endsWith('needed')) - Number(a.detail.endsWith('needed')) || (a.label < b.label ? -1 : 1));
}

function namesFor(kind: Kind | 'Image', at: Cursor, names: readonly NameAtHand[]): Proposal[] {
  const space = /^ {2}namespace:[ \t]*["']?([\w-]+)/m.exec(at.document)?.[1] ?? 'default';
  const bound = kind !== 'Image' && entryOf(kind).namespaced;
  const fit = names.filter((one) => one.kind === kind && (!bound || one.namespace === space));
  return [...new Set(fit.map((one) => one.name))].map((name) => ({
    label: name,
    insert: name,
    detail: kind === 'Image' ? 'on a shelf in reach' : bound ? `${kind} in ${space}` : kind
  }));
}

function valueProposals(at: Cursor, names: readonly NameAtHand[]): Proposal[] {
  const text = pathText(at.path);
  if (text === 'kind')
    return kindEntries.filter((one) => !one.derived).map((one) => ({ label: one.kind, insert: one.kind, detail: one.apiVersion }));
  if (text === 'apiVersion') {
    const own = at.kind && kindEntry(at.kind);
    const versions = own ? [own.apiVersion] : [...new Set(kindEntries.filter((one) => !one.derived).map((one) => one.apiVersion))];
    return versions.map((one) => ({ label: one, insert: one, detail: own ? `serves ${at.kind}` : 'API version' }));
  }
  if (/volumeMounts\[\d+\]\.name$/.test(text)) {
    const found = [
      ...at.document.matchAll(/volumeClaimTemplates:[\s\S]*?name:[ \t]*([\w-]+)/g),
      ...at.document.matchAll(/^\s+volumes:[\s\S]*?name:[ \t]*([\w-]+)/gm)
    ];
    return [...new Set(found.map((one) => one[1]!))].map((name) => ({ label: name, insert: name, detail: 'volume of this pod' }));
  }
  if (/topologyKey$/.test(text)) return topologyKeys.map((key) => ({ label: key, insert: key, detail: 'label of nodes' }));
  const naive = naming.find((one) => one.test.test(text));
  if (naive) return namesFor(naive.kind, at, names);
  const choices = at.kind ? fieldAt(at.kind, at.path)?.choices : undefined;
  return (choices ?? []).map((one) => ({ label: one, insert: one, detail: 'allowed here' }));
}

/**
 * What could be written at a place: kinds with whole manifests in an empty document, fields of the map, values that a field takes, and the
 * names that exist in the draft and on the target.
 */
export function completionAt(text: string, offset: number, names: readonly NameAtHand[]): Completion | undefined {
  const at = cursorAt(text, offset);
  if (at.mode === 'comment') return undefined;
  const scalarItem = at.mode === 'key' && typeof at.path.at(-1) === 'number' && at.kind ? fieldAt(at.kind, at.path) : undefined;
  const all =
    scalarItem && !scalarItem.fields ? valueProposals(at, names) : at.mode === 'key' ? keyProposals(at) : valueProposals(at, names);
  const lower = at.word.toLowerCase();
  const proposals = all.filter((one) => one.label.toLowerCase().includes(lower));
  return proposals.length ? { from: at.from, proposals } : undefined;
}

/** What the field under a point means; undefined where nothing is known of it. */
export function meaningAt(text: string, offset: number): { field: string; says: string; needed: boolean; meaning?: string } | undefined {
  const under = pathUnder(text, offset);
  if (!under?.kind || !under.path.length) return undefined;
  const info = fieldAt(under.kind, under.path);
  if (!info) return undefined;
  const field = pathText(under.path);
  const special =
    field === 'kind' ? 'What the object is.' : field === 'apiVersion' ? 'The group and version that serve the kind.' : undefined;
  const meaning = meanings[info.key] ?? special;
  return { field, says: info.says, needed: info.needed, ...(meaning ? { meaning } : {}) };
}
