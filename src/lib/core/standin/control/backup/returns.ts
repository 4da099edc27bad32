import { momentOf, stampOf } from '../../../shared';
import { factsIn, refOf, type BackupPlan, type BackupReturn, type BackupRun, type Facts } from '../../../model';
import type { Op } from '../../engines/site';
import { entriesIn, namedIn, sumOf } from '../../engines/copies';
import { copyOfPlace } from '../../engines/registry';
import { tablesAfter, tablesOf, textOf } from '../../engines/tables';
import { linkNamesFault, linkTo } from '../../provider/links';
import { splitKey, type ClusterAccess } from '../loop';
import { asked, dropAsks } from './asking';
import { builtOn, copyIn, isSealed, openedText } from './documents';
import {
  bucketFault,
  chainTo,
  doneOf,
  engineFault,
  engineRunning,
  linkPerSecond,
  runsOf,
  sealOf,
  storeOf,
  workloadRef,
  type Broken,
  type Bucket
} from './facts';
import { carriedMs } from './pace';
import type { LogPiece } from './shipping';

/** So long the workload that takes a copy is waited for; made up. */
const patienceMs = 900_000;

type Status = NonNullable<BackupReturn['status']>;

/** What a return has in hand between two calls. */
interface Hand {
  readonly run: string;
  /** Copies that are still to be read, the whole one first, each with the checksum of all that the engine held, as its run wrote it down. */
  readonly copies: readonly {
    readonly run: string;
    readonly object: string;
    readonly into: Bucket;
    readonly checksum: string;
    readonly bytes: number;
  }[];
  /** What of them is carried back, in bytes. */
  readonly bytes: number;
  /** What the narrowest link that they come over carries, in bytes a second; left out where none bounds it. */
  readonly perSecond?: number;
  readonly toMs: number;
  /** Pieces of the log that are still to be read. */
  readonly pieces: readonly LogPiece[];
  /** The tables so far, in one text, and the position that they are of. */
  readonly text?: string;
  readonly engine?: string;
  readonly position: number;
  /** Once all is read: until when it is carried. */
  readonly dueMs?: number;
  /** Once it is put in: how much that was, where whoever took it said so. */
  readonly put?: { readonly count?: number };
}

/** The pieces of a log behind a copy, as far as they follow on each other, until a moment (virtual ms) is reached. */
function chainFrom(from: BackupRun & { momentMs: number }, pieces: readonly LogPiece[], wanted: number) {
  const chain: LogPiece[] = [];
  let [position, reached] = [from.status!.position ?? 0, from.momentMs];
  for (const one of pieces) {
    if (reached >= wanted) break;
    if (one.toMs <= reached) continue;
    // A log that begins anew is of another history than what was there before.
    if (one.from > position || (one.anew && one.fromMs !== reached)) break;
    chain.push(one);
    [position, reached] = [one.to, one.toMs];
  }
  return { chain, reached };
}

/** The last moment not after another one (virtual ms) that a plan's copies, and the log behind them, lead back to; undefined where none does. */
export function reachedBefore(facts: Facts, plan: BackupPlan, beforeMs: number): number | undefined {
  const pieces = plan.spec.how === 'copy-and-log' ? (plan.status?.pieces ?? []) : [];
  const reached = doneOf(runsOf(facts, plan.metadata.namespace ?? '', plan.metadata.name))
    .filter((one) => one.momentMs <= beforeMs)
    .map((one) => Math.min(beforeMs, chainFrom(one, pieces, beforeMs).reached));
  return reached.length ? Math.max(...reached) : undefined;
}

