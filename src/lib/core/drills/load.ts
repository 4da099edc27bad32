import type { EngineId, Op, World } from '../standin';
import { partsIn, type Workload } from '../proofs';
import { copiesOf, leastReplicas } from './expect';
import type { Tally } from './types';

/** How an engine is written to and read from, by numbered writes. Everything goes through the workload's own interface. */
interface LoadCard {
  /** What has to be there first; `members`: how many of its main part there are. */
  first(members: number): readonly Op[];
  write(n: number): Op;
  read(n: number): Op;
  /** Whether an answer to `read(n)` shows what was written, given what its write was answered. */
  shows(n: number, got: Answered, wrote: Answered): boolean;
  /** Drops all that is written into, as a client that may do so would by mistake, and what that is. */
  readonly drop: Op;
  readonly dropped: string;
  /** Nothing can be written until it is made again. */
  readonly goes?: true;
  /** Between two writes so many times longer than usual: each is a piece of work. */
  readonly slower?: number;
  /** Reads everything at once: the numbers that are there, or only how many where rows can't be told apart. */
  readonly all?: { op(count: number): Op; numbers?(got: Answered): readonly number[]; count?(got: Answered): number };
}

/** An answer, as far as a load keeps it. */
interface Answered {
  readonly outcome: 'acknowledged' | 'refused' | 'unknown';
  readonly says: string;
  readonly value?: string;
  readonly checksum?: string;
  readonly count?: number;
  readonly rows?: readonly (readonly [string, string])[];
}

/** Where a load writes: a table, a topic, a bucket. */
const place = 'drill';
const key = (n: number): string => `k${String(n).padStart(5, '0')}`;

const tables: LoadCard = {
  first: () => [],
  drop: { do: 'drop', place },
  dropped: `table ${place}`,
  write: (n) => ({ do: 'write', place, key: key(n), value: `w${n}` }),
  read: (n) => ({ do: 'read', place, key: key(n) }),
  shows: (n, { value }) => value === `w${n}`
};

/** By engine; one without a line here can't be drilled, and says so. */
const cards: Readonly<Partial<Record<EngineId, LoadCard>>> = {
  'multi-primary-sql': tables,
  'primary-standby-sql': tables,
  'document-set': { ...tables, dropped: `collection ${place}` },
  'memory-store': {
    ...tables,
    first: () => [{ do: 'make-database', place, count: 2, value: '1', bytes: 2 ** 26 }],
    dropped: `database ${place}`,
    goes: true
  },
  'log-broker': {
    first: (brokers) => [
      { do: 'make-topic', place, count: 3, value: JSON.stringify({ replicas: copiesOf(brokers), least: leastReplicas(brokers) }) }
    ],
    drop: { do: 'drop', place },
    dropped: `topic ${place}`,
    goes: true,
    write: (n) => ({ do: 'produce', place, value: `w${n}`, acks: 'all' }),
    read: () => ({ do: 'consume', place, from: 'last', count: 1 }),
    shows: (_, { outcome }) => outcome === 'acknowledged',
    all: {
      op: (count) => ({ do: 'consume', place, from: 'beginning', count }),
      numbers: ({ rows = [] }) => rows.map(([, text]) => Number(text.replace(/^w/, '')))
    }
  },
  'object-store': {
    slower: 4,
    first: () => [{ do: 'make-bucket', place }],
    drop: { do: 'drop', place },
    dropped: `bucket ${place}, emptied`,
    write: (n) => ({ do: 'put', place, key: key(n), bytes: 256 }),
    read: (n) => ({ do: 'get', place, key: key(n) }),
    shows: (_, { checksum }, wrote) => checksum !== undefined && checksum === wrote.checksum
  },
  'time-series': {
    first: () => [{ do: 'make-table', place }],
    drop: { do: 'drop', place },
    dropped: `table ${place}`,
    goes: true,
    write: () => ({ do: 'insert', place, count: 1 }),
    read: () => ({ do: 'query', place }),
    shows: (_, { outcome }) => outcome === 'acknowledged',
    all: { op: () => ({ do: 'query', place }), count: ({ count = 0 }) => count }
  },
  'shared-files': {
    first: () => [],
    drop: { do: 'drop', place },
    dropped: `directory ${place}`,
    write: (n) => ({ do: 'write', key: `drill/${key(n)}`, value: `w${n}` }),
    read: (n) => ({ do: 'read', key: `drill/${key(n)}` }),
    shows: tables.shows
  },
  'image-shelf': {
    first: () => [],
    drop: { do: 'drop', place: `${place}/one` },
    dropped: `image ${place}/one`,
    write: (n) => ({ do: 'push', key: `drill/one:r${n}`, bytes: 1_024 }),
    read: (n) => ({ do: 'pull', key: `drill/one:r${n}` }),
    shows: (_, { checksum }, wrote) => checksum !== undefined && checksum === wrote.checksum
  }
};

