export * from './removal';
export * from './sheet';
export type * from './types';
