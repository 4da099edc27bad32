import type { CalcId } from '$core/sizing';
import type { draftRepository } from '../repositories/drafts';
import type { sizingRepository } from '../repositories/sizings';
import { done, notFound, refused } from './answer';
import type { RehearsalService } from './rehearsals';

interface Of {
  readonly namespace: string;
  readonly name: string;
}

/** Sizings: what is kept by name, and what goes into drafts. */
export const sizings = ({
  rehearsals,
  drafts,
  kept
}: {
  readonly rehearsals: RehearsalService;
  readonly drafts: ReturnType<typeof draftRepository>;
  readonly kept: ReturnType<typeof sizingRepository>;
}) => ({
  /** What is kept for a rehearsal's cluster, each with what of it stands otherwise by now. */
  async keptSizings(id: string) {
    const all = await kept.of(id.split('~')[0]!);
    const moved = await rehearsals.ask(id, 'sizingMoved', { kept: all });
    if (!moved.ok) return moved;
    const at = new Map(moved.value.map((one) => [one.id, one]));
    return done(
      all.map((one) => ({ ...one, of: one.of ?? null, taken: one.taken ?? null, moved: at.get(one.id)!.moved, gone: at.get(one.id)!.gone }))
    );
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
  async draftSizing(id: string, ask: { calc: CalcId; of: Of; written: Record<string, string> }) {
    const found = await rehearsals.ask(id, 'sizingDraft', ask);
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
    return done({
      cluster,
      id: await drafts.add(cluster, found.value.title.slice(0, 100), [{ name: 'draft.yaml', text: found.value.yaml }])
    });
  }
});
