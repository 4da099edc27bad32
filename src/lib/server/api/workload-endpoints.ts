import { z } from 'zod';
import { blueprints, sentenceFor } from '$core/blueprints';
import { way } from '$core/model';
import { done, notFound, refused } from '../services';
import { endpoint, listed } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const name = z.string().min(1).max(253);
const whole = z.object({ namespace: name, name });
const answers = z.record(z.string(), z.string().max(300));

const op = z.strictObject({
  do: z.string().min(1).max(40),
  place: z.string().max(253).optional(),
  key: z.string().max(1_000).optional(),
  value: z.string().max(10_000).optional(),
  count: z.number().int().min(0).max(2_000_000).optional(),
  bytes: z
    .number()
    .int()
    .min(0)
    .max(2 ** 40)
    .optional(),
  from: z.enum(['beginning', 'last', 'end']).optional(),
  group: z.string().max(200).optional(),
  acks: z.enum(['none', 'leader', 'all']).optional(),
  version: z.number().int().min(0).optional()
});

const planning = [
  endpoint({
    method: 'GET',
    path: '/blueprints',
    summary: 'The kinds of workloads that ship, with their questions',
    answer: 'Blueprints',
    run: async () =>
      done({
        items: blueprints.map((one) => ({
          id: one.id,
          title: one.title,
          says: one.says,
          questions: one.questions,
          sentence: sentenceFor(one)
        }))
      })
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/blueprints/{blueprint}`,
    needs: 'reader',
    deed: null,
    summary: 'What answers to a blueprint come to on this cluster: faults, figures, remarks, manifests. Secrets have no values yet',
    body: z.strictObject({ answers: answers.default({}) }),
    answer: 'BlueprintSheet',
    async run({ app, params, body }) {
      const found = await app.rehearsals.ask(params.id, 'blueprint', { id: params.blueprint, answers: body.answers });
      return !found.ok ? found : found.value ? done(found.value) : refused(notFound(`The blueprint ${params.blueprint}`));
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/blueprints/{blueprint}/draft`,
    deed: 'put a blueprint into a draft',
    summary: 'Put the manifests of a blueprint into a draft, with new secret values (at least 128 random bits each)',
    body: z.strictObject({ answers: answers.default({}) }),
    answer: 'DraftId',
    status: 201,
    run: ({ app, params, body }) => app.draftBlueprint(params.id, params.blueprint, body.answers)
  })
];

const operating = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/operators`,
    summary: 'Operators of the shelf, and the custom resources that they look after',
    answer: 'Operators',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'operators', {})
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/operators/{operator}`,
    needs: 'reader',
    deed: null,
    summary: "The manifests that install an operator, or an order of it to the catalogue's manager",
    body: z.strictObject({
      watches: z.array(name).max(50).default([]),
      version: z.string().max(40).optional(),
      order: z.boolean().default(false)
    }),
    answer: 'Yaml',
    async run({ app, params, body: { watches, version, order } }) {
      const found = await app.rehearsals.ask(params.id, 'operatorYaml', {
        name: params.operator,
        watches,
        order,
        ...(version === undefined ? {} : { version })
      });
      if (!found.ok) return found;
      return found.value === undefined ? refused(notFound(`The operator ${params.operator}`)) : done({ yaml: found.value });
    }
  })
];

const checking = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/findings`,
    summary: 'What the checker says of the manifests that stand in a namespace',
    query: z.object({ namespace: name }),
    answer: 'StandingFindings',
    async run({ app, params, query }) {
      const found = await app.rehearsals.ask(params.id, 'standingFindings', { namespace: query.namespace });
      return found.ok ? done({ items: found.value }) : found;
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/findings/mend`,
    needs: 'reader',
    deed: null,
    summary: "The manifests that a finding's remedy alters or adds; `nth` as the list of findings numbers them",
    body: z.strictObject({ namespace: name, nth: z.number().int().min(0) }),
    answer: 'Yaml',
    async run({ app, params, body }) {
      const found = await app.rehearsals.ask(params.id, 'standingMend', body);
      if (!found.ok) return found;
      return found.value === undefined ? refused(notFound(`A remedy by one press for finding ${body.nth}`)) : done({ yaml: found.value });
    }
  })
];

