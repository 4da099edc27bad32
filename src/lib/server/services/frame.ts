import { version } from '../../../../package.json';
import type { App } from './app';
import { done, notFound, refused, type Answer } from './answer';

/**
 * What the frame shows of a rehearsal: its clock, the levels and the tape, all of one moment. `loadedAt` is the number of the latest
 * live event when it was made: nothing that was told up to there is missing from it.
 */
export async function frameOf(app: App, id: string) {
  const loadedAt = app.bus.latestId;
  const state = await app.rehearsals.state(id);
  if (!state.ok) return state;
  const cluster = await app.clusters.head(state.value.cluster);
  const kept = await app.keptProofs(id);
  const stack = await app.rehearsals.ask(id, 'stack', { proofs: kept.ok ? kept.value : [] });
  const tape = await app.rehearsals.ask(id, 'tape', {});
  if (!cluster || !stack.ok || !tape.ok) return refused(notFound(`The rehearsal ${id}`));
  // The clock may have gone on between the questions; what stands beside it is never newer than the next event tells.
  const rehearsals = (await app.rehearsals.all()).filter((one) => one.cluster === cluster.name);
  return done({
    id,
    version,
    loadedAt,
    rehearsal: state.value,
    clock: state.value.clock,
    cluster: { name: cluster.name, flag: cluster.flag, note: cluster.note, kind: cluster.kind },
    stack: stack.value,
    tape: tape.value,
    rehearsals: rehearsals.map((one) => ({ id: one.id, fork: one.fork })),
    drafts: (await app.drafts.of(cluster.name)).length,
    /** How many rehearsals have one clock with this one, itself among them. */
    kin: app.rehearsals.kinOf(id).length,
    /** Drills that came out worse than expected. */
    worse: await app.drills.worse(id, state.value.clock.nowMs),
    fault: app.rehearsals.brokenWhy(id) ?? null,
    /** Why nothing can be kept just now. */
    unkept: unkeptWords(app)
  });
}

function unkeptWords(app: App): string | null {
  const fault = app.dataFault();
  return fault ? `${fault.message} ${fault.remedy}` : null;
}

export type FrameData = (Awaited<ReturnType<typeof frameOf>> & Answer<unknown> & { ok: true })['value'];
