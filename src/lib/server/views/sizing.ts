import { writeManifests } from '$core/manifest';
import {
  calculationNamed,
  calculations,
  measuredBeside,
  put,
  putClass,
  putNodes,
  readNodesAsk,
  readTable,
  shown,
  sizedBy,
  taken,
  takenOf,
  type CalcId,
  type Columns,
  type NodesAsk,
  type Put,
  type Tried
} from '$core/sizing';
import { workloadsOf, type Scene } from './scene';
import { movedNodes } from './sizing-nodes';

type Written = Readonly<Record<string, string>>;
interface Of {
  readonly namespace: string;
  readonly name: string;
}

/** All calculations with their slots, and the workloads that they can be taken from. */
export const calculationsView = ({ facts }: Scene) => ({
  calculations: calculations.map(({ id, title, tells, sentence, slots }) => ({
    id,
    title,
    tells,
    sentence,
    slots: slots.map(({ id: slot, unit, label, start }) => ({ id: slot, unit, label, start })),
    taken: takenOf(id)
  })),
  workloads: workloadsOf(facts).sort((a, b) => (`${a.namespace}/${a.name}` < `${b.namespace}/${b.name}` ? -1 : 1))
});

/** What a calculation comes to; or what is wrong in which slot ('' names all of them together). */
export function sizedView(_: Scene, { calc: id, written }: { calc: CalcId; written: Written }) {
  const calc = calculationNamed(id)!;
  const found = sizedBy(calc, written);
  const formulas = [...calc.formulas];
  if ('faults' in found) return { faults: found.faults, sized: null, formulas };
  const { chart, ...rest } = found;
  const drawn = chart && {
    kind: chart.kind,
    title: chart.title,
    points: chart.points.map((one) => ({ ...one, chosen: one.chosen ?? false, text: shown(chart.unit, one.value) })),
    bound: chart.bound ? { ...chart.bound, text: shown(chart.unit, chart.bound.value) } : null
  };
  return { faults: {}, sized: { ...rest, chart: drawn ?? null }, formulas };
}

/** Slots filled from what stands; or why they can't be. */
export function takenView({ facts }: Scene, { calc, of, tried }: { calc: CalcId; of?: Of | undefined; tried?: Tried | undefined }) {
  const found = taken(facts, calc, of, tried);
  return typeof found === 'string' ? { written: null, says: found } : { written: found.written, says: found.not };
}

/** What of kept sizings stands otherwise by now: slot by slot, what was taken and what would be. */
export const movedView = (
  scene: Scene,
  { kept }: { kept: readonly { id: number; calc: string; of?: Of | undefined; taken?: Written | undefined; tried?: Tried | undefined }[] }
) =>
  kept.map(({ id, calc: name, of, taken: then, tried }) => {
    if (name === 'nodes' && then) return { id, ...movedNodes(scene, of, then) };
    const calc = calculationNamed(name);
    if (!calc || !then) return { id, moved: [], gone: '' };
    const now = taken(scene.facts, calc.id, of, tried);
    if (typeof now === 'string') return { id, moved: [], gone: now };
    const moved = calc.slots.flatMap((slot) => {
      const [was, is] = [then[slot.id], now.written[slot.id]];
      return was !== undefined && is !== undefined && was !== is ? [{ slot: slot.id, label: slot.label, was, is }] : [];
    });
    return { id, moved, gone: '' };
  });

/** A table of what was measured elsewhere; with its columns named, beside what the sheet of a volume's speed reckons. */
export function measuredView(
  _: Scene,
  { table: text, columns, written }: { table: string; columns?: Columns | undefined; written: Written }
) {
  const table = readTable(text);
  if (typeof table === 'string') return { fault: `${table[0]!.toUpperCase()}${table.slice(1)}.`, table: null, faults: {}, beside: null };
  const { heads, rows } = table;
  const shownTable = { heads: [...heads], first: rows.slice(0, 3).map((one) => [...one]), lines: rows.length };
  const odd = columns && [columns.operations, columns.time?.column ?? 0].find((one) => one >= heads.length);
  if (odd !== undefined) return { fault: `It has no column ${odd + 1}.`, table: shownTable, faults: {}, beside: null };
  if (!columns) return { fault: null, table: shownTable, faults: {}, beside: null };
  const found = measuredBeside(table, columns, written);
  if ('faults' in found) return { fault: null, table: shownTable, faults: found.faults, beside: null };
  const points = found.points.map((one) => ({
    line: one.line,
    operations: one.operations,
    share: one.share,
    time: one.time ?? null,
    reckoned: Number.isFinite(one.reckoned) ? one.reckoned : null,
    texts: {
      operations: shown('each-second', one.operations),
      share: shown('share', one.share),
      time: one.time === undefined ? '' : shown('time', one.time),
      reckoned: Number.isFinite(one.reckoned) ? shown('time', one.reckoned) : 'no end'
    }
  }));
  return { fault: null, table: shownTable, faults: {}, beside: { points, says: found.says, left: found.left } };
}

type Drafted = { readonly yaml: string; readonly title: string; readonly not: string } | string;
const drafted = (found: Put | string): Drafted =>
  typeof found === 'string'
    ? `${found[0]!.toUpperCase()}${found.slice(1)}.`
    : { yaml: writeManifests(found.objects), title: found.title, not: found.not };

/** The answer of a calculation as manifests for what it is about, and what of it isn't in them; or why it can't be. */
export const sizingDraftView = (
  { facts }: Scene,
  { calc, of, written }: { calc: CalcId; of?: Of | undefined; written: Written }
): Drafted => drafted(put(facts, calc, of, written));

/** Rows of members as manifests of the sets that they were taken from; or why that can't be. */
export function nodesDraftView({ facts }: Scene, { of, members }: { of?: Of | undefined; members: NodesAsk['members'] }): Drafted {
  const node = { name: 'any', cpu: '1', memory: '1Gi', slots: '', disk: '', most: '', price: '' };
  const read = readNodesAsk({ members, nodes: [node], zones: '1', by: 'nodes' });
  return 'faults' in read ? 'Something in its rows can not be read.' : drafted(putNodes(facts, of, members));
}

/** A workload's sets with their claims in another class; or why that can't be. */
export const classDraftView = ({ facts }: Scene, { of, from, to }: { of: Of; from: string; to: string }): Drafted =>
  drafted(putClass(facts, of, from, to));
