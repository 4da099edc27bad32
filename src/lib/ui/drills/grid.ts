/** A square of a table. */
export interface Place {
  readonly row: number;
  readonly column: number;
}

/** Where an arrow key leads from a square; undefined for other keys, or at the edge. */
export function stepIn(key: string, { row, column }: Place, { rows, columns }: { rows: number; columns: number }): Place | undefined {
  const step: Readonly<Record<string, readonly [number, number]>> = {
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1]
  };
  if (key === 'Home') return { row, column: 0 };
  if (key === 'End') return { row, column: columns - 1 };
  const by = step[key];
  if (!by) return undefined;
  const next = { row: row + by[0], column: column + by[1] };
  return next.row < 0 || next.column < 0 || next.row >= rows || next.column >= columns ? undefined : next;
}
