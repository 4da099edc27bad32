import { z } from 'zod';
import { driverSteps } from '$core/model';
import { endpoint } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const seconds = z.number().min(0).max(86_400);
const span = z.strictObject({
  fromSeconds: seconds,
  toSeconds: seconds,
  seen: z.number().int().min(0).max(1_000_000).default(0).describe('how many times it was seen; 0: somebody supposes it')
});
const wish = z.union([
  z.strictObject({
    image: z.string().min(1).max(512).describe('host and path, without a tag'),
    behavesAs: z.string().max(100).default('nothing known').describe('`engine/part`, one of the likenesses that GET gives'),
    starts: span.optional(),
    pulls: span.optional()
  }),
  z.strictObject({
    driver: z.string().min(1).max(253),
    accessModes: z
      .array(z.enum(['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod']))
      .min(1)
      .max(4)
      .optional(),
    grows: z.boolean().optional(),
    snapshots: z.boolean().optional(),
    times: z.partialRecord(z.enum(driverSteps), span).optional()
  })
]);

/** What is supposed of programs and drivers that the stand-in doesn't ship, and what is handed over. */
export const cardEndpoints = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/bundle`,
    summary:
      'What is handed over, as files: manifests, the place, proofs, drills, copies, findings and a page to start from. Values of secrets are left out',
    query: z.object({ namespace: z.string().min(1).max(63).optional() }),
    answer: 'Bundle',
    run: ({ app, params, query }) => app.bundle(params.id, query.namespace)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/supposed`,
    summary: "Programs and drivers that the stand-in doesn't ship, with what is supposed of each, and what else could be",
    answer: 'Supposed',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'supposed', {})
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/supposed/draft`,
    deed: 'put what is supposed into a draft',
    summary: 'Put the card of a program or a driver into a draft as it is wanted; what stands on the card beside stays',
    body: wish,
    answer: 'CardDraft',
    status: 201,
    run: ({ app, params, body }) => app.draftCard(params.id, body)
  })
];