/** One operation of a load. */
interface Operation {
  readonly kind: 'write' | 'read';
  /** Which write it is, or reads. */
  readonly n: number;
  readonly askedMs: number;
  answeredMs?: number;
  answer?: Answered;
}

/** How many operations may be under way at the end of the drill's last read. */
const atOnce = 200;

/**
 * Clients that write and read for as long as a drill lasts, at a steady pace, whether or not the ones before were answered. What they ask is
 * taken away once it is answered: only how it ended is kept.
 */
export class Load {
  readonly operations: Operation[] = [];
  private readonly open = new Map<string, { readonly operation: Operation; readonly world: World }>();
  private readonly card: LoadCard;
  private asks = 0;
  private writes = 0;
  /** Numbers of the writes that were acknowledged, in the order of their answers. */
  private readonly acknowledged: number[] = [];
  private readonly answers = new Map<number, Answered>();

  constructor(
    private world: World,
    private workload: Workload,
    private readonly fromMs: number,
    /** Whether clients stand beside it, or come by its address outside. */
    private readonly way: 'inside' | 'outside' = 'inside'
  ) {
    this.card = cards[workload.engine!]!;
  }

  /** How much slower than usual it writes and reads. */
  get slower(): number {
    return this.card.slower ?? 1;
  }

  /** Makes what the load writes into. Gives why that can't be done, or nothing. */
  prepare(): string | undefined {
    const brokers = partsIn(this.world.store, this.workload, 'broker').length;
    for (const op of this.card.first(brokers)) {
      const got = this.wait(op);
      if (got.outcome !== 'acknowledged' && !/exists|already/.test(got.says)) return got.says;
    }
    return undefined;
  }

  /** From now on they write to a workload of another cluster, which holds what this one held. What is under way is answered where it was asked. */
  goTo(world: World, workload: Workload): void {
    this.world = world;
    this.workload = workload;
  }

  private send(op: Op): string | undefined {
    const id = `drill-${(this.asks += 1)}`;
    const { namespace, name } = this.workload;
    const refusals = this.world.act({ type: 'ask', namespace, id, ask: { workload: name, way: this.way, login: 'right', op } });
    return refusals.length ? undefined : id;
  }

  private take(id: string, world = this.world): (Answered & { atMs: number }) | undefined {
    const { namespace } = this.workload;
    const status = world.store.get('Ask', namespace, id)?.status;
    if (!status?.outcome) return undefined;
    world.drop({ kind: 'Ask', namespace, name: id });
    const { outcome, says = '', rows, checksum, count, answeredMs = world.nowMs } = status;
    const value = rows?.[0]?.[1];
    return {
      atMs: answeredMs,
      outcome,
      says,
      ...(value === undefined ? {} : { value }),
      ...(checksum === undefined ? {} : { checksum }),
      ...(count === undefined ? {} : { count }),
      ...(rows ? { rows } : {})
    };
  }

