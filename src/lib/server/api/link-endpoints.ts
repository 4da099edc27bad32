import { z } from 'zod';
import { linkSchema } from '$core/model';
import { endpoint } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const cluster = z.string().min(1).max(63);
const end = linkSchema.shape.spec.shape;
const workload = { namespace: z.string().min(1).max(63), workload: z.string().min(1).max(253) };
const way = z.enum(['members', 'standby', 'copy']);

/** Clusters with one clock: links between them, and what stands over several. */
export const linkEndpoints = [
  endpoint({
    method: 'POST',
    path: `${rehearsal}/join`,
    deed: 'linked a cluster',
    revised: 'rehearsal',
    summary: 'Link the cluster with another one; from then on the two have one clock, that of the later one',
    body: z.strictObject({
      with: cluster.describe('the other cluster; in a fork its fork of the same name'),
      delayMs: end.delayMs.describe('how long a message takes one way'),
      bytesPerSecond: end.bytesPerSecond.describe('what it carries; without it as much as is sent'),
      lossPercent: end.lossPercent.describe('so many of a hundred messages are sent again'),
      names: z.boolean().default(true).describe("whether names of the other's services are found"),
      addresses: z.boolean().default(true).describe('whether addresses of pods and services are carried'),
      encrypted: end.encrypted,
      version: end.version
    }),
    answer: 'Joined',
    run: ({ app, params, body: { with: other, names, addresses, bytesPerSecond, ...link }, revision }) =>
      app.rehearsals.join(
        params.id,
        other,
        { ...link, ...(bytesPerSecond === undefined ? {} : { bytesPerSecond }), carries: { names, addresses } },
        revision
      )
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/linked`,
    summary:
      'The clusters that have one clock with this one: links, workloads over several of them and what they survive, rights of operators',
    answer: 'Linked',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'linked', {})
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/reach`,
    needs: 'reader',
    deed: null,
    summary: 'Have a pod in each linked cluster call the one in each other by name, on a fork that is thrown away',
    answer: 'Reach',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'reach', {})
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/moves`,
    summary: "How a workload would go to a linked cluster: what it takes there, what doesn't fit, and three ways with their steps",
    query: z.object({
      ...workload,
      to: cluster.or(z.literal('')).default('').describe('the cluster; without it the first one that is linked')
    }),
    answer: 'Moves',
    run: ({ app, params, query }) => app.rehearsals.ask(params.id, 'moves', query)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/moves/try`,
    needs: 'reader',
    deed: null,
    summary: 'Carry a move out on a fork that is thrown away, while a client writes once a second: how long, the pause, what is lost',
    body: z.strictObject({ ...workload, to: cluster, way }),
    answer: 'TriedMove',
    run: ({ app, params, body }) => app.tryMove(params.id, body)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/moves/draft`,
    deed: 'put a step of a move into a draft',
    summary: 'Put what one step of a move sends into a draft of the cluster that it goes to, with new secret values',
    body: z.strictObject({ ...workload, to: cluster, way, step: z.number().int().min(0).max(20).describe('which step, from 0') }),
    answer: 'MoveDraft',
    status: 201,
    run: ({ app, params, body }) => app.draftMove(params.id, body)
  })
];
