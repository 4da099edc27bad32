export * from './assume';
export * from './compare';
export * from './cutter';
export * from './keep';
export * from './parse';
