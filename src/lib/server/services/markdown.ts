const cell = (text: string): string => text.replaceAll('|', '\\|').replaceAll('\n', ' ');
/** A table in Markdown; a line where it has no rows. */
export const mdTable = (heads: readonly string[], rows: readonly (readonly string[])[]): string =>
  rows.length
    ? `${[heads, heads.map(() => '---'), ...rows].map((row) => `| ${row.map(cell).join(' | ')} |`).join('\n')}\n`
    : 'There is none.\n';
