import type { Answers } from '$server/api/types';

/** One link drawn as an arc between two rows. */
export interface Arc {
  readonly key: string;
  readonly d: string;
  readonly broken: boolean;
  readonly label: string;
  readonly x: number;
  readonly y: number;
}

const edge = 146;

/** Arcs of links between rows, the wider ones further out. @param rows clusters from the top */
export function arcsOf(rows: readonly string[], links: Answers['Linked']['links'], rowHeight: number): Arc[] {
  return links.flatMap((one): Arc[] => {
    const [from, to] = [rows.indexOf(one.a), rows.indexOf(one.b)].sort((x, y) => x - y) as [number, number];
    if (from < 0) return [];
    const span = to - from;
    const broken = one.fault !== null || one.nameless.a !== null || one.nameless.b !== null;
    // Several links that end at one row leave it a little apart from each other.
    const [y1, y2] = [from * rowHeight + 22 + 9 * to, to * rowHeight + 22 + 9 * from];
    const out = edge - (24 + 34 * span);
    const what = one.fault ? 'cut' : broken ? 'no names' : `${one.ends.a?.delayMs ?? 0} ms`;
    return [
      {
        key: `${one.name}|${one.a}`,
        d: `M${edge} ${y1}C${out} ${y1} ${out} ${y2} ${edge} ${y2}`,
        broken,
        label: what,
        x: edge - 0.75 * (edge - out),
        y: (y1 + y2) / 2 + 4
      }
    ];
  });
}
