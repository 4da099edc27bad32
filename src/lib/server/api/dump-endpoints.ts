import { z } from 'zod';
import { done, refused, type Refusal } from '../services';
import { endpoint, listed } from './endpoint';

const unnamed: Refusal = {
  code: 'bad-request',
  status: 400,
  title: 'The cluster has no name',
  detail: 'The query names no cluster.',
  remedy: 'Add ?name=, e.g. ?name=prod-west.'
};

/** Reading real clusters from dumps. `POST /clusters?name=` streams its body, so it is answered in dispatch by {@link readingPath}. */
export const dumpEndpoints = [
  endpoint({
    method: 'GET',
    path: '/rehearsals/{id}/dump',
    summary: 'All objects with their status, as an export of a real cluster would show them: nothing of the provider',
    deed: 'exported all objects',
    query: z.object({ secrets: z.enum(['keep', 'drop']).default('drop') }),
    answer: 'Dump',
    run: ({ app, params, query }) => app.rehearsals.ask(params.id, 'dump', query)
  }),
  endpoint({
    method: 'GET',
    path: '/readings',
    summary: 'All readings of dumps that are under way, or ended within the last half minute',
    answer: 'Readings',
    run: async ({ app }) => done({ items: app.reading.list() })
  }),
  endpoint({
    method: 'GET',
    path: '/readings/{reading}',
    summary: 'How far the reading of a dump has got',
    answer: 'Reading',
    run: async ({ app, params }) => app.reading.progress(params.reading)
  }),
  endpoint({
    method: 'DELETE',
    path: '/readings/{reading}',
    needs: 'reader',
    deed: null,
    summary: 'Stop the reading of a dump; nothing of it is kept',
    answer: 'ReadingId',
    run: async ({ app, params }) => app.reading.stop(params.reading)
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/dumps',
    summary: 'What was read of a cluster: kinds, problems, kinds that are not known here',
    answer: 'Dumps',
    run: ({ app, params }) => listed(app.reading.of(params.name))
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/wrong',
    summary: 'What is wrong in the latest dump of a cluster: all first breaks, grouped by cause, the one that most wait on first',
    answer: 'Wrong',
    run: ({ app, params }) => app.reading.wrong(params.name)
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/scope',
    summary: 'How far the latest dump of a cluster reaches: kind by kind, and namespace by namespace, whether it was exported',
    answer: 'Scope',
    run: ({ app, params }) => listed(app.reading.scope(params.name))
  }),
  endpoint({
    method: 'PUT',
    path: '/clusters/{name}/scope',
    deed: 'corrected the reach of a dump',
    summary: 'Say of kinds, or of kinds in a namespace, whether they were exported whole; this takes the place of what was said before',
    body: z.strictObject({
      items: z
        .array(
          z.strictObject({
            kind: z.string().min(1).max(120),
            namespace: z.string().max(253).default(''),
            reach: z.enum(['contained', 'left-out'])
          })
        )
        .max(2_000)
    }),
    answer: 'Scope',
    run: ({ app, params, body }) => listed(app.reading.correct(params.name, body.items))
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/joined',
    summary: 'Which other clusters that were read a cluster is linked with, and who looks after its workloads, as the reader says',
    answer: 'DumpsJoined',
    run: ({ app, params }) => app.reading.joined(params.name)
  }),
  endpoint({
    method: 'PUT',
    path: '/clusters/{name}/joined',
    deed: 'joined dumps',
    summary: 'Say which clusters that were read are linked, and which workload is the operator; root lines run over all of them then',
    body: z.strictObject({
      with: z.array(z.string().min(1).max(63)).max(20),
      operator: z
        .strictObject({
          cluster: z.string().min(1).max(63),
          kind: z.enum(['Deployment', 'StatefulSet']).default('Deployment'),
          namespace: z.string().min(1).max(63),
          name: z.string().min(1).max(253)
        })
        .optional()
    }),
    answer: 'DumpsJoined',
    run: ({ app, params, body: { operator, ...rest } }) => app.reading.join(params.name, { ...rest, ...(operator ? { operator } : {}) })
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/comparison',
    summary: 'Two dumps of a cluster beside each other: what came, went, changed, and what waits since when',
    query: z.object({ before: z.coerce.number().int().optional(), after: z.coerce.number().int().optional() }),
    answer: 'Comparison',
    async run({ app, params, query }) {
      const found = await app.reading.compare(params.name, query.before, query.after);
      if (!found.ok) return found;
      const { before, after, comparison } = found.value;
      const short = ({ id, takenMs, objects, readAt }: typeof before) => ({ id, takenMs, objects, readAt });
      return done({ before: short(before), after: short(after), ...comparison });
    }
  }),
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/assumptions',
    summary: 'What has to be supposed to rehearse on a cluster that was read',
    answer: 'Assumptions',
    run: ({ app, params }) => listed(app.reading.assumptions(params.name))
  }),
  endpoint({
    method: 'POST',
    path: '/clusters/{name}/rehearsals',
    deed: 'made a stand-in from a dump',
    summary: 'Rehearse from a dump: a stand-in that goes on from its state',
    body: z.strictObject({
      name: z.string().min(1).describe('of the stand-in'),
      answers: z.record(z.string(), z.string().max(200)).default({})
    }),
    answer: 'ClusterId',
    status: 201,
    run: ({ app, params, body }) => app.reading.rehearse(params.name, body.name, body.answers)
  }),
  endpoint({
    method: 'POST',
    path: '/clusters/read',
    needs: 'reader',
    deed: 'read a dump',
    summary: 'Read a dump of a real cluster (also POST /clusters?name=): YAML or JSON, plain, .gz, .tar, .tar.gz or .zip',
    query: z.object({
      name: z.string().optional(),
      secrets: z.enum(['drop', 'keep']).default('drop').describe('whether the values of secrets are kept'),
      reading: z.string().max(80).optional().describe('a name of your own for GET and DELETE /readings/{reading}')
    }),
    body: 'stream',
    answer: 'DumpRead',
    status: 201,
    async run({ app, query, body }) {
      if (!query.name) return refused(unnamed);
      return app.reading.read(query.name, body, { secrets: query.secrets === 'keep', reading: query.reading ?? crypto.randomUUID() });
    }
  })
];
