import { z } from 'zod';
import { boundFaults, judge } from '$core/manifest';
import { nameFault, type ApiObject } from '$core/model';
import type { Proof } from '$core/proofs';
import { engineVersion, readAction, type Action, type TimedAction } from '$core/standin';
import type { clusterRepository } from '../repositories/clusters';
import { draftRepository } from '../repositories/drafts';
import { proofRepository } from '../repositories/proofs';
import type { RehearsalRepository } from '../repositories/rehearsals';
import { sumOf } from '../db/sums';
import type { AddCluster } from '../repositories/new-cluster';
import { stillLinked } from './rehearsal-refusals';
import { clusterTaken, done, notFound, refused, type Answer, type Refusal } from './answer';

const ms = z.number().int().min(0);
const action = z.looseObject({ type: z.string().max(40) });
const flag = z.object({ hue: z.number(), weave: z.enum(['twill', 'stripe', 'check', 'dots']) });
const object = z.looseObject({ apiVersion: z.string(), kind: z.string(), metadata: z.looseObject({ name: z.string() }) });

/** A cluster with all that was done in it, as one document. Times are virtual ms. */
export const transferSchema = z.strictObject({
  format: z.literal('root-barn-cluster/1'),
  madeAt: z.string(),
  /** Which loops it ran with; another one may come to another journal from the same actions. */
  engine: z.string(),
  cluster: z.strictObject({
    name: z.string(),
    note: z.string().max(2_000),
    flag,
    seed: z.number().int(),
    kind: z.enum(['standin', 'adopted']),
    ground: z.array(object).max(60_000)
  }),
  rehearsals: z
    .array(
      z.strictObject({
        fork: z.string().nullable(),
        parent: z.string().nullable(),
        forkedAtMs: ms.nullable(),
        headMs: ms,
        frontierMs: ms,
        revision: z.number().int().min(0),
        actions: z.array(z.strictObject({ atMs: ms, action }))
      })
    )
    .min(1)
    .max(500),
  drafts: z
    .array(
      z.strictObject({
        name: z.string().min(1).max(120),
        files: z.array(z.strictObject({ name: z.string().max(200), text: z.string() })).max(200)
      })
    )
    .max(2_000),
  proofs: z
    .array(
      z.strictObject({
        fork: z.string().nullable(),
        namespace: z.string(),
        set: z.string(),
        proof: z.looseObject({ id: z.string(), atMs: ms })
      })
    )
    .max(20_000),
  /** Over everything above, so that what was cut or altered on its way is noticed. */
  sum: z.string()
});
export type Transfer = z.infer<typeof transferSchema>;

const sumOver = ({ sum: _, ...rest }: Transfer | (Omit<Transfer, 'sum'> & { sum?: string })): string => sumOf(JSON.stringify(rest));

interface Parts {
  /** Clusters that a rehearsal has one clock with. */
  linkedWith(id: string): string[];
  readonly clusters: ReturnType<typeof clusterRepository>;
  readonly store: RehearsalRepository;
  readonly addCluster: AddCluster;
  readonly drafts: ReturnType<typeof draftRepository>;
  readonly proofs: ReturnType<typeof proofRepository>;
}

const bad = (detail: string, remedy = 'Export it anew where it comes from.'): Refusal => ({
  code: 'bad-transfer',
  status: 400,
  title: "This can't be taken in",
  detail,
  remedy
});

/** An action as this version knows it; undefined for what is none. */
function knownAction(given: unknown): Action | undefined {
  try {
    return readAction(given);
  } catch {
    return undefined;
  }
}

/** What no cluster here could have taken: what comes from elsewhere is looked over like what is sent. */
function oddObject({ cluster, rehearsals, engine }: Transfer): string | undefined {
  const words = (one: { readonly kind: string; readonly metadata: { readonly name: string } }, message: string) =>
    `${one.kind} ${one.metadata.name} in it can't be taken: ${message}`;
  for (const one of cluster.ground) {
    const [fault] = boundFaults(one as unknown as ApiObject);
    if (fault) return words(one, fault.message);
  }
  for (const { actions } of rehearsals)
    for (const { action: given } of actions) {
      const what = knownAction(given);
      if (!what) return `An action in it (${given.type}) is none that this version knows.`;
      for (const one of what.type === 'send' ? what.objects : []) {
        // What an earlier version has taken is taken again, though this one would ask for more when it is sent.
        const [fault] = engine === engineVersion ? judge(one).faults : boundFaults(one);
        if (fault) return words(one, fault.message);
      }
    }
  return undefined;
}

/** Clusters taken from one machine to another, with their rehearsals, drafts and proofs. */
export class TransferService {
  constructor(private readonly parts: Parts) {}

