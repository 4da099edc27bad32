export * from './linked';
export * from './over';
export * from './reach';
export * from './rights';
export * from './survival';
export { followedWorkloads, mayFollow, type FollowedWorkload, type MayFollow } from './following';
