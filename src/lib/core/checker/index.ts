export { nameCovers } from './cert';
export * from './check';
export { acceptedMark } from './house';
export * from './types';
export { distance, nearest } from './rule';
export { rules } from './rules';
export { sarifOf } from './sarif';
