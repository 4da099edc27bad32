import type { CalcId, NodesAsk, Tried } from '$core/sizing';
import type { draftRepository } from '../repositories/drafts';
import type { sizingRepository } from '../repositories/sizings';
import { done, notFound, refused, type Answer } from './answer';
import type { DrillService } from './drills';
import type { RehearsalService } from './rehearsals';

interface Of {
  readonly namespace: string;
  readonly name: string;
}

/** What drills that still hold measured, by workload; undefined where nothing can be asked. */
async function triedIn(drills: DrillService, id: string): Promise<((of: Of) => Tried) | undefined> {
  const all = await drills.kept(id);
  if (!all.ok) return undefined;
  return ({ namespace, name }) =>
    Object.fromEntries(
      all.value.flatMap(({ fault, measured, stale, ...one }) => {
        if (stale || one.namespace !== namespace || one.workload !== name) return [];
        const ms = fault === 'disk-dead' ? measured.healMs : fault === 'volume-lost' ? measured.wholeMs : undefined;
        return ms === undefined || ms === null ? [] : [[fault, ms]];
      })
    );
}

type Drafts = ReturnType<typeof draftRepository>;

async function drafted(drafts: Drafts, id: string, found: Answer<{ yaml: string; title: string; not: string } | string>) {
  if (!found.ok) return found;
  if (typeof found.value === 'string')
    return refused({
      code: 'bad-value',
      status: 422,
      title: 'This can not be written into a draft',
      detail: found.value,
      remedy: 'Change the slots, or choose another workload.'
    });
  const cluster = id.split('~')[0]!;
  const { title, yaml, not } = found.value;
  return done({ cluster, id: await drafts.add(cluster, title.slice(0, 100), [{ name: 'draft.yaml', text: yaml }]), not });
}

/** Sizings: what is kept by name, and what goes into drafts. */
export const sizings = ({
  rehearsals,
  drafts,
  drills,
  kept
}: {
  readonly rehearsals: RehearsalService;
  readonly drafts: Drafts;
  readonly drills: DrillService;
  readonly kept: ReturnType<typeof sizingRepository>;
}) => ({
  /** What is kept for a rehearsal's cluster, each with what of it stands otherwise by now. */
  async keptSizings(id: string) {
    const all = await kept.of(id.split('~')[0]!);
    const tried = all.some((one) => one.calc === 'durability') ? await triedIn(drills, id) : undefined;
    const moved = await rehearsals.ask(id, 'sizingMoved', {
      kept: all.map((one) => ({ ...one, ...(one.of && tried ? { tried: tried(one.of) } : {}) }))
    });
    if (!moved.ok) return moved;
    const at = new Map(moved.value.map((one) => [one.id, one]));
    return done(
      all.map((one) => ({ ...one, of: one.of ?? null, taken: one.taken ?? null, moved: at.get(one.id)!.moved, gone: at.get(one.id)!.gone }))
    );
  },
  /** Slots filled from what stands, and from what drills measured; or why they can't be. */
  async takenSizing(id: string, ask: { calc: CalcId; of?: Of | undefined }) {
    const tried = ask.calc === 'durability' && ask.of ? (await triedIn(drills, id))?.(ask.of) : undefined;
    return rehearsals.ask(id, 'sizingTaken', { ...ask, ...(tried ? { tried } : {}) });
  },
  /** Members and nodes as they stand; with what a month of nodes costs by a price list that is kept, where one is named. */
  async takenNodes(id: string, { of, list }: { of?: Of | undefined; list?: number | undefined }) {
    const prices =
      list === undefined ? undefined : (await kept.of(id.split('~')[0]!)).find((one) => one.id === list && one.calc === 'cost');
    if (list !== undefined && !prices) return refused(notFound('This price list', 'Look at those that are kept.'));
    return rehearsals.ask(id, 'sizingNodes', { of, prices: prices?.written.prices });
  },
  async keepSizing(
    id: string,
    {
      name,
      ...one
    }: {
      name: string;
      calc: CalcId | 'nodes' | 'cost';
      written: Record<string, string>;
      of?: Of | undefined;
      taken?: Record<string, string> | undefined;
    }
  ) {
    const state = await rehearsals.state(id);
    if (!state.ok) return state;
    const { calc, written, of, taken } = one;
    return done({ id: await kept.keep(id.split('~')[0]!, name, { calc, written, ...(of ? { of } : {}), ...(taken ? { taken } : {}) }) });
  },
  async dropSizing(id: string, sizing: number) {
    const state = await rehearsals.state(id);
    if (!state.ok) return state;
    return (await kept.drop(id.split('~')[0]!, sizing))
      ? done({ dropped: true })
      : refused(notFound('This sizing', 'Look at those that are kept.'));
  },
  /** Puts the answer of a calculation into a draft. */
  draftSizing: async (id: string, ask: { calc: CalcId; of?: Of | undefined; written: Record<string, string> }) =>
    drafted(drafts, id, await rehearsals.ask(id, 'sizingDraft', ask)),
  /** Puts counts and requests of members into a draft. */
  draftNodes: async (id: string, ask: { of?: Of | undefined; members: NodesAsk['members'] }) =>
    drafted(drafts, id, await rehearsals.ask(id, 'nodesDraft', ask)),
  /** Puts a workload's claims in another class into a draft. */
  draftClass: async (id: string, ask: { of: Of; from: string; to: string }) =>
    drafted(drafts, id, await rehearsals.ask(id, 'classDraft', ask))
});
