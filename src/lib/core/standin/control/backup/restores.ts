import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { digestOf, momentOf, stampOf } from '../../../shared';
import type { BackupPlan, BackupRun, Facts, Restore } from '../../../model';
import { tablesAfter, tablesOf, tablesSum, textOf } from '../../engines/tables';
import type { Op } from '../../engines/site';
import { splitKey, type ClusterAccess } from '../loop';
import { asked, carriedBytes, engineRunning, readJson, workloadRef, type Asked } from './asking';
import { carriedMs } from './pace';
import { doneOf, runsOf, type LogPiece } from './plans';
import { bucketFault, copyDocument, engineFault, type Broken, type CopyDocument } from './runs';

/** So long the workload that takes a copy is waited for; made up. */
const patienceMs = 900_000;

const logPiece = z.array(z.tuple([z.string(), z.string()]));
const logEntry = z.object({ atMs: z.number().optional(), op: z.looseObject({ do: z.string() }).optional() });

interface Hand {
  readonly run: string;
  readonly toMs: number;
  readonly pieces: readonly LogPiece[];
  /** Pieces that have been read. */
  readonly read: number;
  readonly copy?: CopyDocument;
  readonly text?: string;
  readonly position?: number;
  readonly dueMs?: number;
  readonly put?: boolean;
}

/** What a restore goes back with: the copy, the pieces of the log behind it, and the moment; or why it can't. */
export function restoreWay(
  facts: Facts,
  plan: BackupPlan,
  wish: { readonly run?: string; readonly toMs?: number }
):
  | { readonly run: BackupRun; readonly pieces: readonly LogPiece[]; readonly toMs: number }
  | { readonly says: string; readonly remedy: string } {
  const { name, namespace = '' } = plan.metadata;
  const done = doneOf(runsOf(facts, namespace, name));
  if (!done.length) return { says: `no copy of ${name} is done`, remedy: 'Run it first.' };
  const { pieces = [] } = plan.status ?? {};
  const withLog = plan.spec.how === 'copy-and-log';
  const named = wish.run === undefined ? undefined : done.find((one) => one.metadata.name === wish.run);
  if (wish.run !== undefined && !named) return { says: `${wish.run} is no copy of ${name} that is done`, remedy: 'Name one that is.' };
  const wanted =
    wish.toMs ?? (named ? named.momentMs : withLog ? Math.max(done.at(-1)!.momentMs, pieces.at(-1)?.toMs ?? 0) : done.at(-1)!.momentMs);
  const from = named ?? done.filter((one) => one.momentMs <= wanted).at(-1);
  if (!from)
    return { says: `the oldest copy shows ${stampOf(done[0]!.momentMs)}, which is later`, remedy: 'Go back no further than that.' };
  if (wanted < from.momentMs) return { says: `${from.metadata.name} shows a later moment`, remedy: 'Name an earlier copy, or none.' };
  if (!withLog || wanted === from.momentMs) return { run: from, pieces: [], toMs: from.momentMs };
  const chain: LogPiece[] = [];
  let [position, reached] = [from.status!.position ?? 0, from.momentMs];
  for (const one of pieces) {
    if (reached >= wanted) break;
    if (one.to < position || (one.to === position && one.toMs <= reached)) continue;
    if (one.from > position) break;
    chain.push(one);
    [position, reached] = [one.to, one.toMs];
  }
  return reached >= wanted
    ? { run: from, pieces: chain, toMs: wanted }
    : {
        says: `the log behind ${from.metadata.name} reaches to ${stampOf(reached)}`,
        remedy: 'Go back to a moment before that, or to a later copy.'
      };
}

function step(
  world: ClusterAccess,
  restore: Restore,
  name: string | undefined,
  more: Partial<NonNullable<Restore['status']>> = {}
): Restore {
  const steps = restore.status?.steps ?? [];
  const last = steps.at(-1);
  const closed = last && last.toMs === undefined && last.name !== name ? [...steps.slice(0, -1), { ...last, toMs: world.nowMs }] : steps;
  const next = name !== undefined && last?.name !== name ? [...closed, { name, fromMs: world.nowMs }] : closed;
  return world.put({ ...restore, status: { ...restore.status!, ...more, steps: next } });
}