/** What is gone back with: the copy, the pieces of the log behind it, and the moment; or why that can't be. */
export function returnWay(
  facts: Facts,
  plan: BackupPlan,
  wish: { readonly run?: string; readonly toMs?: number }
):
  | { readonly run: BackupRun; readonly pieces: readonly LogPiece[]; readonly toMs: number }
  | { readonly says: string; readonly remedy: string } {
  const { name, namespace = '' } = plan.metadata;
  const done = doneOf(runsOf(facts, namespace, name));
  const newest = done.at(-1);
  if (!newest) return { says: `no copy of ${name} is done`, remedy: 'Run it first.' };
  const pieces = plan.spec.how === 'copy-and-log' ? (plan.status?.pieces ?? []) : [];
  const named = wish.run === undefined ? undefined : done.find((one) => one.metadata.name === wish.run);
  if (wish.run !== undefined && !named) return { says: `${wish.run} is no copy of ${name} that is done`, remedy: 'Name one that is.' };
  const wanted = wish.toMs ?? named?.momentMs ?? Math.max(newest.momentMs, pieces.at(-1)?.toMs ?? 0);
  const from = named ?? done.filter((one) => one.momentMs <= wanted).at(-1);
  if (!from)
    return { says: `the oldest copy shows ${stampOf(done[0]!.momentMs)}, which is later`, remedy: 'Go back no further than that.' };
  if (wanted < from.momentMs) return { says: `${from.metadata.name} shows a later moment`, remedy: 'Name an earlier copy, or none.' };
  if (plan.spec.how === 'copy' && wish.toMs !== undefined && !named) return { run: from, pieces: [], toMs: from.momentMs };
  const { chain, reached } = chainFrom(from, pieces, wanted);
  return reached >= wanted
    ? { run: from, pieces: chain, toMs: wanted }
    : {
        says: `the log behind ${from.metadata.name} reaches to ${stampOf(reached)}`,
        remedy: 'Go back to a moment before that, or to a later copy.'
      };
}

/** The return of one copy, from one call to the next. Each stage gives whether it is done; what breaks it ends it. */
class Returning {
  private readonly namespace: string;

  constructor(
    private readonly world: ClusterAccess,
    private readonly key: string,
    private one: BackupReturn
  ) {
    this.namespace = one.metadata.namespace ?? '';
  }

  private get hands(): Map<string, Hand> {
    return this.world.memory<Hand>('returnHands');
  }

  private get target() {
    return { namespace: this.namespace, workload: this.one.spec.into };
  }

  private get targetRef() {
    return workloadRef(this.world.store, this.namespace, this.one.spec.into);
  }

  private keep(hand: Hand): true {
    this.hands.set(this.key, hand);
    return true;
  }

  /** Writes down what is done now; a step of another name ends the one before. */
  private note(step: string | undefined, more: Partial<Status>): void {
    const steps = this.one.status?.steps ?? [];
    const last = steps.at(-1);
    const goesOn = last?.name === step;
    const closed = last && !goesOn && last.toMs === undefined ? [...steps.slice(0, -1), { ...last, toMs: this.world.nowMs }] : steps;
    const next = step === undefined || goesOn ? closed : [...closed, { name: step, fromMs: this.world.nowMs }];
    this.one = this.world.put({ ...this.one, status: { ...this.one.status!, ...more, steps: next } });
  }

  private over(more: Partial<Status>): void {
    this.hands.delete(this.key);
    dropAsks(this.world, this.key);
    this.world.end(this.key, 'carrying');
    this.note(undefined, { ...more, endedMs: this.world.nowMs });
  }

  private fail({ says, remedy, at }: Broken): false {
    this.world.event(this.one, 'ReturnFailed', `${says}.`, 'Warning');
    this.over({ phase: 'Failed', says, remedy, at: { ...at } });
    return false;
  }

  private failHere = (says: string, remedy: string): false => this.fail({ says, remedy, at: refOf(this.one) });

  /** Waits until whoever takes it stands whole: a commit may need all of them. */
  private stands(): boolean {
    const { store, nowMs } = this.world;
    const { into } = this.one.spec;
    const set = store.get('StatefulSet', this.namespace, into);
    const ready = store.list('Process', this.namespace).filter((one) => one.spec.workload === into && one.status?.ready).length;
    if (ready >= Math.max(1, set?.spec.replicas ?? 1)) return true;
    if (nowMs - this.one.status!.beganMs >= patienceMs)
      return this.fail({ says: `not all members of ${into} are ready after 15 min`, remedy: 'See its root line.', at: this.targetRef });
    this.world.after(5_000, this.key, true);
    return false;
  }