  /** A cluster as one document; `only` leaves all rehearsals but the trunk and that fork out. Secrets are in it: it would not run without. */
  async give(name: string, only?: string): Promise<Answer<Transfer>> {
    const { clusters, store, drafts, proofs } = this.parts;
    const cluster = await clusters.find(name);
    if (!cluster) return refused(notFound(`The cluster ${name}`));
    const { kind } = cluster;
    const linked = this.parts.linkedWith(only ?? name);
    if (linked.length || this.parts.linkedWith(name).length)
      return refused(stillLinked(only ?? name, linked.length ? linked : this.parts.linkedWith(name)));
    if (kind === 'dump')
      return refused({ ...bad(`${name} is what was read of a real cluster.`, 'Read its dump on the other machine.'), status: 409 });
    if (only !== undefined && (await store.find(only))?.cluster !== name) return refused(notFound(`The fork ${only} of ${name}`));
    // Forks that have one clock with those of other clusters can't be told without them.
    const mine = (await store.all()).filter(
      (one) => one.cluster === name && (only === undefined || one.fork === null || one.id === only) && !this.parts.linkedWith(one.id).length
    );
    const rehearsals: Transfer['rehearsals'] = [];
    const kept: Transfer['proofs'] = [];
    for (const { id, fork, parent, forkedAtMs, headMs, frontierMs, revision } of mine) {
      // Of one that is damaged the actions up to there go along.
      const { actions } = await store.actions(id);
      rehearsals.push({
        fork,
        parent,
        forkedAtMs,
        headMs,
        frontierMs,
        revision,
        actions: actions.map(({ atMs, action: what }) => ({ atMs, action: what }))
      });
      for (const { namespace, set, ...proof } of await proofs.latest(id, Number.MAX_SAFE_INTEGER))
        kept.push({ fork, namespace, set, proof });
    }
    const whole = {
      format: 'root-barn-cluster/1' as const,
      madeAt: new Date().toISOString(),
      engine: engineVersion,
      cluster: { ...cluster, kind, ground: cluster.ground as unknown as Transfer['cluster']['ground'] },
      rehearsals: rehearsals.sort((a, b) => Number(a.fork !== null) - Number(b.fork !== null)),
      drafts: (await drafts.of(name)).map((one) => ({ name: one.name, files: [...one.files] })),
      proofs: kept
    };
    // As it will be read: what JSON leaves out isn't summed.
    const plain = JSON.parse(JSON.stringify(whole)) as Omit<Transfer, 'sum'>;
    return done({ ...plain, sum: sumOver(plain) });
  }

  /** Takes a cluster in, under its own name or another one. */
  async take(text: string, as?: string): Promise<Answer<{ id: string; rehearsals: number; drafts: number; says?: string }>> {
    const { clusters, addCluster } = this.parts;
    let value: unknown;
    try {
      value = JSON.parse(text);
    } catch {
      return refused(bad('It is no JSON, or was cut off.'));
    }
    const parsed = transferSchema.safeParse(value);
    if (!parsed.success) {
      const [first] = parsed.error.issues;
      return refused(bad(`It is no export of Root Barn: ${first!.path.join('.') || 'the whole'}: ${first!.message}.`));
    }
    const given = parsed.data;
    if (sumOver(value as Transfer) !== given.sum) return refused(bad('It is not as it was written: its sum differs.'));
    const name = as ?? given.cluster.name;
    const fault =
      nameFault(name, 'label') ??
      given.rehearsals.map((one) => (one.fork === null ? undefined : nameFault(one.fork, 'label'))).find(Boolean);
    if (fault) return refused({ ...bad(`The name "${name}" ${fault}.`, 'Write lower-case letters, digits and "-".'), code: 'bad-name' });
    if (await clusters.find(name)) return refused(clusterTaken(name, 'Give it another name with ?name=, or take the old one away.'));
    const forks = given.rehearsals.map((one) => one.fork);
    if (new Set(forks).size !== forks.length || !forks.includes(null)) return refused(bad('It holds no trunk, or a fork twice.'));
    const ordered = given.rehearsals.every(({ actions }) => actions.every((one, i) => i === 0 || actions[i - 1]!.atMs <= one.atMs));
    if (!ordered) return refused(bad('Its actions are not in order.'));
    const odd = oddObject(given);
    if (odd) return refused(bad(odd));
    const idOf = (fork: string | null) => (fork === null ? name : `${name}~${fork}`);
    const { seed, flag: its, kind, ground } = given.cluster;
    await addCluster(
      { name, note: `taken in from ${given.cluster.name}`, seed, flag: its, kind, ground: ground as unknown as ApiObject[] },
      given.rehearsals.map(({ fork, parent, actions, ...rest }) => ({
        rehearsal: {
          id: idOf(fork),
          cluster: name,
          fork,
          parent: parent === null ? null : idOf(forks.find((one) => parent.endsWith(`~${one}`)) ?? null),
          ...rest
        },
        actions: actions as unknown as TimedAction[]
      })),
      async (tx) => {
        const [drafts, proofs] = [draftRepository(tx), proofRepository(tx)];
        for (const one of given.drafts) await drafts.add(name, one.name, one.files);
        for (const { fork, namespace, set, proof } of given.proofs)
          await proofs.add(idOf(fork), namespace, set, [proof as unknown as Proof]);
      }
    );
    const other =
      given.engine === engineVersion
        ? {}
        : { says: 'It ran with another version of the stand-in: the same actions may come to another journal here.' };
    return done({ id: name, rehearsals: given.rehearsals.length, drafts: given.drafts.length, ...other });
  }
}