const working = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/workload`,
    summary: 'One workload: members with role, position and lag, who reaches it, what was asked of it',
    query: whole,
    answer: 'WorkloadSheet',
    async run({ app, params, query }) {
      const found = await app.rehearsals.ask(params.id, 'workload', query);
      return !found.ok ? found : found.value ? done(found.value) : refused(notFound(`The workload ${query.namespace}/${query.name}`));
    }
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/logs`,
    summary: "Lines of members' logs up to the clock's head",
    query: whole.extend({
      text: z.string().max(200).optional(),
      member: name.optional(),
      grave: z.enum(['yes', 'no']).default('no').describe('yes: only what is wrong, or will be if it stays so')
    }),
    answer: 'Logs',
    run: ({ app, params, query }) =>
      app.rehearsals.ask(params.id, 'logs', {
        namespace: query.namespace,
        name: query.name,
        grave: query.grave === 'yes',
        ...(query.text === undefined ? {} : { text: query.text }),
        ...(query.member === undefined ? {} : { member: query.member })
      })
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/asks`,
    deed: 'asked a workload',
    revised: 'rehearsal',
    summary: 'Ask a workload for something as a client would, and run the clock until it has answered (a minute at most)',
    body: z.strictObject({
      namespace: name,
      workload: name,
      member: name.optional(),
      way: way.default('inside'),
      login: z.enum(['right', 'wrong', 'none']).default('right'),
      account: name.optional(),
      op
    }),
    answer: 'Asked',
    run: ({ app, params, body, revision }) => app.askWorkload(params.id, body, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/crash`,
    deed: 'ended a program',
    revised: 'rehearsal',
    summary: "End a member's program without telling it",
    body: z.strictObject({ namespace: name, pod: name }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) => app.rehearsals.act(params.id, { type: 'crash', ...body }, revision)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/rest`,
    deed: 'stopped a workload',
    revised: 'rehearsal',
    summary: 'Stop a whole workload in order, its state kept',
    body: z.strictObject({ namespace: name, workload: name }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) =>
      app.rehearsals.send(
        params.id,
        [
          {
            apiVersion: 'standin.example/v1',
            kind: 'Rest',
            metadata: { name: body.workload, namespace: body.namespace },
            spec: { workload: body.workload }
          }
        ],
        revision
      )
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/wake`,
    deed: 'started a workload',
    revised: 'rehearsal',
    summary: 'Start a workload that rests, in order',
    body: z.strictObject({ namespace: name, workload: name }),
    answer: 'Acted',
    run: ({ app, params, body, revision }) =>
      app.rehearsals.remove(params.id, { ref: { kind: 'Rest', namespace: body.namespace, name: body.workload } }, revision)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/nodes/{node}/emptying-sheet`,
    summary: 'What emptying a node would do, pod by pod',
    query: z.object({ losesDirectories: z.enum(['true', 'false']).default('false') }),
    answer: 'EmptyingSheet',
    run: ({ app, params, query }) =>
      listed(app.rehearsals.ask(params.id, 'emptying', { node: params.node, losesDirectories: query.losesDirectories === 'true' }))
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/nodes/{node}/empty`,
    deed: 'emptied or opened a node',
    revised: 'rehearsal',
    summary: 'Empty a node: close it, and send its pods away as disruption budgets allow; or open it again',
    body: z.strictObject({ open: z.boolean().default(false), losesDirectories: z.boolean().default(false) }),
    answer: 'Acted',
    async run({ app, params, body, revision }) {
      const { node = '', id = '' } = params;
      const found = await app.rehearsals.ask(id, 'objects', { kind: 'Node', name: node });
      if (!found.ok) return found;
      if (!found.value.length) return refused(notFound(`The node ${node}`));
      const spec = { nodes: [node], losesDirectories: body.losesDirectories };
      return body.open
        ? app.rehearsals.remove(id, { ref: { kind: 'Emptying', namespace: '', name: node } }, revision)
        : app.rehearsals.send(id, [{ apiVersion: 'standin.example/v1', kind: 'Emptying', metadata: { name: node }, spec }], revision);
    }
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/tunnels`,
    deed: 'opened or closed a tunnel',
    revised: 'rehearsal',
    summary: 'Open a tunnel to a service, or close it',
    body: z.strictObject({ namespace: name, service: name, open: z.boolean() }),
    answer: 'Acted',
    run({ app, params, body, revision }) {
      const tunnel = { name: `to-${body.service}`, namespace: body.namespace };
      return body.open
        ? app.rehearsals.send(
            params.id,
            [{ apiVersion: 'standin.example/v1', kind: 'Tunnel', metadata: tunnel, spec: { service: body.service } }],
            revision
          )
        : app.rehearsals.remove(params.id, { ref: { kind: 'Tunnel', ...tunnel } }, revision);
    }
  })
];

/** What concerns workloads: blueprints, asking, logs, rest, tunnels. */
export const workloadEndpoints = [...planning, ...operating, ...checking, ...working];
