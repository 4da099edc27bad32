/**
 * Raised whenever the same actions come to another journal, on purpose: snapshots of another engine are thrown away, and what is taken in
 * from one says so. tests/core/golden.test.ts holds the journals of the demo against it.
 */
export const engineVersion = '19';
