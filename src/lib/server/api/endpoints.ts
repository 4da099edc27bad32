import { z } from 'zod';
import { kindEntries, type Kind, type Ref } from '$core/model';
import { writeManifests } from '$core/manifest';
import { linedKinds } from '$core/rootline';
import { done, notFound, refused } from '../services';
import { bring } from '../services/bring';
import { frameOf } from '../services/frame';
import { backupEndpoints } from './backup-endpoints';
import { drillEndpoints } from './drill-endpoints';
import { endpoint, listed } from './endpoint';
import { accessEndpoints } from './access-endpoints';
import { draftEndpoints } from './draft-endpoints';
import { dumpEndpoints } from './dump-endpoints';
import { cardEndpoints } from './card-endpoints';
import { sizingEndpoints } from './sizing-endpoints';
import { linkEndpoints } from './link-endpoints';
import { storageEndpoints } from './storage-endpoints';
import { workloadEndpoints } from './workload-endpoints';

export type { Endpoint } from './endpoint';

const kind = z.enum(kindEntries.map((one) => one.kind) as [Kind, ...Kind[]]);
const ms = z.number().int().min(0);
const msText = z.coerce.number().int().min(0);
const refQuery = z.object({ kind, namespace: z.string().default(''), name: z.string().min(1) });
const removal = z.object({
  kind,
  namespace: z.string().default(''),
  name: z.string().min(1),
  keepMembers: z.boolean().default(false),
  force: z.boolean().default(false).describe('pods go at once, whether or not their nodes have ended them'),
  foreground: z.boolean().default(false).describe('what it owns goes first, and it stands until all of that has gone'),
  more: z.array(refQuery).default([])
});
const rehearsal = '/rehearsals/{id}';
const secretsQuery = z.enum(['keep', 'drop']).default('drop').describe('keep: with the values of secrets, which is written down');

const setsIn = (text: string | undefined): Ref[] =>
  (text ?? '').split(',').flatMap((one) => {
    const [namespace = '', name = ''] = one.split('/');
    return name ? [{ kind: 'StatefulSet', namespace, name }] : [];
  });

const moves = z.union([
  z.strictObject({ until: z.literal('settled') }),
  z.strictObject({ untilMs: ms }),
  z.strictObject({ step: z.union([z.literal(1), z.literal(-1)]) }),
  z.strictObject({ run: z.number().positive().max(3_600).describe('virtual ms per ms') }),
  z.strictObject({ pause: z.literal(true) })
]);

