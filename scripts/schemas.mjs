// npm run schemas: JSON Schemas of all answers of the programs' interface, read by the compiler from the types of what the endpoints give. With --check
// they are only compared. (Packages that do this read declarations; here most answers are inferred, mapped or intersected types.)
import { readFileSync, writeFileSync } from 'node:fs';
import { format } from 'oxfmt';
import ts from 'typescript';

const to = 'src/lib/server/api/answers.json';
const from = 'src/lib/server/api/types.ts';
const host = { ...ts.sys, onUnRecoverableConfigFileDiagnostic: () => {} };
const { options } = ts.getParsedCommandLineOfConfigFile('tsconfig.json', {}, host);
const program = ts.createProgram([from, 'src/app.d.ts'], options);
const checker = program.getTypeChecker();
const file = program.getSourceFile(from);
const all = checker.getExportsOfModule(checker.getSymbolAtLocation(file)).find((one) => one.name === 'Answers');
const answers = checker.getPropertiesOfType(checker.getDeclaredTypeOfSymbol(all));
const names = new Set(answers.map((one) => one.name));

/** An object of the cluster API as it stands in manifests. Its fields are published; they aren't repeated here. */
const manifest = {
  description: 'An object as it stands in manifests',
  type: 'object',
  properties: { apiVersion: { type: 'string' }, kind: { type: 'string' }, metadata: { type: 'object', additionalProperties: true } },
  required: ['apiVersion', 'kind', 'metadata'],
  additionalProperties: true
};
/** Kinds are an open list: an export holds some that aren't known here. */
const kind = {
  description: 'A kind of the cluster API, or of the stand-in: GET /rehearsals/{id}/objects gives them by kind',
  type: 'string'
};
const schemas = new Map([
  ['Manifest', manifest],
  ['Kind', kind]
]);
/** By type: the name that its schema bears. */
const known = new Map();
const refTo = (name) => ({ $ref: `#/components/schemas/${name}` });

const is = (type, flag) => (type.flags & flag) !== 0;
const isOurs = (symbol) => symbol?.declarations?.some((one) => one.getSourceFile().fileName.includes('/src/lib/')) ?? false;
const isManifest = (type) => ['apiVersion', 'kind', 'metadata'].every((name) => checker.getPropertyOfType(type, name));

/** The name that the source gives a type, if it is one word. */
function nameOf(type) {
  if (type.aliasTypeArguments?.length || checker.getTypeArguments?.(type)?.length) return undefined;
  const symbol = type.aliasSymbol ?? (is(type, ts.TypeFlags.Object) ? type.symbol : undefined);
  return symbol && isOurs(symbol) && /^[A-Z]\w*$/.test(symbol.name) ? symbol : undefined;
}

function wordsOf(symbol) {
  return ts.displayPartsToString(symbol.getDocumentationComment(checker)).replace(/\s+/g, ' ').trim();
}
const described = (words, schema) => (words && !schema.$ref ? { description: words, ...schema } : schema);

const isKind = (values) =>
  values.length > 30 && ['Pod', 'StorageClass', 'Ground'].every((one) => values.some(({ value }) => value === one));

function choiceOf(type) {
  // Undefined is a field that isn't there.
  const parts = type.types.filter((one) => !is(one, ts.TypeFlags.Undefined | ts.TypeFlags.Void));
  const values = parts.filter((one) => !is(one, ts.TypeFlags.Null));
  const nullable = values.length < parts.length ? { nullable: true } : {};
  const texts = values.length > 0 && values.every((one) => is(one, ts.TypeFlags.StringLiteral));
  if (texts && isKind(values)) return refTo('Kind');
  // In the alphabet's order: the compiler's own changes with what it happened to read first.
  if (texts) return { type: 'string', enum: [...values.map((one) => one.value).sort(), ...(nullable.nullable ? [null] : [])], ...nullable };
  const made = new Map(values.map(schemaOf).map((one) => [JSON.stringify(one), one]));
  if (made.has('{"type":"boolean","enum":[true]}') && made.has('{"type":"boolean","enum":[false]}')) {
    made.delete('{"type":"boolean","enum":[true]}');
    made.delete('{"type":"boolean","enum":[false]}');
    made.set('boolean', { type: 'boolean' });
  }
  const choices = [...made].sort(([a], [b]) => (a < b ? -1 : 1)).map(([, one]) => one);
  if (choices.length === 1 && (!nullable.nullable || !choices[0].$ref)) return { ...choices[0], ...nullable };
  return { anyOf: choices, ...nullable };
}

