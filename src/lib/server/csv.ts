/** A field as RFC 4180 writes it; what a spreadsheet would take for a formula is kept as text. */
const cell = (value: string | number | null): string => {
  const text = value === null ? '' : String(value);
  const plain = typeof value === 'string' && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
};

/** A table as comma-separated values (RFC 4180), to be saved under a name. */
export function csvResponse(name: string, heads: readonly string[], rows: readonly (readonly (string | number | null)[])[]): Response {
  const lines = rows.map((row) => row.map(cell).join(','));
  return new Response(`${[heads.join(','), ...lines].join('\r\n')}\r\n`, {
    headers: {
      'content-type': 'text/csv; charset=utf-8',
      'content-disposition': `attachment; filename="${name}.csv"`,
      'cache-control': 'no-store'
    }
  });
}