const estate = [
  endpoint({
    method: 'POST',
    path: '/bring',
    needs: 'reader',
    deed: null,
    summary: 'Where manifests fit, and a cluster that would have what they ask for',
    body: 'manifests',
    answer: 'Brought',
    run: ({ app, body }) => bring(app, body)
  }),
  endpoint({
    method: 'POST',
    path: '/demo',
    deed: 'laid the demo down',
    summary: "Lay the demo's clusters down on an empty estate",
    answer: 'ClusterNames',
    run: ({ app }) => app.openDemo()
  }),
  endpoint({
    method: 'GET',
    path: '/clusters',
    summary: 'All clusters of the estate, with their stacks',
    answer: 'Estate',
    run: async ({ app }) => done({ items: await app.estate() })
  }),
  endpoint({
    method: 'GET',
    path: '/rehearsals',
    summary: 'All rehearsals: trunks and forks',
    answer: 'Rehearsals',
    run: async ({ app }) => done({ items: await app.rehearsals.all() })
  }),
  endpoint({
    method: 'GET',
    path: rehearsal,
    summary: 'One rehearsal and its clock',
    answer: 'Rehearsal',
    run: ({ app, params }) => app.rehearsals.state(params.id)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/frame`,
    summary: 'Clock, levels and lanes of one moment',
    answer: 'Frame',
    run: ({ app, params }) => frameOf(app, params.id)
  }),
  endpoint({
    method: 'DELETE',
    path: rehearsal,
    deed: 'took a fork away',
    revised: 'rehearsal',
    summary: 'Take a fork away',
    answer: 'RehearsalId',
    run: ({ app, params, revision }) => app.rehearsals.drop(params.id, revision)
  })
];

const acting = [
  endpoint({
    method: 'POST',
    path: `${rehearsal}/send`,
    deed: 'sent manifests',
    revised: 'rehearsal',
    summary: 'Send manifests; refused as a whole or taken as a whole',
    query: z.object({
      replace: z
        .string()
        .optional()
        .describe('sets, as namespace/name with commas between, that are taken away first with their members kept'),
      confirm: z.string().optional().describe("the cluster's name, where data would be lost")
    }),
    body: 'manifests',
    answer: 'Acted',
    async run({ app, params, query, body, revision, signal }) {
      const read = await app.rehearsals.read(body, signal);
      if (!read.ok) return read;
      const replace = setsIn(query.replace);
      const loss = await app.rehearsals.lossGuard(params.id, read.value, replace, query.confirm);
      return loss ? refused(loss) : app.rehearsals.send(params.id, read.value, revision, replace);
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/change-sheet`,
    needs: 'reader',
    deed: null,
    summary: 'What sending these manifests would do',
    body: 'manifests',
    answer: 'ChangeSheet',
    async run({ app, params, body, signal }) {
      const read = await app.rehearsals.read(body, signal);
      return read.ok ? app.rehearsals.ask(params.id, 'changeSheet', { objects: read.value }) : read;
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/remove`,
    deed: 'took an object away',
    revised: 'rehearsal',
    summary:
      'Take an object away; keepMembers leaves what it owns, force takes pods away without their nodes, foreground takes what it owns away first',
    body: removal,
    answer: 'Acted',
    run: ({ app, params, body: { keepMembers, force, foreground, more, ...ref }, revision }) =>
      app.rehearsals.remove(params.id, { ref, keepMembers, force, foreground, more }, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/removal-sheet`,
    needs: 'reader',
    deed: null,
    summary: 'What taking an object away would do',
    body: removal,
    answer: 'RemovalSheet',
    run: ({ app, params, body: { keepMembers, force, foreground, more: _, ...ref } }) =>
      app.rehearsals.ask(params.id, 'removal', { ref, keepMembers, force, foreground })
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/scale`,
    deed: 'asked for another number of members',
    revised: 'rehearsal',
    summary: 'Ask for another number of members',
    body: z.strictObject({ namespace: z.string().min(1), name: z.string().min(1), replicas: z.number().int().min(0).max(1_000) }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) => app.rehearsals.scale(params.id, body, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/grow`,
    deed: 'asked for a larger claim',
    revised: 'rehearsal',
    summary: 'Ask for a larger claim',
    body: z.strictObject({ namespace: z.string().min(1), name: z.string().min(1), size: z.string().min(1) }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) => app.rehearsals.grow(params.id, body, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/undo`,
    deed: 'took the latest action back',
    revised: 'rehearsal',
    summary: 'Take the latest action back',
    answer: 'Clock',
    run: ({ app, params, revision }) => app.rehearsals.undo(params.id, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/clock`,
    deed: null,
    revised: 'rehearsal',
    summary: 'Move the clock',
    body: moves,
    answer: 'ClockMoved',
    run: ({ app, params, body, revision }) => app.rehearsals.move(params.id, body, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/forks`,
    deed: 'forked',
    revised: 'rehearsal',
    summary: "Fork the rehearsal at a moment (the clock's, when none is given)",
    body: z.strictObject({ name: z.string().min(1), atMs: ms.optional() }),
    answer: 'Rehearsal',
    status: 201,
    run: ({ app, params, body, revision }) => app.rehearsals.fork(params.id, body.name, body.atMs, revision)
  })
];

const reading = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/objects`,
    summary: "Objects as in manifests, at the clock's moment",
    query: z.object({ kind: kind.optional(), namespace: z.string().optional(), name: z.string().optional(), secrets: secretsQuery }),
    answer: 'Objects',
    run: ({ app, params, query }) => listed(app.rehearsals.ask(params.id, 'objects', query))
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/root-line`,
    summary: 'The root line of a pod, a set, a claim, a volume or a snapshot',
    query: refQuery,
    answer: 'RootLine',
    async run({ app, params, query }) {
      const line = await app.reading.rootLine(params.id, query);
      if (!line.ok) return line;
      if (!line.value)
        return refused(
          notFound(
            `${query.kind} ${query.namespace}/${query.name}`,
            `A root line is drawn for ${linedKinds.join(', ')}, of an object that exists at the clock's moment.`
          )
        );
      const joints = line.value.joints.map(({ remedy, ...joint }) => ({
        ...joint,
        ...(remedy
          ? {
              remedy: {
                text: remedy.text,
                ...(remedy.in === undefined ? {} : { in: remedy.in }),
                ...(remedy.manifests ? { manifests: writeManifests(remedy.manifests) } : {})
              }
            }
          : {})
      }));
      return done({ ...line.value, joints });
    }
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/resolve`,
    summary: 'Look a name up as a pod of a namespace would',
    query: z.object({ namespace: z.string().min(1), name: z.string().min(1) }),
    answer: 'Resolution',
    run: ({ app, params, query }) => app.rehearsals.ask(params.id, 'resolve', query)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/journal`,
    summary: "Changes in a span of time, and the SHA-256 of all changes up to the clock's moment",
    query: z.object({
      fromMs: msText.default(0),
      toMs: msText.optional(),
      limit: z.coerce.number().int().min(0).max(20_000).default(5_000),
      secrets: secretsQuery
    }),
    answer: 'Journal',
    run: ({ app, params, query }) => app.rehearsals.journal(params.id, query.fromMs, query.toMs, query.limit, query.secrets === 'keep')
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/manifests`,
    summary: 'What people sent and still stands, as ordered YAML; the values of secrets only when asked for',
    query: z.object({ namespace: z.string().optional(), secrets: z.enum(['keep', 'drop']).default('drop') }),
    answer: 'Manifests',
    run: ({ app, params, query }) => app.rehearsals.ask(params.id, 'manifests', query)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/find`,
    summary: 'Objects whose name contains a text',
    query: z.object({ text: z.string().min(1) }),
    answer: 'Names',
    run: ({ app, params, query }) => listed(app.rehearsals.ask(params.id, 'find', query))
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sheets/ground`,
    summary: 'What the ground sheet shows',
    answer: 'GroundSheet',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'ground', {})
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sheets/supply`,
    summary: 'What the supply sheet shows',
    answer: 'SupplySheet',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'supply', {})
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sheets/members`,
    summary: 'What the members sheet shows',
    answer: 'MembersSheet',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'members', {})
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sheets/tape`,
    summary: 'What the tape shows',
    answer: 'Tape',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'tape', {})
  })
];

