import { z } from 'zod';
import { endpoint } from './endpoint';

const name = z.string().min(1).max(253);

/** Copies of workloads and the way back. Plans, runs and returns are objects: they are sent, and taken away, like any other. */
export const backupEndpoints = [
  endpoint({
    method: 'GET',
    path: '/rehearsals/{id}/backups',
    summary:
      'Every workload that keeps something, with the plans that copy it, their runs, logs and returns, figures, and what is to be said of them',
    answer: 'Backups',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'backups', {})
  }),
  endpoint({
    method: 'GET',
    path: '/rehearsals/{id}/backups/beside',
    summary:
      'Manifests of a workload of the same make under another name, to put a copy into; with a run of snapshots its claims are made from them',
    query: z.strictObject({ namespace: name, workload: name, to: name, run: name.optional() }),
    answer: 'BesideManifests',
    run: ({ app, params, query }) =>
      app.rehearsals.ask(params.id, 'besideManifests', {
        namespace: query.namespace,
        workload: query.workload,
        to: query.to,
        ...(query.run === undefined ? {} : { run: query.run })
      })
  })
];
