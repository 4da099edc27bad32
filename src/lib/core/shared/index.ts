export * from './addresses';
export * from './bytes';
export * from './errors';
export * from './json';
export * from './quantity';
export * from './rng';
export * from './time';
export * from './words';
