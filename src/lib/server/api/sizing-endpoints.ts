import { z } from 'zod';
import { calculations, nodesAskSchema, packAskSchema, type CalcId } from '$core/sizing';
import { endpoint, listed } from './endpoint';

const rehearsal = '/rehearsals/{id}';
const name = z.string().min(1).max(253);
const calc = z.enum(calculations.map((one) => one.id) as [CalcId, ...CalcId[]]);
const written = z
  .record(z.string().max(40), z.string().max(80))
  .describe('what stands in slots, as it is written; others stand as they begin');
const column = z.number().int().min(0).max(59).describe('its place, from 0');
const of = z.strictObject({ namespace: name, name });
/** Members and nodes are kept as tables. */
const kept = z.record(z.string().max(40), z.string().max(40_000));

/** Sizing: calculations over what stands, or is thought of; and reports. */
export const sizingEndpoints = [
  endpoint({
    method: 'GET',
    path: `${rehearsal}/report`,
    summary:
      'What somebody who takes a workload over reads, as Markdown: what it is, survives, how it was checked, what to do when it breaks, what is open',
    query: z.object({ namespace: name, workload: name }),
    answer: 'Report',
    run: ({ app, params, query }) => app.report(params.id, query)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/clean-up`,
    summary: 'A workload taken away on a fork, in the order that works: what goes, what by itself with it, what stays and why',
    query: z.object({ namespace: name, workload: name, keep: z.enum(['data', 'copies', 'data,copies']).optional() }),
    answer: 'CleanUp',
    run: ({ app, params, query: { keep = '', ...query } }) =>
      app.rehearsals.ask(params.id, 'cleanUp', { ...query, keeps: { data: keep.includes('data'), copies: keep.includes('copies') } })
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sizing`,
    summary: 'All calculations with their slots, and the workloads that fill them',
    answer: 'Calculations',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'calculations', {})
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/sizing`,
    needs: 'reader',
    deed: null,
    summary: 'Reckon: figures with their ranges, a sentence and a chart; or what is wrong in which slot',
    body: z.strictObject({ calc, written }),
    answer: 'Sized',
    run: ({ app, params, body }) => app.rehearsals.ask(params.id, 'sized', body)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sizing/taken`,
    summary: 'What stands, as texts for the slots of a calculation; or why that can not be told',
    query: z.object({ calc, namespace: name.optional(), workload: name.optional() }),
    answer: 'SizingTaken',
    run: ({ app, params, query: { calc: id, namespace, workload } }) =>
      app.takenSizing(params.id, { calc: id, of: namespace && workload ? { namespace, name: workload } : undefined })
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/sizing/measured`,
    needs: 'reader',
    deed: null,
    summary: 'A benchmark beside what the sheet of a volume’s speed reckons; without columns, what columns there are',
    body: z.strictObject({
      table: z.string().min(1).max(400_000).describe('comma-separated values, with the names of columns in the first line'),
      columns: z
        .strictObject({
          operations: column.describe('operations a second'),
          time: z
            .strictObject({ column, seconds: z.number().positive().max(3_600).describe('what its figures are counted in, in s') })
            .optional()
            .describe('time of one operation')
        })
        .optional(),
      written
    }),
    answer: 'SizingMeasured',
    run: ({ app, params, body }) => app.rehearsals.ask(params.id, 'sizingMeasured', body)
  }),
  endpoint({
    method: 'POST',
    path: `/packed`,
    needs: 'reader',
    deed: null,
    summary: 'How members fit on nodes: the least that holds all, whether less can do, what blocks; or what is wrong in which cell',
    body: packAskSchema,
    answer: 'Packed',
    run: ({ app, body, signal }) => app.rehearsals.packed(body, signal)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/prices`,
    summary: 'A price list to begin with: the nodes and classes of this cluster, with prices that are made up',
    answer: 'Prices',
    run: ({ app, params }) => app.rehearsals.ask(params.id, 'prices', {})
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/cost`,
    needs: 'reader',
    deed: null,
    summary:
      'What a month costs as it stands, by a price list: by workload, in other classes, and what nobody uses; or what is wrong in the list',
    body: z.strictObject({ prices: z.string().max(40_000).describe('a PriceList, as YAML') }),
    answer: 'Cost',
    run: ({ app, params, body }) => app.rehearsals.ask(params.id, 'cost', { ...body, today: new Date().toISOString().slice(0, 10) })
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sizing/nodes`,
    summary: 'Members and nodes as they stand, to be packed: of one workload, or of all',
    query: z.object({
      namespace: name.optional(),
      workload: name.optional(),
      list: z.coerce.number().int().positive().optional().describe('a price list that is kept, by its number: nodes are priced by it')
    }),
    answer: 'NodesTaken',
    run: ({ app, params, query: { namespace, workload, list } }) =>
      app.takenNodes(params.id, { of: namespace && workload ? { namespace, name: workload } : undefined, list })
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/sizing/draft`,
    deed: 'put a sizing into a draft',
    summary: 'Put what a calculation comes to into a draft, for what it is about; and what of it no manifest says',
    body: z.strictObject({ calc, of: of.optional().describe('left out where it is taken from the place itself'), written }),
    answer: 'SizingDraft',
    status: 201,
    run: ({ app, params, body }) => app.draftSizing(params.id, body)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/sizing/nodes/draft`,
    deed: 'put counts and requests of members into a draft',
    summary: 'Put how many members there are, and what each asks for, into a draft of the sets that the rows were taken from',
    body: z.strictObject({ of: of.optional().describe('the workload that they were taken from'), members: nodesAskSchema.shape.members }),
    answer: 'SizingDraft',
    status: 201,
    run: ({ app, params, body }) => app.draftNodes(params.id, body)
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/cost/draft`,
    deed: 'put another class into a draft',
    summary: 'Put a workload with its claims in another class into a draft',
    body: z.strictObject({ of, from: name.describe('the class that is left'), to: name }),
    answer: 'SizingDraft',
    status: 201,
    run: ({ app, params, body }) => app.draftClass(params.id, body)
  }),
  endpoint({
    method: 'GET',
    path: `${rehearsal}/sizings`,
    summary: 'Sizings that are kept, each with what of it stands otherwise by now',
    answer: 'Sizings',
    run: ({ app, params }) => listed(app.keptSizings(params.id))
  }),
  endpoint({
    method: 'POST',
    path: `${rehearsal}/sizings`,
    deed: 'kept a sizing',
    summary: 'Keep a sizing under a name; one of the same name is replaced',
    body: z.strictObject({
      name: z.string().trim().min(1).max(80),
      calc: z.union([calc, z.enum(['nodes', 'cost'])]),
      written: kept,
      of: of.optional(),
      taken: kept.optional()
    }),
    answer: 'SizingKept',
    status: 201,
    run: ({ app, params, body }) => app.keepSizing(params.id, body)
  }),
  endpoint({
    method: 'DELETE',
    path: `${rehearsal}/sizings/{sizing}`,
    deed: 'took a sizing away',
    summary: 'Take a kept sizing away',
    answer: 'SizingDropped',
    run: ({ app, params }) => app.dropSizing(params.id, Number(params.sizing))
  })
];
