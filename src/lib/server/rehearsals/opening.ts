import { engineVersion, type TimedAction, type World } from '$core/standin';
import type { Opening } from './clock';
import { unpackActions } from './kept-action';
import type { Slices } from './slices';
import { unpackWorld } from './snapshot';
import { kinOf, rebuilt, rebuiltEstate, stageOf, type Stage } from './standing';

/** Whether a snapshot holds the first of some actions, and nothing that isn't known by then. */
const fits = (snapshot: NonNullable<Opening['snapshot']>, actions: readonly TimedAction[], frontierMs: number): boolean => {
  const next = actions[snapshot.actions];
  return (
    snapshot.engine === engineVersion &&
    snapshot.actions <= actions.length &&
    snapshot.atMs <= frontierMs &&
    (!next || snapshot.atMs <= next.atMs)
  );
};

/** Stands a rehearsal up, from its snapshot where that fits, else from its actions. */
export async function stoodUp(
  slices: Slices,
  { id, origin, actions: given, headMs, frontierMs, snapshot, broken: told }: Opening
): Promise<Stage> {
  const actions = unpackActions(given);
  let [world, from, broken] = [undefined as World | undefined, 0, told];
  if (snapshot && fits(snapshot, actions, frontierMs))
    try {
      [world, from] = [await unpackWorld(origin.seed, snapshot.bytes), snapshot.actions];
    } catch {
      // A snapshot is a cache: without it the world is rebuilt.
      [world, from] = [undefined, 0];
    }
  const built = await rebuilt(slices, {
    origin,
    actions,
    untilMs: told ? Math.min(frontierMs, Math.max(told.untilMs ?? 0, actions.at(-1)?.atMs ?? 0)) : frontierMs,
    begun: world,
    from
  });
  broken = built.broken ?? broken;
  return stageOf(id, origin, broken ? actions.slice(0, broken.after) : actions, built.world, headMs, broken);
}

/** The same for rehearsals that have one clock: they stand up together, or stop together where one of them does. */
export async function stoodUpTogether(slices: Slices, openings: readonly Opening[]): Promise<readonly Stage[]> {
  const all = openings.map((one) => ({ ...one, cluster: one.id.split('~')[0]!, actions: unpackActions(one.actions) }));
  // What is damaged in one of them ends all of them there.
  const damaged = all.find((one) => one.broken);
  const lastMs = damaged ? Math.max(damaged.broken!.untilMs ?? 0, damaged.actions.at(-1)?.atMs ?? 0) : Infinity;
  for (const one of all) one.actions = one.actions.filter(({ atMs }) => atMs <= lastMs);
  const untilMs = Math.min(lastMs, Math.max(...all.map((one) => one.frontierMs)));
  const begun = await begunAll(all, untilMs);
  const built = await rebuiltEstate(
    slices,
    all.map(({ cluster, origin, actions, snapshot }, i) => ({
      cluster,
      origin,
      actions,
      ...(begun ? { begun: begun[i]!, from: snapshot!.actions } : {})
    })),
    untilMs
  );
  const why = built.broken?.why ?? (damaged ? `in ${damaged.cluster}, ${damaged.broken!.why}` : undefined);
  const headMs = Math.min(all[0]!.headMs, built.estate.nowMs);
  const stages = all.map(({ id, cluster, origin, actions }) => {
    const after = built.broken?.after.get(cluster) ?? actions.length;
    const broken = why === undefined ? undefined : { after, why };
    return stageOf(id, origin, actions.slice(0, after), built.estate.world(cluster)!, headMs, broken);
  });
  return kinOf(stages);
}

/** Their worlds out of their snapshots, where those fit and are of one moment. */
async function begunAll(all: readonly (Opening & { actions: readonly TimedAction[] })[], untilMs: number): Promise<World[] | undefined> {
  const atMs = all[0]!.snapshot?.atMs;
  if (!all.every(({ snapshot, actions }) => snapshot && snapshot.atMs === atMs && fits(snapshot, actions, untilMs))) return undefined;
  try {
    const worlds: World[] = [];
    for (const { origin, snapshot } of all) worlds.push(await unpackWorld(origin.seed, snapshot!.bytes));
    return worlds;
  } catch {
    return undefined;
  }
}
