import type { BackupPlan } from '../../../model';
import { same } from '../../../shared';
import type { ClusterAccess } from '../loop';
import { asked, type Asked } from './asking';
import { sealedText } from './documents';
import { bucketFault, doneOf, logFault, objectOf, putFault, runsOf, sealOf, storeOf } from './facts';

/** What a plan's status says. */
export type PlanStatus = NonNullable<BackupPlan['status']>;
/** A piece of a log that lies in a bucket. */
export type LogPiece = NonNullable<PlanStatus['pieces']>[number];

/** Writes something into a plan's status, where it isn't there already. */
export function note(world: ClusterAccess, plan: BackupPlan, more: Partial<PlanStatus>): BackupPlan {
  const status = { ...plan.status, ...more };
  return same(status, plan.status ?? {}) ? plan : world.put({ ...plan, status });
}

interface Shipment extends Pick<LogPiece, 'from' | 'fromMs' | 'anew'> {
  readonly got: Asked;
}

/** Takes the engine's log away, piece by piece, from the first good copy on. */
export function ship(world: ClusterAccess, plan: BackupPlan, key: string): void {
  const { name, namespace = '' } = plan.metadata;
  const { workload, into, logEverySeconds, suspend } = plan.spec;
  const everyMs = logEverySeconds * 1_000;
  const newest = doneOf(runsOf(world.store, namespace, name)).at(-1);
  if (!newest || suspend || !into) return;
  const hands = world.memory<Shipment>('logHands');
  const { pieces = [], shipping } = plan.status ?? {};
  const last = pieces.at(-1);
  const over = (says?: string, more: Partial<PlanStatus> = {}, torn = false) => {
    hands.delete(key);
    if (says !== undefined) world.event(plan, 'LogNotTaken', `${says}.`, 'Warning');
    // A log that is torn stays so until there is a copy from after that to begin from anew.
    const still = torn || (says !== undefined && shipping?.torn === true);
    note(world, plan, {
      ...more,
      shipping: { atMs: world.nowMs, ...(says === undefined ? {} : { says }), ...(still ? { torn: true } : {}) }
    });
    world.after(everyMs, key, true);
  };
  let hand = hands.get(key);
  if (!hand) {
    const dueMs = shipping ? shipping.atMs + everyMs : newest.status!.endedMs!;
    if (world.nowMs < dueMs) return world.after(dueMs - world.nowMs, key, true);
    const anew = last !== undefined && shipping?.torn === true && newest.momentMs > last.toMs;
    // What follows a tear is of another history, whatever its positions: nothing goes on before the next copy.
    if (shipping?.torn && !anew) return over(shipping.says);
    const fault = logFault(world.store, namespace, workload) ?? bucketFault(world.store, into);
    if (fault) return over(fault.says);
    const [from, fromMs] = last === undefined || anew ? [newest.status!.position ?? 0, newest.momentMs] : [last.to, last.toMs];
    // The position is part of the name: an answer to an ask from elsewhere is none to this one.
    const got = asked(world, key, `log-${from}`, { namespace, workload }, { do: 'log', version: from });
    if (!got) return;
    if (got.outcome !== 'acknowledged') {
      // Where what is asked for is gone, the engine says from where on it has it.
      return over(`the log was not handed out: ${got.says ?? 'nobody answered'}`, {}, (got.version ?? 0) > from);
    }
    const head = got.version ?? 0;
    if (head < from)
      return over(`the log went back from position ${from} to ${head}: what lay between was lost with the member that led`, {}, true);
    hand = { got, from, fromMs, ...(anew ? { anew } : {}) };
    hands.set(key, hand);
  }
  const { got, from, fromMs, anew } = hand;
  const [to, toMs] = [got.version ?? from, got.answeredMs ?? world.nowMs];
  // Where nothing was written the last piece reaches further.
  if (last && !anew && last.to === to && from === to) return over(undefined, { pieces: [...pieces.slice(0, -1), { ...last, toMs }] });
  const fault = bucketFault(world.store, into);
  if (fault) return over(fault.says);
  const seal = sealOf(world.store, plan);
  if (typeof seal === 'object') return over(seal.says);
  const text = JSON.stringify(got.rows ?? []);
  const object = objectOf(world.store, plan, into, `log-${from}-${to}-${Math.round(toMs / 1_000)}`);
  const op = { do: 'put', place: into.bucket, key: object, value: seal === undefined ? text : sealedText(text, seal, object) };
  const put = asked(world, key, 'ship', storeOf(into), op);
  if (!put) return;
  if (put.outcome !== 'acknowledged') return over(putFault(world.store, into, put.says).says);
  const piece = { key: object, from, to, fromMs, toMs, checksum: got.checksum ?? '', into: { ...into }, ...(anew ? { anew } : {}) };
  over(undefined, { pieces: [...pieces, piece] });
}
