import { bytesOf, type Difference } from '../shared';
import { entryOf, memberClaim, ordinalsOf, type ApiObject, type Facts, type Ref, type StatefulSet } from '../model';
import { notPlayed, plan, type NotPlayed, type Verdict } from '../standin';
import { clearedLoss, followedLoss, laterLoss, opened, restoredLoss, scaledLoss } from './effects';
import { rewrittenKeyLoss } from './keys';
import { operated, restarts } from './restarts';
import type { ChangeSheet, SendStep, WayRound } from './types';

const shown = (value: unknown): string => {
  if (value === undefined) return 'nothing';
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > 100 ? `${text.slice(0, 97)}...` : text;
};

/** Fields whose values never appear on a sheet. */
const covered = (ref: Ref, { field }: Difference): boolean => ref.kind === 'Secret' && /^(data|stringData)/.test(field);

const changeWords = (ref: Ref, one: Difference): string =>
  covered(ref, one) ? `${one.field} changes (covered)` : `${one.field} ${shown(one.before)} → ${shown(one.after)}`;

function safeFields(ref: Ref, fields: readonly Difference[]): Difference[] {
  return fields.map((one) => (covered(ref, one) ? { field: one.field, before: '(covered)', after: '(covered)' } : one));
}

const waits: Partial<Record<ApiObject['kind'], string>> = {
  DaemonSet: 'until it is ready on every node, normally 10–60 s each',
  Deployment: 'until its pods are ready, normally 10–60 s',
  StatefulSet: 'until its members are ready, one after the other'
};

function orderOf(verdicts: readonly Verdict[]): SendStep[] {
  const steps: { kind: string; refs: Ref[] }[] = [];
  for (const { ref, outcome } of verdicts) {
    if (outcome === 'untouched' || outcome === 'refused') continue;
    const last = steps.at(-1);
    if (last?.kind === ref.kind) last.refs.push(ref);
    else steps.push({ kind: ref.kind, refs: [ref] });
  }
  return steps.map(({ kind, refs }) => {
    const then = waits[kind as ApiObject['kind']];
    return { refs, ...(then ? { then } : {}) };
  });
}

/** Claims of a set that are smaller than its new template asks for. */
function smallerClaims(facts: Facts, set: StatefulSet, objects: readonly ApiObject[]): string[] {
  const sent = new Set(objects.flatMap((one) => (one.kind === 'PersistentVolumeClaim' ? [one.metadata.name] : [])));
  return (set.spec.volumeClaimTemplates ?? []).flatMap((template) =>
    ordinalsOf(set).flatMap((ordinal) => {
      const name = memberClaim(template.metadata.name, set, ordinal);
      const claim = facts.get('PersistentVolumeClaim', set.metadata.namespace ?? '', name);
      const small = claim && bytesOf(claim.spec.resources.requests.storage) < bytesOf(template.spec.resources.requests.storage);
      return small && !sent.has(name) ? [name] : [];
    })
  );
}

/** The way round for sets that are refused only because something immutable changes. */
function wayRound(facts: Facts, verdicts: readonly Verdict[], objects: readonly ApiObject[]): WayRound | undefined {
  const replace = verdicts
    .filter(({ ref, refusals }) => ref.kind === 'StatefulSet' && refusals.length && refusals.every((one) => one.code === 'immutable-field'))
    .map((one) => one.ref);
  if (!replace.length) return undefined;
  const again = plan(facts, objects, replace);
  const names = replace.map((one) => one.name).join(', ');
  const claims = again.filter((one) => one.ref.kind === 'PersistentVolumeClaim' && one.outcome === 'altered').map((one) => one.ref.name);
  const sets = objects.filter(
    (one): one is StatefulSet => one.kind === 'StatefulSet' && replace.some((two) => two.name === one.metadata.name)
  );
  const small = sets.flatMap((one) => smallerClaims(facts, one, objects));
  return {
    replace,
    steps: [
      claims.length
        ? `Grow ${claims.join(', ')}; the members run on.`
        : small.length
          ? `The claims ${small.join(', ')} keep their size: put them into the draft too if they are to grow.`
          : 'No claim has to grow.',
      `Take ${names} away, but keep its members: they run on, owned by nobody.`,
      `Send ${names} anew with what is changed; it takes its members over, and nobody restarts unless the pod template changed.`
    ],
    refused: again.flatMap((one) => one.refusals)
  };
}

/** What a ground makes at the start and never again. */
const madeOnce = /^spec\.(groups|registries|backends|identities|firstClass|podRange|nodeRange)\b/;

/** Fields that count where an object is made, and that nothing follows from when they change. */
function unfollowed(before: ApiObject, fields: readonly Difference[]): NotPlayed[] {
  const of = (pattern: RegExp, says: string) => fields.flatMap(({ field }) => (pattern.test(field) ? [{ field, says }] : []));
  if (before.kind === 'Pod') return of(/\.image$/, 'the pod runs on with the image that it was started with');
  if (before.kind === 'Ground')
    return of(madeOnce, 'what follows from it was made at the start: send the Node, Registry, Backend, Identity or StorageClass itself');
  return [];
}

/** Makes the change sheet of a batch of objects against a cluster. Nothing is written. */
export function changeSheet(facts: Facts, objects: readonly ApiObject[], replace: readonly Ref[] = []): ChangeSheet {
  const verdicts = plan(facts, objects, replace);
  const of = (outcome: Verdict['outcome']) => verdicts.filter((one) => one.outcome === outcome);
  const round = wayRound(facts, verdicts, objects);
  const effects = verdicts.map((one) => restarts(facts, one));
  return {
    nowMs: facts.nowMs,
    new: [...of('new'), ...of('held')].map(({ ref, waitsFor }) => ({
      ref,
      says: waitsFor
        ? `waits for ${waitsFor} to be ready, then is sent again by itself`
        : entryOf(ref.kind).namespaced
          ? `in ${ref.namespace}`
          : 'for the whole cluster'
    })),
    altered: [...of('altered'), ...of('replaced')].map(({ ref, fields }) => ({
      ref,
      says: fields.map((one) => changeWords(ref, one)).join('; '),
      fields: safeFields(ref, fields)
    })),
    refused: of('refused').flatMap(({ ref, refusals }) => refusals.map((refusal) => ({ ref, says: refusal.message, refusal }))),
    restarted: effects.flatMap((one) => one.restarted),
    lost: [
      ...effects.flatMap((one) => one.lost),
      ...verdicts.flatMap((one) => [
        ...scaledLoss(facts, operated(facts, one) ?? one),
        ...clearedLoss(one),
        ...restoredLoss(one),
        ...followedLoss(facts, one),
        ...rewrittenKeyLoss(facts, one)
      ])
    ],
    later: [...effects.flatMap((one) => one.later), ...verdicts.flatMap(laterLoss)],
    opened: verdicts.flatMap(opened),
    ...(round ? { wayRound: round } : {}),
    notPlayed: [...of('new'), ...of('altered'), ...of('replaced')].flatMap(({ ref, before, after, fields: differ }) => {
      const fields = [...(before ? unfollowed(before, differ) : []), ...(after ? notPlayed(after, facts) : [])];
      return fields.length ? [{ ref, fields }] : [];
    }),
    untouched: of('untouched').map(({ ref }) => ({ ref, says: 'as it is' })),
    order: orderOf(verdicts)
  };
}
