import type { Queries } from '../views';
import { done, refused, type Refusal } from './answer';
import type { draftRepository } from '../repositories/drafts';
import { drawn } from './drawn';
import type { RehearsalService } from './rehearsals';

/** More keys than the secrets of one workload have; made up. */
const mostKeys = 64;

const noMove = (detail: string): Refusal => ({
  code: 'bad-value',
  status: 422,
  title: 'It can not go that way',
  detail,
  remedy: 'GET /api/v1/rehearsals/{id}/moves says which ways there are.'
});

/** Moving workloads to linked clusters. */
export const moves = ({
  rehearsals,
  drafts
}: {
  readonly rehearsals: RehearsalService;
  readonly drafts: ReturnType<typeof draftRepository>;
}) => ({
  /** Carries a move out on a fork that is thrown away. */
  async tryMove(id: string, ask: Omit<Parameters<Queries['moveTry']>[1], 'secrets'>) {
    const found = await rehearsals.ask(id, 'moveTry', { ...ask, secrets: drawn(mostKeys) });
    if (!found.ok) return found;
    return found.value.tried ? done(found.value.tried) : refused(noMove(found.value.says));
  },
  /** Puts what one step of a move sends into a draft of the cluster that it goes to, with secret values drawn now. */
  async draftMove(id: string, ask: Omit<Parameters<Queries['moveStep']>[1], 'secrets'>) {
    const found = await rehearsals.ask(id, 'moveStep', { ...ask, secrets: drawn(mostKeys) });
    if (!found.ok) return found;
    if (typeof found.value === 'string') return refused(noMove(found.value));
    const { cluster, title, yaml } = found.value;
    return done({ cluster, id: await drafts.add(cluster, title, [{ name: 'draft.yaml', text: yaml }]) });
  }
});
