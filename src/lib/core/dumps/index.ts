export * from './assume';
export { answerFault, namesListed } from './answers';
export type { Assumption } from './assumption';
export * from './compare';
export * from './cutter';
export * from './keep';
export { likenesses, noLikeness, type Choice } from './likeness';
export * from './parse';
