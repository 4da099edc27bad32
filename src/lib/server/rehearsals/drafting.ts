import { setImmediate as nextTurn } from 'node:timers/promises';
import { parse as parseYaml, stringify } from 'yaml';
import { changeSheet, type ChangeSheet } from '$core/change';
import { checkSteps, findingSteps, type Finding } from '$core/checker';
import {
  forCluster,
  isTable,
  leaveOut,
  liftables,
  moveNamespace,
  rowsOf,
  tableEdits,
  tableOf,
  type Lack,
  type MovePlace,
  type TableRow
} from '$core/drafts';
import { editsOf, plainResult, writtenSteps, type ReadResult, type TextEdit, type WrittenResult } from '$core/manifest';
import { keyOf, kindEntries, pointersOf, refOf, type ApiObject, type Facts, type Ref } from '$core/model';
import { shelfImages } from '$core/standin';

/** One file of a draft. */
export interface DraftText {
  readonly name: string;
  readonly text: string;
}

export interface LookOptions {
  readonly cluster: string;
  readonly sheet?: boolean;
  readonly replace?: readonly Ref[];
}

/** What a draft comes to on a rehearsal. */
export interface DraftLook {
  readonly findings: readonly Finding[];
  readonly objects: readonly (Ref & { readonly file?: string; readonly line: number })[];
  readonly links: readonly (Ref & {
    readonly file?: string;
    readonly from: number;
    readonly to: number;
    readonly there: 'draft' | 'target' | 'nowhere';
  })[];
  readonly sheet?: ChangeSheet;
}

/** What is to be done to a draft. */
export interface Rework {
  readonly move?: { readonly from: string; readonly to: string } | undefined;
  readonly leaveOut?: readonly string[] | undefined;
  readonly lift?: true | undefined;
  readonly writeIn?: string | undefined;
}

export interface Reworked {
  readonly edits: readonly TextEdit[];
  readonly places?: readonly MovePlace[];
  readonly lacks?: readonly Lack[];
  readonly rows?: readonly TableRow[];
  readonly table?: string;
}

const quietKinds = new Set<string>(['Event', 'EndpointSlice', 'VolumeAttachment', 'Asset', 'Pod', 'ReplicaSet']);