function objectOf(type) {
  const properties = {};
  const required = [];
  for (const one of checker.getPropertiesOfType(type)) {
    const inner = checker.getTypeOfSymbol(one);
    const optional = (one.flags & ts.SymbolFlags.Optional) !== 0;
    const absent = inner.isUnion() && inner.types.some((part) => is(part, ts.TypeFlags.Undefined));
    if (is(inner, ts.TypeFlags.Undefined)) continue;
    properties[one.name] = described(wordsOf(one), schemaOf(inner));
    if (!optional && !absent && !is(inner, ts.TypeFlags.Unknown)) required.push(one.name);
  }
  const others = checker.getIndexTypeOfType(type, ts.IndexKind.String);
  return {
    type: 'object',
    ...(Object.keys(properties).length ? { properties } : {}),
    ...(required.length ? { required } : {}),
    additionalProperties: others ? (is(others, ts.TypeFlags.Unknown | ts.TypeFlags.Any) ? true : schemaOf(others)) : false
  };
}

function plainOf(type) {
  if (is(type, ts.TypeFlags.StringLiteral)) return { type: 'string', enum: [type.value] };
  if (is(type, ts.TypeFlags.NumberLiteral)) return { type: 'number', enum: [type.value] };
  if (is(type, ts.TypeFlags.BooleanLiteral)) return { type: 'boolean', enum: [checker.typeToString(type) === 'true'] };
  if (is(type, ts.TypeFlags.StringLike)) return { type: 'string' };
  if (is(type, ts.TypeFlags.NumberLike)) return { type: 'number' };
  if (is(type, ts.TypeFlags.BooleanLike)) return { type: 'boolean' };
  if (is(type, ts.TypeFlags.Null)) return { enum: [null], nullable: true };
  if (type.isUnion()) return choiceOf(type);
  if (checker.isTupleType(type)) {
    const parts = checker.getTypeArguments(type).map(schemaOf);
    const kinds = [...new Map(parts.map((one) => [JSON.stringify(one), one])).values()];
    return { type: 'array', items: kinds.length === 1 ? kinds[0] : { anyOf: kinds }, minItems: parts.length, maxItems: parts.length };
  }
  if (checker.isArrayType(type)) return { type: 'array', items: schemaOf(checker.getTypeArguments(type)[0]) };
  if (is(type, ts.TypeFlags.Object | ts.TypeFlags.Intersection)) return isManifest(type) ? refTo('Manifest') : objectOf(type);
  return {};
}

function schemaOf(type) {
  if (known.has(type)) return refTo(known.get(type));
  const symbol = nameOf(type);
  const manifests = type.isUnion() ? type.types.every(isManifest) : isManifest(type);
  if (manifests) return refTo('Manifest');
  if (!symbol) return plainOf(type);
  let name = symbol.name;
  while (schemas.has(name) || (names.has(name) && known.get(type) !== name)) name += 'Part';
  known.set(type, name);
  schemas.set(name, {});
  schemas.set(name, described(wordsOf(symbol), plainOf(type)));
  return refTo(name);
}

// An answer that is a type of its own name is that type.
for (const one of answers) {
  const type = checker.getTypeOfSymbol(one);
  if (nameOf(type)?.name === one.name && !known.has(type)) known.set(type, one.name);
}
for (const one of answers) {
  const type = checker.getTypeOfSymbol(one);
  const itself = known.get(type) === one.name;
  schemas.set(one.name, itself ? described(wordsOf(nameOf(type)), plainOf(type)) : schemaOf(type));
}
const sorted = Object.fromEntries([...schemas].sort(([a], [b]) => (a < b ? -1 : 1)));
const { code: text } = await format(to, JSON.stringify(sorted), JSON.parse(readFileSync('.oxfmtrc.json', 'utf8')));
if (process.argv.includes('--check')) {
  if (readFileSync(to, 'utf8') !== text) {
    console.log(`${to} is not what the endpoints give any more: npm run schemas`);
    process.exit(1);
  }
} else {
  writeFileSync(to, text);
  console.log(`${schemas.size} schemas, ${answers.length} of them of answers`);
}
