/** One thing that a client asked of a register, with when it called and when it was answered (ms; Infinity: it never was). */
export interface Operation {
  readonly kind: 'write' | 'read';
  /** What was written, or read; undefined: nothing was there. */
  readonly value: string | undefined;
  readonly calledMs: number;
  readonly answeredMs: number;
}

/**
 * Whether a history of one register is linearizable: whether its operations can be put into one order that a single register would give, and in
 * which nothing comes before what had been answered when it was called. A write that was never answered may count at any time after its call,
 * or not at all. Definition: Herlihy and Wing, "Linearizability: A Correctness Condition for Concurrent Objects", 1990. Search: Wing and Gong,
 * "Testing and Verifying Concurrent Objects", 1993; what was tried is remembered, as Lowe has it ("Testing for linearizability", 2017).
 * @param history at most 30 operations
 */
export function isLinearizable(history: readonly Operation[], first: string | undefined): boolean {
  if (history.length > 30) throw new Error('the history is too long to be searched');
  const all = (1 << history.length) - 1;
  const must = history.reduce((mask, one, i) => (one.answeredMs === Infinity ? mask : mask | (1 << i)), 0);
  const tried = new Set<string>();
  const search = (done: number, value: string | undefined): boolean => {
    if ((done & must) === must) return true;
    const key = `${done} ${value ?? ''}`;
    if (tried.has(key)) return false;
    tried.add(key);
    const left = history.filter((_, i) => !(done & (1 << i)));
    const soonestMs = Math.min(...left.map((one) => one.answeredMs));
    return history.some((one, i) => {
      if (done & (1 << i) || one.calledMs > soonestMs || !(all & (1 << i))) return false;
      if (one.kind === 'read') return one.value === value && search(done | (1 << i), value);
      return search(done | (1 << i), one.value);
    });
  };
  return search(0, first);
}