/** Tells the tables of a draft from its manifests. */
export function tablesOf(files: readonly DraftText[]): { texts: DraftText[]; rows: TableRow[]; problems: WrittenResult['problems'] } {
  const texts: DraftText[] = [];
  const rows: TableRow[] = [];
  const problems: WrittenResult['problems'][number][] = [];
  for (const file of files) {
    if (!/^kind: *["']?ValueTable/m.test(file.text)) texts.push(file);
    else {
      let value: unknown;
      try {
        value = parseYaml(file.text, { maxAliasCount: 20 });
      } catch (error) {
        problems.push({
          code: 'yaml-syntax',
          message: `The table can't be read: ${(error as Error).message.split('\n')[0]}`,
          remedy: 'Check its indentation and quotes.',
          at: { file: file.name, line: 1, column: 1 }
        });
        continue;
      }
      const read = isTable(value) ? rowsOf(value) : { rows: [], fault: 'it holds more than the table; give the table a file of its own' };
      rows.push(...read.rows);
      if (read.fault)
        problems.push({
          code: 'bad-value',
          message: `The table of values can't be used: ${read.fault}.`,
          remedy: 'Give each row a name, places and values by cluster.',
          at: { file: file.name, line: 1, column: 1 }
        });
    }
  }
  return { texts: texts.length ? texts : files.slice(0, 1).map((one) => ({ ...one, text: '' })), rows, problems };
}

/** Takes the steps one by one; worlds go on in between. */
async function slowly<T>(steps: Generator<void, T>): Promise<T> {
  for (;;) {
    const step = steps.next();
    if (step.done) return step.value;
    await nextTurn();
  }
}

async function written(files: readonly DraftText[], cluster: string): Promise<{ read: WrittenResult; texts: readonly DraftText[] }> {
  const { texts, rows, problems } = tablesOf(files);
  const mine = forCluster(await slowly(writtenSteps(texts)), rows, cluster);
  return { read: { ...mine, problems: [...problems, ...mine.problems] }, texts };
}

/** Reads the files of a draft, with the values of the cluster they go to. */
export const readFiles = async (files: readonly DraftText[], cluster: string): Promise<ReadResult> =>
  plainResult((await written(files, cluster)).read);

/** The day by the server's clock, by which acceptances of the house end. */
const today = (): string => new Date().toISOString().slice(0, 10);

/** Checks manifests, against a cluster where one is given. */
export const checkText = async (text: string, facts: Facts | undefined): Promise<{ findings: Finding[] }> => ({
  findings: (await slowly(checkSteps([{ text }], facts, today()))).findings
});

/** Looks a draft over: findings, what is in it, where its names lead, and what sending it would do. */
export async function look(facts: Facts, files: readonly DraftText[], { cluster, sheet, replace }: LookOptions): Promise<DraftLook> {
  const { read, texts } = await written(files, cluster);
  const findings = await slowly(findingSteps(read, texts, facts, today()));
  const keys = new Set(read.objects.map((one) => keyOf(refOf(one.object))));
  const objects = read.objects.map((one) => one.object);
  return {
    findings,
    objects: read.objects.map(({ object, at }) => ({
      ...refOf(object),
      ...(at.file === undefined ? {} : { file: at.file }),
      line: at.line ?? 1
    })),
    links: read.objects.flatMap(({ object, writing }) =>
      pointersOf(object).flatMap(({ path, kind, namespace, name }) => {
        const span = writing.span(path);
        if (!span) return [];
        const there = keys.has(keyOf({ kind, namespace, name })) ? 'draft' : facts.get(kind, namespace, name) ? 'target' : 'nowhere';
        return [{ ...(writing.file === undefined ? {} : { file: writing.file }), ...span, kind, namespace, name, there } as const];
      })
    ),
    ...(sheet && !read.problems.length && objects.length ? { sheet: changeSheet(facts, objects, replace) } : {})
  };
}

/** Names that exist on a cluster, for completion; images too, as far as they can be known. */
export function names(facts: Facts): { kind: string; namespace: string; name: string }[] {
  const objects = kindEntries
    .filter((one) => !quietKinds.has(one.kind))
    .flatMap((one) => (facts.list(one.kind) as ApiObject[]).slice(0, 400).map(refOf));
  const reachable = facts.list('Registry').filter((one) => one.spec.reachable);
  const listed = reachable.flatMap((one) => one.spec.images ?? []);
  const used = facts.list('Pod').flatMap((pod) => pod.spec.containers.map((one) => one.image));
  const shelf = reachable.some((one) => !one.spec.images) ? shelfImages() : [];
  const images = [...new Set([...listed, ...used, ...shelf])].sort();
  return [...objects, ...images.map((name) => ({ kind: 'Image', namespace: '', name }))];
}

/** Values that are apt to differ by cluster, gathered into rows: one for each value, with all its places. */
function rowsFrom(read: WrittenResult, cluster: string): TableRow[] {
  const found = liftables(read.objects);
  const counts = new Map<string, number>();
  const values = new Map(found.map((one) => [JSON.stringify([one.name, one.value]), one]));
  return [...values.values()].map(({ name, value }) => {
    const nth = (counts.get(name) ?? 0) + 1;
    counts.set(name, nth);
    const places = found.filter((one) => one.name === name && one.value === value).map((one) => one.place);
    return { name: nth > 1 ? `${name} ${nth}` : name, places, values: { [cluster]: value } };
  });
}

/** Edits that rework a draft. Nothing is kept: whoever asked carries them out. */
export async function rework(facts: Facts, files: readonly DraftText[], cluster: string, what: Rework): Promise<Reworked> {
  const { texts, rows } = tablesOf(files);
  const read = await slowly(writtenSteps(texts));
  if (what.move) return moveNamespace(read, what.move.from, what.move.to);
  if (what.leaveOut) return leaveOut(read, what.leaveOut, facts);
  if (what.lift) {
    const made = rowsFrom(read, cluster);
    return { rows: made, edits: [], table: stringify(tableOf('values', made), { lineWidth: 0 }) };
  }
  return { edits: what.writeIn ? tableEdits(read, rows, what.writeIn) : [] };
}

/** The edits that make a bundle for a cluster of a draft: its values written in, and (unless asked for) the values of secrets taken out. */
export async function bundle(
  files: readonly DraftText[],
  cluster: string,
  secrets: boolean
): Promise<{ edits: readonly TextEdit[]; tables: readonly string[] }> {
  const { texts, rows } = tablesOf(files);
  const read = await slowly(writtenSteps(texts));
  const emptied = secrets
    ? []
    : read.objects.flatMap(({ object, writing }) =>
        object.kind === 'Secret'
          ? editsOf(
              writing,
              (['data', 'stringData'] as const).flatMap((field) =>
                object[field] ? Object.keys(object[field]).map((key) => ({ set: [field, key], value: '' })) : []
              )
            )
          : []
      );
  return {
    edits: [...tableEdits(read, rows, cluster), ...emptied],
    tables: files.filter((one) => !texts.some((two) => two.name === one.name)).map((one) => one.name)
  };
}
