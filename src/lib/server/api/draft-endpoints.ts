import { z } from 'zod';
import { rules, sarifOf } from '$core/checker';
import { done, notFound, refused } from '../services';
import { fitTable } from '../services/fit';
import { endpoint, listed } from './endpoint';

const text = z.string().max(5 * 2 ** 20);
const fileName = z
  .string()
  .min(1)
  .max(200)
  .regex(/^(?!\/)(?!.*(^|\/)\.\.(\/|$))[^\0\\]+$/, 'a file name without ".." and not beginning with "/"');
const files = z
  .array(z.strictObject({ name: fileName, text }))
  .min(1)
  .max(200)
  .refine((list) => new Set(list.map((one) => one.name)).size === list.length, 'two files have the same name');
const answers = z.record(z.string(), z.string().max(300));
const ref = z.object({ kind: z.string(), namespace: z.string(), name: z.string() });
const unknownDraft = (id: string) => notFound(`The draft ${id}`, 'It may have been thrown away.');

const checking = [
  endpoint({
    method: 'POST',
    path: '/check',
    needs: 'reader',
    deed: null,
    summary: 'What the checker says of manifests, by themselves or against a rehearsal',
    query: z.object({
      against: z.string().optional().describe('a rehearsal'),
      format: z.enum(['json', 'sarif']).default('json').describe('sarif: a SARIF 2.1.0 log'),
      file: z.string().default('manifests.yaml').describe('the name that a SARIF log gives the file')
    }),
    body: 'manifests',
    answer: 'Checked',
    async run({ app, query, body, signal }) {
      const found = await app.rehearsals.check(body, query.against, signal);
      if (!found.ok) return found;
      if (query.format === 'sarif') return done(sarifOf(found.value.findings, query.file));
      return done({
        findings: found.value.findings.map(({ at, ...one }) => ({
          code: one.code,
          severity: one.severity,
          line: at.line ?? 1,
          column: at.column ?? 1,
          ...(at.object ? { object: at.object } : {}),
          message: one.message,
          remedy: one.remedy,
          ...(one.mend ? { mend: one.mend } : {}),
          ...(one.accepted ? { accepted: one.accepted } : {})
        }))
      });
    }
  }),
  endpoint({
    method: 'GET',
    path: '/rules',
    summary: 'All rules of the checker, with examples',
    answer: 'Rules',
    run: async () =>
      done({
        items: rules.map(({ id, level, title, why, bad, good, against }) => ({
          id,
          level,
          title,
          why,
          bad,
          good,
          ...(against ? { against } : {})
        }))
      })
  })
];

