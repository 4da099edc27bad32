import type { Draft, DraftFile, draftRepository } from '../repositories/drafts';
import type { Ref } from '$core/model';
import { done, notFound, refused, type Answer, type Refusal } from './answer';
import type { RehearsalService } from './rehearsals';

type Store = ReturnType<typeof draftRepository>;

const gone = (id: number) => notFound(`The draft ${id}`, 'It may have been thrown away.');

/** Somebody else has written meanwhile: what stands now goes along, so that the two can be laid beside each other. */
const staleDraft = (seen: number, current: Draft): Refusal => ({
  code: 'stale-draft',
  status: 409,
  title: 'Somebody else has changed this draft',
  detail: `You saw revision ${seen} of "${current.name}"; it is at ${current.revision} now.`,
  remedy: 'Lay the two beside each other, take over what you want of each, and keep that. What you wrote is not lost.',
  current
});

/** What has become of what a draft sent. */
export interface Sent {
  readonly rehearsal: string;
  readonly atMs: number;
  readonly at: string;
  /** Whether the draft says something else now than it did then. */
  readonly changedSince: boolean;
  /** What stands otherwise there now than it was sent; null where the rehearsal is gone. */
  readonly drift: readonly { readonly object: string; readonly says: string }[] | null;
}

/** What can be done with drafts beyond keeping them. */
export class DraftService {
  constructor(
    private readonly store: Store,
    private readonly rehearsals: RehearsalService
  ) {}

  private readonly queues = new Map<number, Promise<unknown>>();

  /** One after the other, per draft, on the draft as it stands then; refused where its revision isn't the one that was seen. */
  private async onDraft<T>(id: number, seen: number | undefined, work: (draft: Draft) => Promise<Answer<T>>): Promise<Answer<T>> {
    const mine = (this.queues.get(id) ?? Promise.resolve()).then(async (): Promise<Answer<T>> => {
      const draft = await this.store.find(id);
      if (!draft) return refused(gone(id));
      return seen !== undefined && seen !== draft.revision ? refused(staleDraft(seen, draft)) : work(draft);
    });
    const settled = mine.catch(() => undefined);
    this.queues.set(id, settled);
    void settled.then(() => this.queues.get(id) === settled && this.queues.delete(id));
    return mine;
  }

  /** Keeps what was written. */
  keep = (id: number, change: Parameters<Store['keep']>[1], seen: number | undefined): Promise<Answer<Draft>> =>
    this.onDraft(id, seen, async (draft) => {
      await this.store.keep(draft, change);
      const kept = await this.store.find(id);
      return kept ? done(kept) : refused(gone(id));
    });

  remove = (id: number, seen: number | undefined): Promise<Answer<{ id: number }>> =>
    this.onDraft(id, seen, async () => {
      await this.store.remove(id);
      return done({ id });
    });

  step = (id: number, to: 'undo' | 'redo', seen: number | undefined): Promise<Answer<Draft>> =>
    this.onDraft(id, seen, async (draft) => {
      const stepped = await this.store.step(draft, to);
      if (stepped) return done(stepped);
      return refused<Draft>({
        code: 'no-such-state',
        status: 409,
        title: to === 'undo' ? 'Nothing to take back' : 'Nothing to do again',
        detail: to === 'undo' ? 'This is the first state that is kept of the draft.' : 'This is the latest state of the draft.',
        remedy: 'The list of states shows what is kept.'
      });
    });

  /** Sends a draft as it is kept. What loses data needs the cluster's name. */
  async send(
    id: number,
    target: string,
    { replace = [], confirm, revision }: { replace?: readonly Ref[]; confirm?: string | undefined; revision?: number | undefined }
  ) {
    const draft = await this.store.find(id);
    if (!draft) return refused(gone(id));
    const state = await this.rehearsals.state(target);
    if (!state.ok) return state;
    const read = await this.rehearsals.readFiles(draft.files, state.value.cluster);
    if (!read.ok) return read;
    const loss = await this.rehearsals.lossGuard(target, read.value, replace, confirm);
    if (loss) return refused<never>(loss);
    const sent = await this.rehearsals.send(target, read.value, revision, replace);
    if (sent.ok) await this.store.addSent(id, target, sent.value.nowMs, draft.files);
    return sent;
  }

  /** Where a draft was sent, newest first, and what has drifted there since. */
  async sent(id: number): Promise<Answer<Sent[]>> {
    const draft = await this.store.find(id);
    if (!draft) return refused(gone(id));
    const latest = new Map<string, Awaited<ReturnType<Store['sent']>>[number]>();
    for (const one of await this.store.sent(id)) if (!latest.has(one.rehearsal)) latest.set(one.rehearsal, one);
    const now = JSON.stringify(draft.files);
    return done(
      await Promise.all(
        [...latest.values()].map(async ({ rehearsal, atMs, at, files }) => ({
          rehearsal,
          atMs,
          at,
          changedSince: JSON.stringify(files) !== now,
          drift: await this.driftOf(rehearsal, files)
        }))
      )
    );
  }

  private async driftOf(rehearsal: string, files: readonly DraftFile[]): Promise<Sent['drift']> {
    const looked = await this.rehearsals.look(rehearsal, files, { sheet: true });
    if (!looked.ok || !looked.value.sheet) return null;
    const { new: missing, altered, refused: other } = looked.value.sheet;
    const key = ({ kind, namespace, name }: Ref) => `${kind} ${namespace ? `${namespace}/` : ''}${name}`;
    return [
      ...missing.map((one) => ({ object: key(one.ref), says: 'is no longer there' })),
      ...altered.map((one) => ({
        object: key(one.ref),
        says: (one.fields ?? []).map((two) => two.field).join(', ') + ' was changed there'
      })),
      ...other.map((one) => ({ object: key(one.ref), says: one.says }))
    ];
  }
}