  /** What is known where the plan stands; undefined where that cluster isn't known here. */
  private get home(): Facts | undefined {
    const { store } = this.world;
    const { cluster } = this.one.spec;
    return cluster === undefined ? store : factsIn(store, cluster);
  }

  /** A bucket that a plan of another cluster names, as it is called from here. */
  private fromHere(into: Bucket): Bucket {
    const { cluster } = this.one.spec;
    return cluster === undefined ? into : { ...into, cluster: into.cluster ?? cluster };
  }

  private begin(): Hand | undefined {
    const { store } = this.world;
    const { plan: name, run, to, into, cluster } = this.one.spec;
    const { home } = this;
    const away = cluster === undefined || home === store ? undefined : linkNamesFault(store, cluster);
    if (away || !home)
      return void this.fail({
        says: `the plan ${name} of ${cluster} is out of reach: ${away?.says ?? 'that cluster is not known here'}`,
        remedy: 'See the sheet Links, and send the return again under another name.',
        at: { kind: 'Link', namespace: '', name: linkTo(store, cluster!)?.metadata.name ?? '' }
      });
    const plan = home.get('BackupPlan', this.namespace, name);
    if (!plan) return void this.failHere(`there is no plan ${this.namespace}/${name}`, 'Name one that stands.');
    if (plan.spec.how === 'snapshots')
      return void this.failHere(
        'snapshots come back as claims that are made from them, not through an engine',
        'Make a workload whose claims have the snapshots as their source.'
      );
    const way = returnWay(home, plan, {
      ...(run === undefined ? {} : { run }),
      ...(to === undefined ? {} : { toMs: momentOf(to) })
    });
    if ('says' in way) return void this.failHere(way.says, way.remedy);
    const done = doneOf(runsOf(home, this.namespace, name));
    const chain = chainTo(
      done,
      done.find((one) => one.name === way.run.metadata.name)!
    );
    if (!chain) return void this.failHere(`what ${way.run.metadata.name} builds on is there no more`, 'Use another copy.');
    const copies = chain.flatMap(({ name: named, status }) =>
      status?.key === undefined || !status.into
        ? []
        : [{ run: named, object: status.key, into: this.fromHere(status.into), checksum: status.checksum ?? '', bytes: status.bytes ?? 0 }]
    );
    if (copies.length < chain.length) return void this.failHere(`${way.run.metadata.name} lies in no bucket`, 'Name another run.');
    const { position = 0 } = way.run.status!;
    if (!this.stands()) return undefined;
    const fault = engineFault(store, this.namespace, into);
    if (fault) return void this.fail(fault);
    const bytes = copies.reduce((sum, one) => sum + one.bytes, 0);
    const narrowest = Math.min(...copies.map((one) => linkPerSecond(store, one.into) ?? Infinity));
    const perSecond = Number.isFinite(narrowest) ? { perSecond: narrowest } : {};
    const hand = { run: way.run.metadata.name, copies, bytes, ...perSecond, toMs: way.toMs, pieces: way.pieces, position };
    this.note('reads the copy', { phase: 'Running', says: `reads ${hand.run}`, run: hand.run });
    this.keep(hand);
    return hand;
  }

  /** What lies under a name in a bucket; undefined while it is on its way, or where it can't be had. */
  private read(from: Bucket, object: string): string | undefined {
    const { namespace, store, bucket } = from;
    const fault = bucketFault(this.world.store, from);
    if (fault) return void this.fail(fault);
    const op = { do: 'fetch', place: bucket, key: object };
    const got = asked(this.world, this.key, `read-${object.split('/').at(-1)}`, storeOf(from), op);
    if (!got) return undefined;
    const content = got.rows?.[0]?.[1];
    if (got.outcome === 'acknowledged' && content !== undefined) return content;
    return void this.fail({
      says: `${object} can't be read back: ${got.says ?? 'nobody answered'}`,
      remedy: 'See the root line of the store; where the object is gone, use another copy.',
      at: workloadRef(this.world.store, namespace, store)
    });
  }

