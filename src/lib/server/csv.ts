/** A field as RFC 4180 writes it; what a spreadsheet would take for a formula is kept as text. */
const cell = (value: string | number | null): string => {
  const text = value === null ? '' : String(value);
  const plain = typeof value === 'string' && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(plain) ? `"${plain.replaceAll('"', '""')}"` : plain;
};

/** A table as comma-separated values (RFC 4180). */
export function csvText(heads: readonly string[], rows: readonly (readonly (string | number | null)[])[]): string {
  const lines = rows.map((row) => row.map(cell).join(','));
  return `${[heads.join(','), ...lines].join('\r\n')}\r\n`;
}

/** Such a table, to be saved under a name. */
export function csvResponse(name: string, heads: readonly string[], rows: readonly (readonly (string | number | null)[])[]): Response {
  return new Response(csvText(heads, rows), {
    headers: {
      'content-type': 'text/csv; charset=utf-8',
      'content-disposition': `attachment; filename="${name}.csv"`,
      'cache-control': 'no-store'
    }
  });
}
