import { answerFault, hash32, epochMs, type Problem } from '$core/shared';
import type { Assumption, DumpComparison } from '$core/dumps';
import type { Correction, ScopeRow } from '$core/exports';
import { joinedSentence, joinLines, looksElsewhere, type LineOf, type RootLine, type WhatBecame, type WrongView } from '$core/rootline';
import { nameFault, type Ref } from '$core/model';
import { operatedKinds } from '$core/standin';
import { readDump, Stopped, Unreadable, type Progress } from '../dumps/client';
import type { clusterRepository } from '../repositories/clusters';
import type { Dump, dumpRepository, Joined } from '../repositories/dumps';
import type { RehearsalRepository } from '../repositories/rehearsals';
import type { HostClient } from '../rehearsals/client';
import { clusterTaken, done, notFound, refused, type Answer, type Refusal } from './answer';
import { flagOf } from './layouts';
import type { LiveBus } from './live';
import { trunkOf, type AddCluster } from '../repositories/new-cluster';
import type { RehearsalService } from './rehearsals';

interface Parts {
  readonly dumps: ReturnType<typeof dumpRepository>;
  readonly clusters: ReturnType<typeof clusterRepository>;
  readonly store: RehearsalRepository;
  readonly addCluster: AddCluster;
  readonly rehearsals: RehearsalService;
  readonly host: HostClient;
  readonly bus: LiveBus;
  readonly reader: string | undefined;
}

/** A reading under way. */
interface Reading extends Progress {
  readonly cluster: string;
  readonly state: 'reading' | 'done' | 'stopped' | 'failed';
}

const isDump = 'read from a dump';
/** So many dumps of one cluster are kept; the oldest go first. */
const mostDumps = 4;
/** A ground is kept as one text, and a world holds every object in its journal. */
const mostRehearsed = 30_000;

const statuses: Record<Unreadable['code'], number> = { 'too-large': 413, 'not-text': 400, archive: 400, nothing: 400 };
const badName = (name: string, fault: string): Refusal => ({
  code: 'bad-name',
  status: 400,
  title: 'This is no name for a cluster',
  detail: `The name "${name}" ${fault}.`,
  remedy: 'Write lower-case letters, digits and "-", e.g. prod-west.'
});

/** Kinds of which there may be one of the same name in another cluster. */
const crosses = new Set<string>(['StatefulSet', 'Deployment', ...operatedKinds]);

/** Real clusters, read from dumps of their objects. */
export class DumpService {
  private readonly readings = new Map<string, { state: Reading; stop: AbortController }>();

  constructor(private readonly parts: Parts) {}

  /** How far a reading has got. */
  progress(id: string): Answer<Reading> {
    const one = this.readings.get(id);
    return one ? done(one.state) : refused(notFound(`The reading ${id}`, 'It has ended, or was never begun.'));
  }

  /** All readings that are under way, or ended just now. */
  list(): (Reading & { id: string })[] {
    return [...this.readings].map(([id, { state }]) => ({ id, ...state }));
  }

  /** Stops a reading; nothing of it is kept. */
  stop(id: string): Answer<{ id: string }> {
    const one = this.readings.get(id);
    if (!one) return refused(notFound(`The reading ${id}`, 'It has ended, or was never begun.'));
    one.stop.abort();
    return done({ id });
  }

  private async mayRead(name: string): Promise<Refusal | undefined> {
    const fault = nameFault(name, 'label');
    if (fault) return badName(name, fault);
    const cluster = await this.parts.clusters.find(name);
    if (cluster && cluster.kind !== 'dump')
      return {
        code: 'name-taken',
        status: 409,
        title: 'There is such a cluster already',
        detail: `${name} is a stand-in.`,
        remedy: 'Choose another name for the cluster that is read.'
      };
    if ([...this.readings.values()].some((one) => one.state.cluster === name && one.state.state === 'reading'))
      return {
        code: 'being-read',
        status: 409,
        title: 'It is being read',
        detail: `A dump of ${name} is being read already.`,
        remedy: 'Wait until it is done, or stop it.'
      };
    return undefined;
  }

