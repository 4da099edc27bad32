import type { draftRepository } from '../repositories/drafts';
import type { CardWish } from '../views/cards';
import { done, refused } from './answer';
import type { RehearsalService } from './rehearsals';

/** What is supposed of programs and drivers that don't ship. */
export const cards = ({
  rehearsals,
  drafts
}: {
  readonly rehearsals: RehearsalService;
  readonly drafts: ReturnType<typeof draftRepository>;
}) => ({
  /** Puts a card as it is wanted into a draft of its cluster; what can't count there is refused. */
  async draftCard(id: string, wish: CardWish) {
    const found = await rehearsals.ask(id, 'card', wish);
    if (!found.ok) return found;
    if (found.value.fault)
      return refused({
        code: 'bad-value',
        status: 422,
        title: 'This can not be supposed',
        detail: `${found.value.fault.field}: ${found.value.fault.message}.`,
        remedy: found.value.fault.remedy
      });
    const { title, yaml } = found.value;
    const cluster = id.split('~')[0]!;
    return done({ cluster, id: await drafts.add(cluster, title.slice(0, 100), [{ name: 'draft.yaml', text: yaml }]) });
  }
});