  /** Asks, and runs the clock until it is answered. */
  private wait(op: Op): Answered {
    const id = this.send(op);
    if (id === undefined) return { outcome: 'refused', says: 'nothing of the workload runs that could answer' };
    for (const until = this.world.nowMs + 60_000; this.world.nowMs < until;) {
      const got = this.take(id);
      if (got) return got;
      this.world.runUntil(Math.min(this.world.nextMs ?? until, until));
    }
    return { outcome: 'unknown', says: 'no answer came' };
  }

  private ask(kind: 'write' | 'read', n: number, op: Op): void {
    const operation: Operation = { kind, n, askedMs: this.world.nowMs - this.fromMs };
    this.operations.push(operation);
    const id = this.send(op);
    if (id !== undefined) this.open.set(id, { operation, world: this.world });
    else {
      operation.answeredMs = operation.askedMs;
      operation.answer = { outcome: 'refused', says: 'nothing of the workload runs that could answer' };
    }
  }

  write(): void {
    const n = (this.writes += 1);
    this.ask('write', n, this.card.write(n));
  }

  /** Reads something that was acknowledged before: the last write and earlier ones in turn. */
  read(): void {
    const count = this.acknowledged.length;
    if (!count) return;
    const turn = this.operations.length % 4;
    const n = this.acknowledged[turn === 0 ? count - 1 : Math.floor((count - 1) * ((turn * 0.25) % 1))]!;
    this.ask('read', n, this.card.read(n));
  }

  /** Takes in what was answered meanwhile. */
  gather(): void {
    for (const [id, { operation, world }] of this.open) {
      const got = this.take(id, world);
      if (!got) continue;
      this.open.delete(id);
      const { atMs, rows: _, ...answer } = got;
      operation.answeredMs = atMs - this.fromMs;
      operation.answer = answer;
      if (operation.kind === 'write' && answer.outcome === 'acknowledged') {
        this.acknowledged.push(operation.n);
        this.answers.set(operation.n, answer);
      }
    }
  }

  /** What the last write was answered, where none has been accepted for a while; undefined where the load runs. */
  troubled(): string | undefined {
    const answered = this.operations.filter((one) => one.kind === 'write' && one.answer);
    const last = answered.slice(-4);
    return last.some(this.good) ? undefined : (last.at(-1)?.answer?.says ?? 'nobody answers');
  }

  /** Whether anything is still unanswered. */
  get waiting(): boolean {
    return this.open.size > 0;
  }

  /** Whether an operation ended as it ought to: a read has to show something. */
  good = ({ kind, n, answer }: Operation): boolean =>
    answer?.outcome === 'acknowledged' && (kind === 'write' || this.card.shows(n, answer, this.answers.get(n) ?? answer));

  /** A read that was answered, and didn't show what had been acknowledged before; a write that was acknowledged is good. */
  stale = (one: Operation): boolean => one.answer?.outcome === 'acknowledged' && !this.good(one);

  /** What failed from a moment on (ms from the begin): how much of what was asked, and what was said most often. */
  failedFrom(fromMs: number): { readonly failed: number; readonly asked: number; readonly says: string } | undefined {
    const mine = this.operations.filter((one) => one.askedMs >= fromMs);
    const bad = mine.filter((one) => !this.good(one));
    const said = new Map<string, number>();
    for (const { answer } of bad) {
      const says =
        answer?.outcome === 'acknowledged'
          ? 'it was answered without what had been acknowledged before'
          : (answer?.says ?? 'nobody answered');
      said.set(says, (said.get(says) ?? 0) + 1);
    }
    const [most] = [...said].sort((a, b) => b[1] - a[1]);
    return most && { failed: bad.length, asked: mine.length, says: most[0] };
  }

