export { copyOf } from './copy';
export * from './indexes';
export * from './store';
export type { Slot } from './index-map';