function over(world: ClusterAccess, restore: Restore, key: string, more: Partial<NonNullable<Restore['status']>>): void {
  world.memory<Hand>('restoreHands').delete(key);
  world.end(key, 'carrying');
  step(world, restore, undefined, { ...more, endedMs: world.nowMs });
}

function fail(world: ClusterAccess, restore: Restore, key: string, { says, remedy, at }: Broken): void {
  world.event(restore, 'RestoreFailed', `${says}.`, 'Warning');
  over(world, restore, key, { phase: 'Failed', says, remedy, at: { ...at } });
}

/** Puts a copy back. */
export function reconcileRestore(world: ClusterAccess, key: string, id: string): void {
  const [namespace, name] = splitKey(id);
  const hands = world.memory<Hand>('restoreHands');
  let restore = world.store.get('Restore', namespace, name);
  if (!restore || restore.status?.phase === 'Done' || restore.status?.phase === 'Failed') {
    hands.delete(key);
    return;
  }
  const { spec } = restore;
  const here = { kind: 'Restore', namespace, name } as const;
  if (!restore.status)
    restore = world.put({ ...restore, status: { phase: 'Waiting' as const, says: `waits for ${spec.into}`, beganMs: world.nowMs } });
  const plan = world.store.get('BackupPlan', namespace, spec.plan);
  if (!plan)
    return fail(world, restore, key, {
      says: `there is no plan ${namespace}/${spec.plan}`,
      remedy: 'Name one that stands.',
      at: here
    });
  if (plan.spec.how === 'snapshots')
    return fail(world, restore, key, {
      says: 'snapshots come back as claims that are made from them, not through an engine',
      remedy: 'Make a workload whose claims have the snapshots as their source.',
      at: here
    });
  let hand = hands.get(key);
  if (!hand) {
    const way = restoreWay(world.store, plan, {
      ...(spec.run === undefined ? {} : { run: spec.run }),
      ...(spec.to === undefined ? {} : { toMs: momentOf(spec.to) })
    });
    if ('says' in way) return fail(world, restore, key, { ...way, at: here });
    const target = { ...plan, spec: { ...plan.spec, workload: spec.into } };
    const processes = world.store.list('Process', namespace).filter((one) => one.spec.workload === spec.into);
    const stands = processes.some((one) => one.status?.ready);
    if (!stands) {
      if (world.nowMs - restore.status!.beganMs < patienceMs) return world.after(5_000, key, true);
      return fail(world, restore, key, {
        says: `no member of ${spec.into} is ready after 15 min`,
        remedy: 'See its root line.',
        at: workloadRef(world.store, namespace, spec.into)
      });
    }
    const fault = engineFault(world.store, target) ?? bucketFault(world.store, plan);
    if (fault) return fail(world, restore, key, fault);
    hand = { run: way.run.metadata.name, toMs: way.toMs, pieces: way.pieces, read: 0 };
    hands.set(key, hand);
    restore = step(world, restore, 'reads the copy', { phase: 'Running', says: `reads ${hand.run}`, run: hand.run });
  }
  const next = (more: Partial<Hand>): Hand => {
    hand = { ...hand!, ...more };
    hands.set(key, hand);
    return hand;
  };
  const { namespace: at, store, bucket } = plan.spec.into!;
  const storeRef = workloadRef(world.store, at, store);
  const fetched = (nth: string, object: string): Asked | undefined =>
    asked(world, key, nth, { namespace: at, workload: store }, { do: 'fetch', place: bucket, key: object });
  const unread = (object: string, got: Asked): Broken => ({
    says: `${object} can't be read back: ${got.says ?? 'nobody answered'}`,
    remedy: 'See the root line of the store; where the object is gone, use another copy.',
    at: storeRef
  });
  if (hand.text === undefined) {
    const run = world.store.get('BackupRun', namespace, hand.run);
    const object = run?.status?.key;
    if (object === undefined) return fail(world, restore, key, { says: `the run ${hand.run} is gone`, remedy: 'Name another.', at: here });
    const got = fetched('copy', object);
    if (!got) return;
    const content = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || content === undefined) return fail(world, restore, key, unread(object, got));
    const copy = readJson(copyDocument, content);
    if (!copy)
      return fail(world, restore, key, {
        says: `${object} is no copy: somebody put something else there`,
        remedy: 'Use another copy.',
        at: storeRef
      });
    if (bytesToHex(digestOf(utf8ToBytes(copy.tables))) !== copy.checksum)
      return fail(world, restore, key, {
        says: `${object} is not what the engine handed out: its checksum differs`,
        remedy: 'Use another copy.',
        at: storeRef
      });
    const engine = engineRunning(world.store, namespace, spec.into);
    if (engine !== copy.engine)
      return fail(world, restore, key, {
        says: `${spec.into} is ${engine ?? 'nothing that runs'}, and the copy is of ${copy.engine}`,
        remedy: 'Put it into a workload of the same engine.',
        at: workloadRef(world.store, namespace, spec.into)
      });
    next({ text: copy.tables, position: copy.position, copy });
    if (hand.pieces.length) restore = step(world, restore, 'reads the log', { says: `reads ${hand.pieces.length} pieces of the log` });
  }
  while (hand.read < hand.pieces.length) {
    const piece = hand.pieces[hand.read]!;
    const got = fetched(`log-${hand.read}`, piece.key);
    if (!got) return;
    const content = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || content === undefined) return fail(world, restore, key, unread(piece.key, got));
    let tables = tablesOf(hand.text!, hand.position!);
    let position = hand.position!;
    let whole = true;
    const entries = readJson(logPiece, content);
    if (!entries)
      return fail(world, restore, key, {
        says: `${piece.key} is no piece of a log: somebody put something else there`,
        remedy: 'Go back to a copy instead.',
        at: storeRef
      });
    for (const [index, entry] of entries) {
      const { atMs, op } = readJson(logEntry, entry) ?? {};
      if (Number(index) <= position) continue;
      if ((atMs ?? 0) > hand.toMs) {
        whole = false;
        break;
      }
      if (op) tables = tablesAfter(tables, { ...(op as Op), version: undefined } as Op, Number(index));
      position = Number(index);
    }
    if (whole && piece.checksum && tablesSum(tables) !== piece.checksum)
      return fail(world, restore, key, {
        says: `the log up to position ${piece.to} does not lead to what the engine held there`,
        remedy: 'Go back to a copy instead.',
        at: storeRef
      });
    next({ text: textOf(tables), position, read: hand.read + 1 });
  }
  if (hand.dueMs === undefined) {
    const spanMs = carriedMs(Math.max(hand.text!.length, carriedBytes(world.store, namespace, plan.spec.workload)), 'back');
    world.begin(key, 'carrying', spanMs);
    next({ dueMs: world.nowMs + world.duration('carrying', key, spanMs) });
    restore = step(world, restore, 'carries it back', { says: 'carries it back' });
  }
  if (world.nowMs < hand.dueMs!) return world.after(hand.dueMs! - world.nowMs, key);
  const into = { namespace, workload: spec.into };
  const sum = tablesSum(tablesOf(hand.text!, 0));
  if (!hand.put) {
    restore = step(world, restore, 'puts it in', { says: `puts it in ${spec.into}` });
    const put = asked(world, key, 'put', into, { do: 'put-back', value: hand.text!, count: spec.over ? 1 : 0 });
    if (!put) return;
    if (put.outcome !== 'acknowledged')
      return fail(world, restore, key, {
        says: `${spec.into} didn't take it: ${put.says ?? 'nobody answered'}`,
        remedy: (put.says ?? '').includes('overwritten')
          ? 'Put it into a workload that is empty, or say that what it holds may go (over).'
          : 'See its root line, and send the restore again under another name.',
        at: workloadRef(world.store, namespace, spec.into)
      });
    next({ put: true });
  }
  restore = step(world, restore, 'is read back', { says: `reads ${spec.into} back` });
  const back = asked(world, key, 'prove', into, { do: 'copy' });
  if (!back) return;
  const proved = back.checksum ?? '';
  if (proved !== sum)
    return fail(world, restore, key, {
      says: `what ${spec.into} holds is not what was put in: ${back.says ?? 'nobody answered'}`,
      remedy: 'See who else writes there.',
      at: workloadRef(world.store, namespace, spec.into)
    });
  world.event(restore, 'Restored', `${back.count ?? 0} rows as of position ${hand.position!} are back in ${spec.into}.`);
  over(world, restore, key, {
    phase: 'Done',
    says: `${back.count ?? 0} rows as of position ${hand.position!} are back`,
    position: hand.position!,
    rows: back.count ?? 0,
    checksum: sum,
    proved
  });
}
