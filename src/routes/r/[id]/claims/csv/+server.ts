import { error } from '@sveltejs/kit';
import { claimsQuery } from '$server/api/storage-endpoints';
import { getApp } from '$server/services';
import type { RequestHandler } from './$types';

/** A field as RFC 4180 writes it; what a spreadsheet would take for a formula is kept as text. */
const cell = (value: string | number | null): string => {
  const text = value === null ? '' : String(value);
  const plain = typeof value === 'string' && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
};

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
  const lines = found.value.rows.map((row) =>
    [
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
    ]
      .map(cell)
      .join(',')
  );
  return new Response(`${[heads.join(','), ...lines].join('\r\n')}\r\n`, {
    headers: {
      'content-type': 'text/csv; charset=utf-8',
      'content-disposition': `attachment; filename="claims.csv"`,
      'cache-control': 'no-store'
    }
  });
};
