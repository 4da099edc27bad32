export { boundFaults } from './bounds';
export * from './edit';
export { grownSet } from './grow';
export { deepest, judge, touches, withoutNulls } from './judge';
export * from './pieces';
export * from './read';
export { pathOf, pathText, withValue } from './values';
export * from './write';
export * from './writing';
