export * from './assume';
export type { Assumption } from './assumption';
export * from './compare';
export * from './cutter';
export * from './keep';
export { likenesses, noLikeness } from './likeness';
export * from './parse';
export * from './supposed-here';
