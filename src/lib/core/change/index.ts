export * from './removal';
export * from './sheet';
export type * from './types';
export { restoreSheet, type RestoreSheet } from './restore';
export { companionsOf } from './companions';
export * from './clean-up';
