import { asManifest, writeManifests } from '$core/manifest';
import type { ApiObject } from '$core/model';
import { workloadNamed } from '$core/proofs';
import { plural, quantityOf } from '$core/shared';
import { calculationNamed, calculations, shown, sizedBy, taken, takenOf, type CalcId, type Sized } from '$core/sizing';
import { enginePartOf } from '$core/standin';
import { grownSet } from './claims';
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
    taken: takenOf(id),
    puts: puts[id] !== undefined
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
export function takenView({ facts }: Scene, { calc, of }: { calc: CalcId; of?: Of | undefined }) {
  const found = taken(facts, calc, of);
  return typeof found === 'string' ? { written: null, says: found } : { written: found.written, says: found.not };
}

/** What of kept sizings stands otherwise by now: slot by slot, what was taken and what would be. */
export const movedView = (
  scene: Scene,
  { kept }: { kept: readonly { id: number; calc: string; of?: Of | undefined; taken?: Written | undefined }[] }
) =>
  kept.map(({ id, calc: name, of, taken: then }) => {
    if (name === 'nodes' && then) return { id, ...movedNodes(scene, of, then) };
    const calc = calculationNamed(name);
    if (!calc || !then) return { id, moved: [], gone: '' };
    const now = taken(scene.facts, calc.id, of);
    if (typeof now === 'string') return { id, moved: [], gone: now };
    const moved = calc.slots.flatMap((slot) => {
      const [was, is] = [then[slot.id], now.written[slot.id]];
      return was !== undefined && is !== undefined && was !== is ? [{ slot: slot.id, label: slot.label, was, is }] : [];
    });
    return { id, moved, gone: '' };
  });

const value = (sized: Sized, id: string): number => sized.figures.find((one) => one.id === id)?.value ?? NaN;
const gib = 2 ** 30;
const inGib = (bytes: number): string => quantityOf(Math.ceil(bytes / gib) * gib);

interface Put {
  readonly objects: readonly ApiObject[];
  readonly title: string;
}

const setsOf = ({ facts }: Scene, of: Of, part?: string) =>
  (workloadNamed(facts, of.namespace, of.name)?.sets ?? []).filter(
    (one) => one.spec.volumeClaimTemplates?.length && (part === undefined || enginePartOf(one.spec.template)?.part === part)
  );

/** What of an answer can be written back as manifests; a text says why it can't be here. */
const puts: Readonly<Partial<Record<CalcId, (scene: Scene, of: Of, sized: Sized) => Put | string>>> = {
  spread(scene, of, sized) {
    const wanted = value(sized, 'fewest');
    if (!Number.isFinite(wanted)) return 'no number of members survives that';
    const [set] = workloadNamed(scene.facts, of.namespace, of.name)?.sets ?? [];
    if (!set) return `there is no stateful set of ${of.name}`;
    if (set.metadata.ownerReferences?.length) return `an operator keeps ${of.name}: ask for members in its resource`;
    if (set.spec.replicas === wanted) return `as many members has ${of.name} already: ${wanted}`;
    return {
      objects: [asManifest({ ...set, spec: { ...set.spec, replicas: wanted } })],
      title: `${of.name} with ${plural(wanted, 'member')}`
    };
  },
  broker(scene, of, sized) {
    const [set] = setsOf(scene, of, 'broker');
    if (!set) return `there are no brokers with claims in ${of.name}`;
    const templates = set.spec.volumeClaimTemplates!.map((one) => one.metadata.name);
    const size = inGib(value(sized, 'disk') / templates.length);
    return { objects: grownSet(scene.facts, set, new Map(templates.map((one) => [one, size]))), title: `claims of ${of.name} to ${size}` };
  },
  fill(scene, of, sized) {
    const [set] = setsOf(scene, of);
    if (!set) return `there are no claims of a set in ${of.name}`;
    const [template] = set.spec.volumeClaimTemplates!;
    const size = inGib(value(sized, 'next'));
    return { objects: grownSet(scene.facts, set, new Map([[template!.metadata.name, size]])), title: `claims of ${of.name} to ${size}` };
  }
};

/** The answer of a calculation as manifests for the workload that it is about; or why it can't be. */
export function sizingDraftView(scene: Scene, { calc: id, of, written }: { calc: CalcId; of: Of; written: Written }) {
  const put = puts[id];
  if (!put) return 'Nothing of this calculation is written in manifests.';
  const sized = sizedBy(calculationNamed(id)!, written);
  if ('faults' in sized) return 'Something in its slots can not be read.';
  const found = put(scene, of, sized);
  return typeof found === 'string'
    ? `${found[0]!.toUpperCase()}${found.slice(1)}.`
    : { yaml: writeManifests(found.objects), title: found.title };
}
