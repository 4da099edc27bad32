import { changeSheet } from '$core/change';
import { forCluster } from '$core/drafts';
import { fitOf, fitRows, mendedBy, needsOf, type ClassTraits, type FitSquare, type Must, type Needs } from '$core/fit';
import { readWritten } from '$core/manifest';
import { refOf, type ApiObject } from '$core/model';
import { lineSentence, rootLine } from '$core/rootline';
import { wordsOf } from '$core/shared';
import type { World } from '$core/standin';
import { tablesOf, type DraftText } from '../rehearsals/drafting';
import type { Scene } from './scene';

/** What classes must do, by the place where manifests name one; '' for the default class. */
export type NeededTraits = Readonly<Record<string, ClassTraits>>;

function objectsFor(files: readonly DraftText[], cluster: string): { objects: ApiObject[]; problems: readonly { message: string }[] } {
  const { texts, rows, problems } = tablesOf(files);
  const read = forCluster(readWritten(texts), rows, cluster);
  return { objects: read.objects.map((one) => one.object), problems: [...problems, ...read.problems] };
}

/** What manifests need of any cluster, told from the one that they were written for. */
export function fitNeedsView(
  { facts }: Scene,
  { files, cluster, must }: { files: readonly DraftText[]; cluster: string; must: Readonly<Record<string, Must>> }
) {
  const { objects, problems } = objectsFor(files, cluster);
  const needs = needsOf(facts, objects, must);
  const traits: Record<string, ClassTraits> = {};
  for (const one of needs.claims) {
    if (!one.traits) continue;
    for (const place of one.places) traits[place] = one.traits;
    if (!one.places.length) traits[''] = one.traits;
  }
  return {
    problems: problems.map((one) => one.message),
    rows: fitRows(needs, objects),
    traits,
    classes: needs.claims.map(({ className, many, traits: known }) => ({ className, many, traits: known ?? null }))
  };
}

/** Sends them on a fork and runs until nothing is under way: how many members come up, or what the first break is. */
function rehearsed(world: World, objects: readonly ApiObject[]) {
  const fromMs = world.nowMs;
  const refusals = world.act({ type: 'send', objects });
  if (refusals.length) return { state: 'broken' as const, ready: 0, wanted: 0, tookMs: 0, says: refusals[0]!.message.replace(/\.$/, '') };
  const lastMs = fromMs + longestMs;
  while (!world.settled && world.nextMs !== undefined && world.nextMs <= lastMs) world.runUntil(world.nextMs);
  const makers = objects.flatMap((one) => {
    const kind = one.kind === 'DocumentSet' || one.kind === 'MemoryCluster' ? 'StatefulSet' : one.kind;
    if (kind !== 'StatefulSet' && kind !== 'Deployment') return [];
    const { name, namespace = 'default' } = one.metadata;
    const wanted =
      one.kind === 'DocumentSet'
        ? one.spec.members
        : one.kind === 'MemoryCluster'
          ? one.spec.nodes
          : one.kind === 'StatefulSet' || one.kind === 'Deployment'
            ? (one.spec.replicas ?? 1)
            : 0;
    return [
      {
        ref: { kind, namespace, name } as const,
        of: refOf(one),
        wanted,
        ready: world.store.get(kind, namespace, name)?.status?.readyReplicas ?? 0
      }
    ];
  });
  const sum = (of: (one: (typeof makers)[number]) => number) => makers.reduce((all, one) => all + of(one), 0);
  const [ready, wanted, tookMs] = [sum((one) => one.ready), sum((one) => one.wanted), world.nowMs - fromMs];
  const late = makers.find((one) => one.ready < one.wanted);
  if (!late)
    return {
      state: 'holds' as const,
      ready,
      wanted,
      tookMs,
      says: wanted ? `${ready} of ${wanted} ready after ${wordsOf(tookMs)}` : 'taken; it runs no members'
    };
  const line = rootLine(world.store, late.of) ?? rootLine(world.store, late.ref);
  return {
    state: 'broken' as const,
    ready,
    wanted,
    tookMs,
    says: `${ready} of ${wanted} ready; ${line ? lineSentence(line) : `${late.ref.name} waits.`}`.replace(/\.$/, '')
  };
}
/** No longer than this is waited for members on the fork (ms). */
const longestMs = 1_800_000;

interface FitAsk {
  readonly files: readonly DraftText[];
  /** The cluster that is looked at. */
  readonly cluster: string;
  readonly traits: NeededTraits;
  readonly tried: boolean;
}

/** How a draft fits one cluster, row by row, and what sending it there would do, with the values that mend it taken as given. */
export function fitView(scene: Scene, { files, cluster, traits, tried }: FitAsk) {
  const { facts } = scene;
  const { objects, problems } = objectsFor(files, cluster);
  const own = needsOf(facts, objects);
  const needs: Needs = {
    ...own,
    claims: own.claims.map((one) => ({ ...one, traits: traits[one.places[0] ?? ''] ?? traits[''] ?? one.traits }))
  };
  const squares: FitSquare[] = fitOf(facts, needs, objects);
  const mended = mendedBy(objects, squares);
  const sheet = problems.length || !mended.length ? undefined : changeSheet(facts, mended);
  return {
    cluster,
    problems: problems.map((one) => one.message),
    rows: fitRows(needs, objects),
    squares,
    sheet: sheet
      ? {
          new: sheet.new.length,
          altered: sheet.altered.length,
          untouched: sheet.untouched.length,
          lost: sheet.lost.map((one) => `${one.ref.kind} ${one.ref.name}: ${one.says}`),
          refused: sheet.refused.map((one) => one.says)
        }
      : null,
    tried: tried && sheet && facts.knowsProvider && !sheet.refused.length ? rehearsed(scene.fork(), mended) : null
  };
}