const keeping = [
  endpoint({
    method: 'GET',
    path: '/clusters/{name}/drafts',
    summary: 'Drafts for a cluster',
    answer: 'Drafts',
    run: async ({ app, params }) => done({ items: await app.drafts.of(params.name) })
  }),
  endpoint({
    method: 'POST',
    path: '/clusters/{name}/drafts',
    deed: 'began a draft',
    summary: 'Begin a draft, from one text or from several files',
    body: z.strictObject({ name: z.string().min(1).max(120), text: text.optional(), files: files.optional() }),
    answer: 'Draft',
    status: 201,
    async run({ app, params, body }) {
      if (!(await app.clusters.find(params.name)))
        return refused(notFound(`The cluster ${params.name}`, 'GET /api/v1/clusters lists them.'));
      const given = body.files ?? [{ name: 'draft.yaml', text: body.text ?? '' }];
      return done(await app.drafts.find(await app.drafts.add(params.name, body.name, given)));
    }
  }),
  endpoint({
    method: 'GET',
    path: '/drafts/{draft}',
    summary: 'One draft',
    answer: 'Draft',
    async run({ app, params }) {
      const draft = await app.drafts.find(Number(params.draft));
      return draft ? done(draft) : refused(unknownDraft(params.draft));
    }
  }),
  endpoint({
    method: 'PUT',
    path: '/drafts/{draft}',
    revised: 'draft',
    deed: null,
    summary: 'Keep what was written; each change becomes a state that can be gone back to',
    body: z.strictObject({
      name: z.string().min(1).max(120).optional(),
      text: text.optional(),
      files: files.optional(),
      cause: z.string().max(80).optional()
    }),
    answer: 'Draft',
    async run({ app, params, body: { text: only, ...body }, revision, caller }) {
      const given = body.files ?? (only === undefined ? undefined : [{ name: 'draft.yaml', text: only }]);
      const kept = await app.writing.keep(
        Number(params.draft),
        {
          ...(body.name === undefined ? {} : { name: body.name }),
          ...(given ? { files: given } : {}),
          ...(body.cause ? { cause: body.cause } : {})
        },
        revision
      );
      if (kept.ok) app.tellDraft(kept.value, caller);
      return kept;
    }
  }),
  endpoint({
    method: 'DELETE',
    path: '/drafts/{draft}',
    revised: 'draft',
    deed: 'threw a draft away',
    summary: 'Throw a draft away',
    answer: 'DraftId',
    run: ({ app, params, revision }) => app.writing.remove(Number(params.draft), revision)
  }),
  ...(['undo', 'redo'] as const).map((to) =>
    endpoint({
      method: 'POST',
      path: `/drafts/{draft}/${to}`,
      revised: 'draft',
      deed: null,
      summary: to === 'undo' ? 'Step back to the state before' : 'Step on to the state that followed',
      answer: 'Draft',
      run: ({ app, params, revision }) => app.writing.step(Number(params.draft), to, revision)
    })
  ),
  endpoint({
    method: 'GET',
    path: '/drafts/{draft}/states',
    summary: 'All that a draft has been, newest first',
    answer: 'DraftStates',
    async run({ app, params }) {
      const id = Number(params.draft);
      return (await app.drafts.find(id)) ? done({ items: await app.drafts.states(id) }) : refused(unknownDraft(params.draft));
    }
  }),
  endpoint({
    method: 'GET',
    path: '/drafts/{draft}/states/{state}',
    summary: 'What a draft said in one of its states',
    answer: 'DraftState',
    async run({ app, params }) {
      const found = await app.drafts.filesOf(Number(params.draft), Number(params.state));
      return found
        ? done({ files: found })
        : refused(notFound(`The state ${params.state}`, 'GET /api/v1/drafts/{draft}/states lists them.'));
    }
  }),
  endpoint({
    method: 'POST',
    path: '/drafts/{draft}/send',
    deed: 'sent a draft',
    revised: 'rehearsal',
    summary: "Send a draft to a rehearsal; what loses data needs the cluster's name",
    body: z.strictObject({
      rehearsal: z.string().min(1),
      confirm: z.string().optional().describe("the cluster's name, where data would be lost"),
      replace: z.array(ref).default([]).describe('sets that are taken away first with their members kept')
    }),
    answer: 'DraftSent',
    run: ({ app, params, body, revision }) =>
      app.writing.send(Number(params.draft), body.rehearsal, { replace: body.replace as never, confirm: body.confirm, revision })
  }),
  endpoint({
    method: 'GET',
    path: '/drafts/{draft}/sent',
    summary: 'Where a draft was sent, and what has drifted there since',
    answer: 'DraftDrift',
    run: ({ app, params }) => listed(app.writing.sent(Number(params.draft)))
  })
];