  /** What was put under a name, opened where it is sealed; undefined where that can't be. */
  private opened(content: string, object: string, { namespace, store }: Bucket): string | undefined {
    if (!isSealed(content)) return content;
    const { home } = this;
    const plan = home?.get('BackupPlan', this.namespace, this.one.spec.plan);
    const seal = plan && sealOf(home!, plan);
    if (typeof seal === 'object') return void this.fail({ ...seal, says: `${object} is sealed, and ${seal.says}` });
    if (seal === undefined)
      return void this.failHere(`${object} is sealed, and the plan names no secret`, 'Name it in spec.seal of the plan.');
    const text = openedText(content, seal);
    if (text !== undefined) return text;
    return void this.fail({
      says: `${object} does not open: it was sealed with another secret than ${plan!.spec.seal!.secret} has now, or was altered`,
      remedy: 'Put the secret back that it was sealed with, or use another copy.',
      at: workloadRef(this.world.store, namespace, store)
    });
  }

  private readCopy(hand: Hand): boolean {
    const [{ run, object, into, checksum }, ...copies] = hand.copies as [Hand['copies'][number], ...Hand['copies']];
    const content = this.read(into, object);
    if (content === undefined) return false;
    const plain = this.opened(content, object, into);
    if (plain === undefined) return false;
    const at = workloadRef(this.world.store, into.namespace, into.store);
    const copy = copyIn(plain);
    const text = copy && (hand.text === undefined) === (copy.base === undefined) ? builtOn(hand.text, copy) : undefined;
    if (!copy || text === undefined)
      return this.fail({ says: `${object} is no copy: somebody put something else there`, remedy: 'Use another copy.', at });
    // Not by the checksum beside it: whoever alters the one can alter the other.
    if (sumOf(text) !== checksum)
      return this.fail({ says: `${object} is not what the engine handed out: its checksum differs`, remedy: 'Use another copy.', at });
    const engine = engineRunning(this.world.store, this.namespace, this.one.spec.into);
    if (engine !== copy.engine)
      return this.fail({
        says: `${this.one.spec.into} is ${engine ?? 'nothing that runs'}, and the copy is of ${copy.engine}`,
        remedy: 'Put it into a workload of the same engine.',
        at: this.targetRef
      });
    if (copies.length) this.note('reads the copy', { says: `reads what has changed since ${run}` });
    else if (hand.pieces.length) this.note('reads the log', { says: `reads ${hand.pieces.length} pieces of the log` });
    return this.keep({ ...hand, copies, text, engine: copy.engine, position: copy.position });
  }

  private readPiece(hand: Hand): boolean {
    const [piece, ...pieces] = hand.pieces as [LogPiece, ...LogPiece[]];
    const from = this.fromHere(piece.into);
    const content = this.read(from, piece.key);
    if (content === undefined) return false;
    const plain = this.opened(content, piece.key, from);
    if (plain === undefined) return false;
    const at = workloadRef(this.world.store, from.namespace, from.store);
    const remedy = 'Go back to a copy instead.';
    const entries = entriesIn(plain);
    if (!entries) return this.fail({ says: `${piece.key} is no piece of a log: somebody put something else there`, remedy, at });
    const wanted = entries.filter((one) => (one.atMs ?? 0) <= hand.toMs);
    let { position } = hand;
    let tables = tablesOf(hand.text!, position);
    for (const { index, op } of wanted) {
      if (index <= position) continue;
      // It counted: which versions its writer had seen was looked at then.
      if (op) tables = tablesAfter(tables, { ...(op as Op), version: undefined } as Op, index);
      position = index;
    }
    const text = textOf(tables);
    if (wanted.length === entries.length && sumOf(text) !== piece.checksum)
      return this.fail({ says: `the log up to position ${piece.to} does not lead to what the engine held there`, remedy, at });
    return this.keep({ ...hand, text, position, pieces });
  }

  /** What is put in: all of it, or the place that was named alone. */
  private wanted(hand: Hand): string {
    const { only } = this.one.spec;
    return only === undefined ? hand.text! : copyOfPlace(hand.engine!, hand.text!, only);
  }

  private isThere(hand: Hand): boolean {
    const { only } = this.one.spec;
    if (only === undefined || namedIn(this.wanted(hand))?.length) return true;
    return this.failHere(`there is no ${only} in the copy ${hand.run}`, 'Name what it has, or go back to another moment.');
  }

