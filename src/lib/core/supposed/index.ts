export { inCluster } from './clusters';
export { isTold, type Hindrance } from './hindrances';
export * from './supposed';
export type { ClaimToBe } from './volumes';
export { swapWaits } from './swapped';
