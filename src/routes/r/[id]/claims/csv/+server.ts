import { error } from '@sveltejs/kit';
import { claimsQuery } from '$server/api/storage-endpoints';
import { csvResponse } from '$server/csv';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

const heads = [
  'namespace',
  'claim',
  'asked_bytes',
  'got_bytes',
  'class',
  'volume',
  'handle',
  'held_by',
  'nodes',
  'zone',
  'fill_percent',
  'state'
];

/** The claims as the table shows them, sorted and narrowed the same way, as comma-separated values (RFC 4180). */
export const GET: RequestHandler = async ({ params, url }) => {
  const query = claimsQuery.safeParse(Object.fromEntries(url.searchParams));
  if (!query.success) error(400, query.error.issues[0]?.message ?? 'bad query');
  const app = await getApp();
  const found = await app.rehearsals.ask(params.id, 'claims', { ...query.data, from: 0, limit: 20_000 });
  if (!found.ok) error(found.refusal.status, found.refusal.detail);
  return csvResponse(
    'claims',
    heads,
    found.value.rows.map((row) => [
      row.namespace,
      row.name,
      row.askedBytes,
      row.gotBytes,
      row.class,
      row.volume,
      row.handle,
      row.heldBy.join(' '),
      row.nodes.join(' '),
      row.zone,
      row.fill === null ? null : Math.round(row.fill * 1000) / 10,
      row.label
    ])
  );
};
