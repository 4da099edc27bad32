import { z } from 'zod';
import { faults, type FaultId } from '$core/drills';
import { endpoint } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const name = z.string().min(1).max(253);
const fault = z.enum(faults.map((one) => one.id) as [FaultId, ...FaultId[]]);
const ms = z.number().int().min(0).max(86_400_000);
const expectation = z.strictObject({
  writesPauseMs: ms.optional().describe('longest time without an accepted write'),
  readsPauseMs: ms.optional().describe('longest time without a read that is answered'),
  lost: z.number().int().min(0).default(0).describe('acknowledged writes that may be lost'),
  steadyMs: ms.optional().describe('until nothing that is asked fails any more, after the fault began and after it ended'),
  wholeMs: ms.optional().describe("until all members hold again, from the fault's end")
});

/** Drills: faults put in on purpose, on forks, under load. */
export const drillEndpoints = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/drills`,
    summary: 'What can be tried on each workload, the latest drills with their evidence, and the round that is under way',
    answer: 'Drills',
    run: ({ app, params }) => app.drills.all(params.id)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/drills`,
    deed: 'ran a drill',
    revised: 'rehearsal',
    summary: 'Put a fault in on a fork, under load, and measure what follows; what is demanded stays with the drill',
    body: z.strictObject({
      namespace: name,
      workload: name,
      fault,
      expectation: expectation.optional(),
      way: z.enum(['inside', 'outside']).optional().describe('where clients come from; as the last time where it is left out, else inside')
    }),
    answer: 'Drill',
    run: ({ app, params, body, revision }) =>
      app.drills.run(
        params.id,
        {
          namespace: body.namespace,
          workload: body.workload,
          fault: body.fault,
          ...(body.way ? { way: body.way } : {}),
          ...(body.expectation
            ? { expectation: Object.fromEntries(Object.entries(body.expectation).filter(([, one]) => one !== undefined)) as never }
            : {})
        },
        revision
      )
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/drills/round`,
    deed: 'began a round of drills',
    summary: 'Run every drill that never ran or is stale, of all workloads or of one; GET drills tells how far it is',
    body: z.strictObject({ namespace: name.optional(), workload: name.optional() }),
    answer: 'Round',
    status: 202,
    run: ({ app, params, body }) =>
      app.drills.begin(params.id, body.namespace && body.workload ? { namespace: body.namespace, workload: body.workload } : undefined)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/drills/fork`,
    deed: 'opened the fork of a drill',
    summary: 'A fork of the moment that a drill was tried from, with its fault put in; the load is not repeated',
    body: z.strictObject({ namespace: name, workload: name, fault }),
    answer: 'ForkId',
    status: 201,
    run: ({ app, params, body }) => app.drills.fork(params.id, body)
  }),
  endpoint({
    method: 'DELETE',
    path: `${rehearsal}/drills/round`,
    deed: 'stopped a round of drills',
    summary: 'Stop a round: drills under way are finished and kept, no more are begun',
    answer: 'Round',
    run: ({ app, params }) => app.drills.stop(params.id)
  })
];