  /** Reads a dump; a second one of the same cluster stands beside the first. */
  async read(name: string, source: AsyncIterable<Uint8Array>, { secrets, reading }: { secrets: boolean; reading: string }) {
    const { dumps, clusters, store, addCluster, rehearsals, bus } = this.parts;
    const wrong = await this.mayRead(name);
    if (wrong) return refused(wrong);
    const stop = new AbortController();
    const entry: { state: Reading; stop: AbortController } = { state: { cluster: name, state: 'reading', bytes: 0, objects: 0 }, stop };
    this.readings.set(reading, entry);
    const set = (more: Partial<Reading>) => (entry.state = { ...entry.state, ...more });
    const id = await dumps.begin(name);
    try {
      const summary = await readDump(this.parts.reader, source, secrets, {
        hand: (bytes) => dumps.addPart(id, bytes),
        tell: (progress) => void set(progress),
        signal: stop.signal
      });
      if (stop.signal.aborted) throw new Stopped();
      const takenMs = Math.min(summary.takenMs || Date.now(), Date.now());
      await dumps.finish(id, summary, takenMs);
      if (!(await clusters.find(name))) {
        const flag = flagOf((await clusters.all()).length);
        await addCluster({ name, note: isDump, seed: 0, flag, ground: [], kind: 'dump' }, [
          { rehearsal: trunkOf(name, takenMs - epochMs), actions: [] }
        ]);
      } else await store.setClock(name, takenMs - epochMs, takenMs - epochMs);
      for (const old of (await dumps.of(name)).slice(mostDumps)) await dumps.drop(old.id);
      await rehearsals.release(name);
      set({ state: 'done', objects: summary.objects });
      bus.publish({ rehearsal: name, kind: 'acted', clock: null, revision: 0 });
      return done({
        id: name,
        dump: id,
        objects: summary.objects,
        others: summary.others.length,
        problems: summary.problems.length + summary.moreProblems
      });
    } catch (error) {
      await dumps.drop(id);
      return refused(this.refusalFor(error, set));
    } finally {
      setTimeout(() => this.readings.delete(reading), 30_000).unref();
    }
  }

  private refusalFor(error: unknown, set: (more: Partial<Reading>) => void): Refusal {
    if (error instanceof Stopped) {
      set({ state: 'stopped' });
      return {
        code: 'stopped',
        status: 409,
        title: 'Stopped',
        detail: 'The reading was stopped; nothing of it is kept.',
        remedy: 'Read the dump again when you like.'
      };
    }
    set({ state: 'failed' });
    if (error instanceof Unreadable)
      return {
        code: `dump-${error.code}`,
        status: statuses[error.code],
        title: "The dump can't be read",
        detail: error.message,
        remedy: error.remedy
      };
    const words = error instanceof Error ? error.message : String(error);
    if (/aborted|terminated|premature/i.test(words))
      return {
        code: 'cut-off',
        status: 400,
        title: 'The sending was cut off',
        detail: 'The dump did not arrive whole.',
        remedy: 'Send it again.'
      };
    throw error;
  }

  /** The dumps of a cluster, newest first, with what was read. */
  async of(name: string): Promise<Answer<Dump[]>> {
    const found = await this.parts.dumps.of(name);
    return found.length ? done(found) : refused(notFound(`A dump of ${name}`, 'POST /api/v1/clusters?name= reads one.'));
  }

  /** How far the latest dump of a cluster reaches, kind by kind. */
  async scope(name: string): Promise<Answer<ScopeRow[]>> {
    const dump = await this.readCluster(name);
    return dump.ok ? this.parts.rehearsals.ask(name, 'scope', {}) : dump;
  }

  /** Takes what the reader says of the reach of the latest dump; answers change with it. */
  async correct(name: string, corrections: readonly Correction[]): Promise<Answer<ScopeRow[]>> {
    const dump = await this.readCluster(name);
    if (!dump.ok) return dump;
    const { dumps, host, bus } = this.parts;
    await dumps.correct(dump.value.id, corrections);
    const { lists = [], logs = [], others } = dump.value.summary;
    await host.boundRead(name, { lists, logs, others, corrections });
    bus.publish({ rehearsal: name, kind: 'acted', clock: null, revision: 0 });
    return this.scope(name);
  }