  tally(kind: 'write' | 'read'): Tally {
    const mine = this.operations.filter((one) => one.kind === kind);
    const of = (outcome: Answered['outcome']) => mine.filter((one) => (one.answer?.outcome ?? 'unknown') === outcome).length;
    return { asked: mine.length, acknowledged: of('acknowledged'), refused: of('refused'), unknown: of('unknown') };
  }

  /**
   * Reads everything that was acknowledged. Gives what of it isn't there: by number, or only how many where rows can't be told apart; and
   * undefined where nobody could tell.
   */
  *lost(): Generator<void, { numbers: number[]; count: number } | undefined> {
    const { all } = this.card;
    if (all) {
      for (let tries = 0; tries < 3; tries += 1) {
        const got = this.wait(all.op(this.writes + 1));
        yield;
        // What was written into is gone as a whole, and all of it with that.
        if (got.outcome === 'refused' && got.says.startsWith('there is no ')) {
          const numbers = all.numbers ? [...this.acknowledged].sort((a, b) => a - b) : [];
          return { numbers, count: this.acknowledged.length };
        }
        if (got.outcome !== 'acknowledged') continue;
        if (all.count) return { numbers: [], count: Math.max(0, this.acknowledged.length - all.count(got)) };
        const there = new Set(all.numbers!(got));
        const numbers = this.acknowledged.filter((n) => !there.has(n)).sort((a, b) => a - b);
        return { numbers, count: numbers.length };
      }
      return undefined;
    }
    const numbers = yield* this.absent(this.acknowledged);
    return numbers && { numbers, count: numbers.length };
  }

  /** How many of those that were lost are there again; undefined where nobody could tell. Where rows can't be told apart whatever is there was lost before. */
  *cameBack(lost: { readonly numbers: readonly number[]; readonly count: number }): Generator<void, number | undefined> {
    const { all } = this.card;
    if (!all) {
      const absent = yield* this.absent(lost.numbers);
      return absent && lost.numbers.length - absent.length;
    }
    const got = this.wait(all.op(this.writes + 1));
    yield;
    // Where what is asked for isn't there at all, nothing of it came back.
    if (got.outcome !== 'acknowledged') return got.outcome === 'refused' ? 0 : undefined;
    if (all.count) return Math.min(lost.count, all.count(got));
    const there = new Set(all.numbers!(got));
    return lost.numbers.filter((n) => there.has(n)).length;
  }

  /** Reads some of what was acknowledged. Gives which of it isn't there, sorted; undefined where nobody could tell. */
  *absent(of: readonly number[]): Generator<void, number[] | undefined> {
    const numbers: number[] = [];
    for (let from = 0; from < of.length; from += atOnce) {
      const some = of.slice(from, from + atOnce);
      const open = new Map(some.map((n) => [n, this.send(this.card.read(n))]));
      for (const until = this.world.nowMs + 60_000; open.size && this.world.nowMs < until;) {
        for (const [n, id] of open) {
          const got = id === undefined ? { outcome: 'refused' as const, says: '' } : this.take(id);
          if (!got) continue;
          open.delete(n);
          if (got.outcome !== 'acknowledged' || !this.card.shows(n, got, this.answers.get(n)!)) numbers.push(n);
        }
        this.world.runUntil(Math.min(this.world.nextMs ?? until, until));
      }
      if (open.size) return undefined;
      yield;
    }
    return numbers.sort((a, b) => a - b);
  }
}

/** What a client drops by mistake, as it is asked for, and what has to be made again before anybody can write. @param members of its main part */
export function mistakeOf(engine: EngineId | undefined, members: number): { drop: Op; label: string; again: readonly Op[] } | undefined {
  const card = engine && cards[engine];
  return card && { drop: card.drop, label: card.dropped, again: card.goes ? card.first(members) : [] };
}

/** Whether clients that write and read are known for a workload. */
export const canBeLoaded = ({ engine }: Workload): boolean => engine !== undefined && cards[engine] !== undefined;
