// Makes (with --check: compares) src/lib/core/model/api-fields.ts: the fields of the cluster API's published types (package kubernetes-types), as a compact table.
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { format } from 'oxfmt';
import ts from 'typescript';

const root = path.join(path.dirname(fileURLToPath(import.meta.url)), '..');
const base = path.join(root, 'node_modules/kubernetes-types');
const kinds = {
  'core/v1': [
    'Namespace',
    'Node',
    'ServiceAccount',
    'ConfigMap',
    'Secret',
    'Service',
    'Pod',
    'PersistentVolume',
    'PersistentVolumeClaim',
    'Event',
    'ResourceQuota',
    'LimitRange'
  ],
  'apps/v1': ['StatefulSet', 'Deployment', 'DaemonSet', 'ReplicaSet'],
  'batch/v1': ['Job', 'CronJob'],
  'storage/v1': ['StorageClass', 'CSIDriver', 'CSINode', 'VolumeAttachment', 'CSIStorageCapacity'],
  'storage/v1alpha1': ['VolumeAttributesClass'],
  'discovery/v1': ['EndpointSlice'],
  'policy/v1': ['PodDisruptionBudget'],
  'scheduling/v1': ['PriorityClass'],
  'rbac/v1': ['Role', 'ClusterRole', 'RoleBinding', 'ClusterRoleBinding'],
  'networking/v1': ['NetworkPolicy'],
  'admissionregistration/v1': ['ValidatingWebhookConfiguration', 'MutatingWebhookConfiguration']
};

const files = new Map();
const load = (file) => {
  if (!files.has(file)) files.set(file, ts.createSourceFile(file, ts.sys.readFile(file), ts.ScriptTarget.Latest, true));
  return files.get(file);
};
const table = {};
const names = new Map();

/** Where a type's name leads: its file and declaration. */
function find(file, name) {
  const source = load(file);
  for (const node of source.statements) {
    if ((ts.isInterfaceDeclaration(node) || ts.isTypeAliasDeclaration(node)) && node.name.text === name) return { file, node };
    if (ts.isImportDeclaration(node) && node.importClause?.namedBindings?.elements?.some((one) => one.name.text === name))
      return find(path.join(path.dirname(file), `${node.moduleSpecifier.text}.d.ts`), name);
  }
  return undefined;
}

/** Text, number, truth value: s n b; quantity q; anything *; [T] a list, {T} a map; else the name of a row. */
function typeText(file, type) {
  if (type.kind === ts.SyntaxKind.StringKeyword) return 's';
  if (type.kind === ts.SyntaxKind.NumberKeyword) return 'n';
  if (type.kind === ts.SyntaxKind.BooleanKeyword) return 'b';
  if (ts.isLiteralTypeNode(type)) return 's';
  if (ts.isArrayTypeNode(type)) return `[${typeText(file, type.elementType)}]`;
  if (ts.isUnionTypeNode(type)) return type.types.every((one) => ts.isLiteralTypeNode(one)) ? 's' : '*';
  if (ts.isTypeLiteralNode(type)) {
    const index = type.members.find(ts.isIndexSignatureDeclaration);
    return index ? `{${typeText(file, index.type)}}` : '*';
  }
  if (ts.isTypeReferenceNode(type)) {
    const name = type.typeName.getText();
    if (name === 'Array') return `[${typeText(file, type.typeArguments[0])}]`;
    if (name === 'Record') return `{${typeText(file, type.typeArguments[1])}}`;
    if (name === 'Quantity') return 'q';
    if (name === 'IntOrString') return 'i';
    if (['Time', 'MicroTime'].includes(name)) return 's';
    const found = find(file, name);
    if (!found) return '*';
    if (ts.isTypeAliasDeclaration(found.node)) return typeText(found.file, found.node.type);
    return row(found.file, found.node);
  }
  return '*';
}

/** Rows that name products among their fields: of these only neutral ones are kept, and the row is left open for the rest. */
const open = {
  Volume: [
    'name',
    'configMap',
    'csi',
    'downwardAPI',
    'emptyDir',
    'ephemeral',
    'hostPath',
    'image',
    'nfs',
    'persistentVolumeClaim',
    'projected',
    'secret'
  ],
  PersistentVolumeSpec: [
    'accessModes',
    'capacity',
    'claimRef',
    'csi',
    'hostPath',
    'local',
    'mountOptions',
    'nfs',
    'nodeAffinity',
    'persistentVolumeReclaimPolicy',
    'storageClassName',
    'volumeAttributesClassName',
    'volumeMode'
  ]
};

function row(file, node) {
  const id = `${file}#${node.name.text}`;
  if (names.has(id)) return names.get(id);
  let name = node.name.text;
  while (table[name]) name += '2';
  names.set(id, name);
  table[name] = {};
  const kept = open[node.name.text];
  if (kept) table[name]['*'] = '*';
  for (const member of node.members) {
    if (!ts.isPropertySignature(member)) continue;
    if (kept && !kept.includes(member.name.getText().replace(/['"]/g, ''))) continue;
    table[name][member.name.getText().replace(/['"]/g, '')] = `${typeText(file, member.type)}${member.questionToken ? '' : '!'}`;
  }
  return name;
}

for (const [group, list] of Object.entries(kinds)) {
  for (const kind of list) {
    const found = find(path.join(base, `${group}.d.ts`), kind);
    if (!found) throw new Error(`no ${kind} in ${group}`);
    const name = row(found.file, found.node);
    if (name !== kind) throw new Error(`${kind} became ${name}`);
  }
}
const text = `// Made by scripts/fields.mjs from the published types of the cluster API (package kubernetes-types 1.30.0). Don't edit by hand.

/**
 * Fields of the published kinds and of what they hold. A type is s (text), n (number), b (true or false), q (quantity), i (number or text),
 * * (anything), [T] (a list), {T} (a map) or another row; a "!" at its end says that the field is needed. A row with the field "*" is open: it
 * has more fields than these.
 */
export const apiFields: Readonly<Record<string, Readonly<Record<string, string>>>> = ${JSON.stringify(table)};
`;
const out = path.join(root, 'src/lib/core/model/api-fields.ts');
const { code: made } = await format(out, text, JSON.parse(readFileSync(path.join(root, '.oxfmtrc.json'), 'utf8')));
if (process.argv.includes('--check')) {
  if (readFileSync(out, 'utf8') !== made) {
    console.error(`${out} is not what the package says: run node scripts/fields.mjs.`);
    process.exit(1);
  }
} else writeFileSync(out, made);
console.log(`${Object.keys(table).length} rows`);