  /** What the reader says belongs together with a cluster, as far as it still stands. */
  async joined(name: string): Promise<Answer<Joined>> {
    const dump = await this.readCluster(name);
    if (!dump.ok) return dump;
    const { with: others, operator } = await this.parts.dumps.joined(name);
    const standing = new Set((await this.parts.clusters.all()).flatMap((one) => (one.kind === 'dump' ? [one.name] : [])));
    return done({
      with: others.filter((one) => standing.has(one)),
      ...(operator && standing.has(operator.cluster) ? { operator } : {})
    });
  }

  /** Takes what the reader says of links and of the operator; links count on both sides. */
  async join(name: string, joined: Joined): Promise<Answer<Joined>> {
    const before = await this.joined(name);
    if (!before.ok) return before;
    const { dumps, bus } = this.parts;
    const wanted = [...new Set(joined.with)].sort();
    const strangers = [...wanted, ...(joined.operator ? [joined.operator.cluster] : [])];
    for (const other of strangers)
      if (other === name ? other !== joined.operator?.cluster : !(await dumps.latest(other)))
        return refused(notFound(`A dump of ${other}`, 'Only clusters that were read, other than this one, can be joined with it.'));
    await dumps.join(name, { ...joined, with: wanted });
    for (const other of new Set([...wanted, ...before.value.with])) {
      const its = await dumps.joined(other);
      const rest = its.with.filter((one) => one !== name);
      await dumps.join(other, { ...its, with: wanted.includes(other) ? [...rest, name].sort() : rest });
    }
    for (const one of [name, ...wanted, ...before.value.with]) bus.publish({ rehearsal: one, kind: 'acted', clock: null, revision: 0 });
    return this.joined(name);
  }

  /** A root line over the dumps that the reader has joined; as it is where there are none, where it holds by itself, or where nothing in it goes beyond its cluster. */
  async rootLine(name: string, ref: Ref): Promise<Answer<(RootLine & { sentence: string }) | undefined>> {
    const { rehearsals, dumps } = this.parts;
    const own = await rehearsals.ask(name, 'rootLine', ref);
    const line = own.ok ? own.value : undefined;
    if (!line || !crosses.has(ref.kind) || !looksElsewhere(line) || !(await dumps.latest(name))) return own;
    const joined = await this.joined(name);
    if (!joined.ok || !joined.value.with.length) return own;
    const lineIn = async (cluster: string, of: Ref) => {
      const found = await rehearsals.ask(cluster, 'rootLine', of);
      return found.ok ? found.value : undefined;
    };
    const others: LineOf[] = [];
    for (const cluster of joined.value.with) {
      const its = await lineIn(cluster, ref);
      if (its) others.push({ cluster, line: its });
    }
    const { operator } = joined.value;
    const cared = operator && { kind: operator.kind, namespace: operator.namespace, name: operator.name };
    // Its own operator isn't looked after by itself.
    const itself = operator && cared && operator.cluster === name && ref.name === cared.name && ref.namespace === cared.namespace;
    const its = operator && cared && !itself ? await lineIn(operator.cluster, cared) : undefined;
    const care = operator && cared && !itself ? { cluster: operator.cluster, ref: cared, ...(its ? { line: its } : {}) } : undefined;
    const mine = { cluster: name, line };
    const over = joinLines(mine, others, joined.value.with, care);
    return done({ ...over, sentence: joinedSentence(mine, others, care, over) });
  }

  /** What is wrong in the latest dump of a cluster: all first breaks, grouped by cause. */
  async wrong(name: string): Promise<Answer<WrongView>> {
    const dump = await this.readCluster(name);
    return dump.ok ? this.parts.rehearsals.ask(name, 'wrong', {}) : dump;
  }

  private comparisons = 0;