const looking = [
  endpoint({
    method: 'POST',
    path: '/rehearsals/{id}/look',
    needs: 'reader',
    deed: null,
    summary: 'Findings, objects, references and (when asked for) the change sheet of the files of a draft',
    body: z.strictObject({ files, sheet: z.boolean().default(false), replace: z.array(ref).default([]) }),
    answer: 'Look',
    run: ({ app, params, body }) => app.rehearsals.look(params.id, body.files, { sheet: body.sheet, replace: body.replace as never })
  }),
  endpoint({
    method: 'GET',
    path: '/rehearsals/{id}/names',
    summary: 'Names that exist there, for completion',
    answer: 'Names',
    run: ({ app, params }) => listed(app.rehearsals.names(params.id))
  }),
  endpoint({
    method: 'POST',
    path: '/rehearsals/{id}/brief',
    needs: 'reader',
    deed: null,
    summary: "The blueprint's questions that the files of a draft answer; with `to` the edits that answer them so",
    body: z.strictObject({
      files,
      which: z.string().max(520).optional().describe('`namespace/name` of a workload'),
      known: answers.optional(),
      to: answers.optional()
    }),
    answer: 'Brief',
    run: ({ app, params, body }) => app.brief(params.id, body)
  }),
  endpoint({
    method: 'POST',
    path: '/rehearsals/{id}/rework',
    needs: 'reader',
    deed: null,
    summary: 'Edits for a draft: move it to another namespace, leave parts out, lift values out by cluster, write values in',
    body: z.strictObject({
      files,
      move: z.strictObject({ from: z.string().min(1), to: z.string().min(1) }).optional(),
      leaveOut: z.array(z.string()).optional().describe('`Kind namespace/name`'),
      lift: z.literal(true).optional(),
      writeIn: z.string().optional().describe('a cluster')
    }),
    answer: 'Rework',
    run: ({ app, params, body: { files: given, ...what } }) => app.rehearsals.rework(params.id, given, what)
  }),
  endpoint({
    method: 'POST',
    path: '/rehearsals/{id}/persist',
    needs: 'reader',
    deed: null,
    summary:
      'The move of a workload from an ephemeral directory to a claim; rehearse: run it, and the next rollout, on a fork that is thrown away',
    body: z.strictObject({
      kind: z.enum(['Deployment', 'StatefulSet']),
      namespace: z.string().min(1),
      name: z.string().min(1),
      volume: z.string().min(1),
      className: z.string().min(1).optional(),
      size: z.string().regex(/^\d+(\.\d+)?([KMGT]i?)?$/),
      mode: z.enum(['ReadWriteOnce', 'ReadWriteMany']).default('ReadWriteOnce'),
      strategy: z.enum(['Recreate', 'RollingUpdate']).default('Recreate'),
      rehearse: z.boolean().default(false)
    }),
    answer: 'Persist',
    async run({ app, params, body: { rehearse, ...wish } }) {
      const found = await app.rehearsals.ask(params.id, 'persist', { wish: wish as never, rehearse });
      if (!found.ok) return found;
      if (found.value) return done(found.value);
      return refused(notFound(`An ephemeral directory ${wish.volume} of ${wish.kind} ${wish.namespace}/${wish.name}`));
    }
  }),
  endpoint({
    method: 'GET',
    path: '/rehearsals/{id}/ephemeral',
    summary: 'Workloads that keep something in an ephemeral directory',
    answer: 'EphemeralDirectories',
    run: ({ app, params }) => listed(app.rehearsals.ask(params.id, 'ephemeral', {}))
  })
];

const traits = z.strictObject({ grows: z.boolean().optional(), keeps: z.boolean().optional(), encrypts: z.boolean().optional() });

const fitting = [
  endpoint({
    method: 'POST',
    path: '/rehearsals/{id}/fit',
    needs: 'reader',
    deed: null,
    summary: 'How the files of a draft fit every cluster of the estate, need by need, with the values that would mend them',
    body: z.strictObject({
      files,
      must: z.record(z.string(), traits).default({}).describe('what a class must do, by its name; left out: what it does here'),
      tried: z.boolean().default(false).describe('send it on a fork of each cluster, too, and say what comes up')
    }),
    answer: 'Fits',
    run: ({ app, params, body }) => fitTable(app, params.id, body.files, body.must as never, body.tried)
  })
];

/** Checking, keeping, sending and reworking drafts. */
export const draftEndpoints = [...checking, ...keeping, ...looking, ...fitting];