const proving = [
  endpoint({
    method: 'POST',
    path: `${rehearsal}/proofs`,
    deed: 'ran proofs',
    revised: 'rehearsal',
    summary: 'Run the proof pack on a workload (named by itself or by one of its sets) and keep the evidence',
    body: z.strictObject({
      namespace: z.string().min(1),
      set: z.string().min(1),
      messages: z.number().int().min(1_000).max(2_000_000).optional().describe('how many messages a log broker is proved with')
    }),
    answer: 'Proofs',
    run: ({ app, params, body, revision }) => listed(app.prove(params.id, body.namespace, body.set, body.messages, revision))
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/proofs`,
    summary: 'The latest proofs, with their evidence',
    answer: 'KeptProofs',
    run: ({ app, params }) => listed(app.keptProofs(params.id))
  })
];

/** The whole interface for programs. */
export const endpoints = [
  ...estate,
  ...acting,
  ...reading,
  ...workloadEndpoints,
  ...backupEndpoints,
  ...drillEndpoints,
  ...linkEndpoints,
  ...cardEndpoints,
  ...sizingEndpoints,
  ...storageEndpoints,
  ...proving,
  ...draftEndpoints,
  ...dumpEndpoints,
  ...accessEndpoints
];

export type Endpoints = (typeof endpoints)[number];
