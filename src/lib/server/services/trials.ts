import { done, notFound, refused, type Answer } from './answer';
import type { trialRepository, KeptTrial } from '../repositories/trials';
import type { RehearsalService } from './rehearsals';

type Trials = ReturnType<typeof trialRepository>;

/** Trials of classes: on a fork of the moment, or repeated on the rehearsal itself. */
export class TrialService {
  constructor(
    private readonly rehearsals: RehearsalService,
    private readonly trials: Trials
  ) {}

  /**
   * Tries a class. It is always tried on a fork first; on the trunk the same actions are then repeated at the same moments, which leads
   * to the same outcome, because nothing but the actions decides it.
   */
  async run(id: string, name: string, where: KeptTrial['where'], revision?: number): Promise<Answer<KeptTrial>> {
    const old = await this.rehearsals.staleFor(id, revision);
    if (old) return refused(old);
    const tried = await this.rehearsals.ask(id, 'tryOut', { class: name });
    if (!tried.ok) return tried;
    if (!tried.value) return refused(notFound(`StorageClass ${name}`));
    if (where === 'trunk') {
      for (const { atMs, action } of tried.value.actions) {
        const moved = await this.rehearsals.move(id, { untilMs: atMs });
        if (!moved.ok) return moved;
        const acted = await this.rehearsals.act(id, action);
        if (!acted.ok) return acted;
      }
      await this.rehearsals.move(id, { untilMs: tried.value.untilMs });
    }
    await this.trials.add(id, tried.value, where);
    const { actions: _, ...trial } = tried.value;
    return done({ ...trial, where });
  }

  /** The latest trial of each class at the clock's head. */
  async latest(id: string): Promise<Answer<KeptTrial[]>> {
    const state = await this.rehearsals.state(id);
    return state.ok ? done(await this.trials.latest(id, state.value.clock.nowMs)) : state;
  }
}
