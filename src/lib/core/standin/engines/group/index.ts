export { Group } from './group';
export { lastOf, membersOf } from './record';
export type { Record, Rules } from './types';