  /** Two dumps of a cluster beside each other; the latest two unless others are named. */
  async compare(
    name: string,
    before?: number,
    after?: number
  ): Promise<Answer<{ before: Dump; after: Dump; comparison: DumpComparison & { became: WhatBecame } }>> {
    const all = await this.parts.dumps.of(name);
    // The two that were read last, in the order in which they were taken.
    const [one, two] = all.slice(0, 2).sort((a, b) => b.takenMs - a.takenMs || b.id - a.id);
    const later = after === undefined ? one : all.find((three) => three.id === after);
    const earlier =
      before !== undefined
        ? all.find((three) => three.id === before)
        : after === undefined
          ? two
          : all.find((three) => later && three.id !== later.id && three.takenMs <= later.takenMs);
    if (!later || !earlier)
      return refused(notFound(`A second dump of ${name}`, 'Read another dump of the cluster under the same name; the last four are kept.'));
    const { rehearsals, host } = this.parts;
    // Each call has readClusters of its own: two tabs that compare at once would close each other's.
    const call = (this.comparisons += 1);
    const ids = [`${name}#${earlier.id}.${call}`, `${name}#${later.id}.${call}`] as const;
    try {
      await rehearsals.openRead(ids[0], earlier);
      await rehearsals.openRead(ids[1], later);
      return done({ before: earlier, after: later, comparison: await host.compare(...ids) });
    } finally {
      for (const id of ids) await host.close(id);
    }
  }

  private async readCluster(name: string): Promise<Answer<Dump>> {
    const dump = await this.parts.dumps.latest(name);
    if (!dump) return refused(notFound(`A dump of ${name}`, 'POST /api/v1/clusters?name= reads one.'));
    const state = await this.parts.rehearsals.state(name);
    return state.ok ? done(dump) : state;
  }

  /** What has to be supposed to rehearse on a cluster that was read. */
  async assumptions(name: string): Promise<Answer<Assumption[]>> {
    const dump = await this.readCluster(name);
    return dump.ok ? done(await this.parts.host.assumptions(name)) : dump;
  }

  /** Makes a stand-in that goes on from a dump. */
  async rehearse(name: string, as: string, answers: Readonly<Record<string, string>>): Promise<Answer<{ id: string }>> {
    const dump = await this.readCluster(name);
    if (!dump.ok) return dump;
    const fault = nameFault(as, 'label');
    if (fault) return refused(badName(as, fault));
    const { clusters, host, addCluster } = this.parts;
    if (await clusters.find(as)) return refused(clusterTaken(as, 'Choose another name.'));
    if (dump.value.objects > mostRehearsed)
      return refused({
        code: 'too-large',
        status: 413,
        title: 'Too large to rehearse on',
        detail: `A rehearsal takes up to ${mostRehearsed.toLocaleString('en')} objects; this dump has ${dump.value.objects.toLocaleString('en')}.`,
        remedy: 'Read a dump of the namespaces that matter, with nodes, classes and volumes.'
      });
    const supposed = new Map((await host.assumptions(name)).map((one) => [one.id, one]));
    const problems = Object.entries(answers).flatMap(([id, value]): Problem[] => {
      const one = supposed.get(id);
      const remedy = one ? answerFault(one, value) : 'GET assumptions lists what is supposed.';
      const message = one ? `"${value}" is no value here: ${one.says}` : `Nothing is supposed under "${id}".`;
      return remedy === undefined ? [] : [{ code: 'bad-value', message, remedy, at: { field: `answers.${id}` } }];
    });
    if (problems.length)
      return refused({
        code: 'bad-answer',
        status: 422,
        title: "That can't be supposed",
        detail: problems[0]!.message,
        remedy: problems[0]!.remedy ?? '',
        problems
      });
    const ground = await host.groundOf(name, dump.value.takenMs, answers);
    if (!ground.some((one) => one.kind === 'Node'))
      return refused({
        code: 'no-nodes',
        status: 422,
        title: 'There is nothing to stand on',
        detail: 'The dump holds no nodes, so nothing could run.',
        remedy: 'Read a dump that holds Node objects too.'
      });
    const flag = flagOf((await clusters.all()).length);
    await addCluster({ name: as, note: `goes on from a dump of ${name}`, seed: hash32(as) % 100_000, flag, ground, kind: 'adopted' }, [
      { rehearsal: trunkOf(as, 0), actions: [] }
    ]);
    return done({ id: as });
  }
}