  private carry(hand: Hand): boolean {
    const { world, key } = this;
    if (hand.dueMs !== undefined) {
      if (world.nowMs >= hand.dueMs) return true;
      world.after(hand.dueMs - world.nowMs, key);
      return false;
    }
    if (!this.isThere(hand)) return false;
    // Of what the copies weigh so much is carried as the part is of the whole text.
    const part = this.wanted(hand).length;
    const bytes = Math.max(part, Math.round((hand.bytes * part) / Math.max(1, hand.text!.length)));
    const spanMs = carriedMs(bytes, 'back', hand.perSecond);
    world.begin(key, 'carrying', spanMs);
    const waitMs = world.duration('carrying', key, spanMs);
    this.note('carries it back', { says: 'carries it back' });
    this.keep({ ...hand, dueMs: world.nowMs + waitMs });
    world.after(waitMs, key);
    return false;
  }

  private putIn(hand: Hand): boolean {
    const { into, over, only } = this.one.spec;
    this.note('puts it in', { says: `puts it in ${into}` });
    const op = { do: 'put-back', value: this.wanted(hand), count: over ? 1 : 0, ...(only === undefined ? {} : { place: only }) };
    const put = asked(this.world, this.key, 'put', this.target, op);
    if (!put) return false;
    const says = put.says ?? 'nobody answered';
    if (put.outcome === 'acknowledged') return this.keep({ ...hand, put: put.count === undefined ? {} : { count: put.count } });
    return this.fail({
      says: put.outcome === 'unknown' ? `whether ${into} took it is unseen: ${says}` : `${into} didn't take it: ${says}`,
      remedy: says.includes('overwritten')
        ? 'Put it into a workload that is empty, or say that what it holds may go (over).'
        : 'See its root line, and send the return again under another name.',
      at: this.targetRef
    });
  }

  private prove(hand: Hand): void {
    const { into, only } = this.one.spec;
    this.note('is read back', { says: `reads ${into} back` });
    const back = asked(this.world, this.key, 'prove', this.target, { do: 'copy' });
    if (!back) return;
    const held = back.rows?.[0]?.[1];
    const mine = only === undefined || held === undefined ? held : copyOfPlace(hand.engine!, held, only);
    const [checksum, proved] = [sumOf(this.wanted(hand)), mine === undefined ? '' : sumOf(mine)];
    if (proved !== checksum)
      return void this.fail({
        says: `what ${into} holds is not what was put in: ${back.says ?? 'nobody answered'}`,
        remedy: 'See who else writes there.',
        at: this.targetRef
      });
    const rows = only === undefined ? (back.count ?? 0) : (hand.put?.count ?? namedIn(mine!)?.length ?? 0);
    const of = only === undefined ? '' : ` of ${only}`;
    const what = hand.position ? `${rows} rows${of} as of position ${hand.position} are back` : `${rows} in all${of} are back`;
    this.world.event(this.one, 'Returned', `${what} in ${into}.`);
    const says = what;
    this.over({ phase: 'Done', says, position: hand.position, rows, checksum, proved });
  }

  /** Goes as far as it gets. */
  go(): void {
    if (!this.one.status) this.note(undefined, { phase: 'Waiting', says: `waits for ${this.one.spec.into}`, beganMs: this.world.nowMs });
    if (!this.hands.has(this.key) && !this.begin()) return;
    const hand = (): Hand => this.hands.get(this.key)!;
    while (hand().copies.length) if (!this.readCopy(hand())) return;
    while (hand().pieces.length) if (!this.readPiece(hand())) return;
    if (!this.carry(hand())) return;
    if (!hand().put && !this.putIn(hand())) return;
    this.prove(hand());
  }
}

/** Puts a copy back. */
export function reconcileReturn(world: ClusterAccess, key: string, id: string): void {
  const one = world.store.get('BackupReturn', ...splitKey(id));
  if (!one) {
    world.memory<Hand>('returnHands').delete(key);
    return dropAsks(world, key);
  }
  if (one.status?.phase !== 'Done' && one.status?.phase !== 'Failed') new Returning(world, key, one).go();
}
