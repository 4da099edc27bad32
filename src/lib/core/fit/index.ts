export * from './classes';
export * from './fit';
export { mendedBy } from './mends';
export * from './needs';
export * from './types';
