import { z } from 'zod';
import { linkSchema } from '$core/model';
import { endpoint } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const cluster = z.string().min(1).max(63);
const end = linkSchema.shape.spec.shape;

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
  })
];
