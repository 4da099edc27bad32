/**
 * Whether every round is played (`npm run test:deep`). Otherwise tables of cases that differ in their engine alone have those rows that
 * differ most, and properties fewer draws: the rest of them catches seldom what these don't, and takes minutes.
 */
export const deep = process.env.DEEP === '1';

/** How many rounds are played: all of them, or some. */
export const rounds = (some: number, all: number): number => (deep ? all : some);

/** Rows of a table: all of them, or the first so many. */
export const rows = <T>(some: number, all: readonly T[]): T[] => all.slice(0, deep ? all.length : some);
