export * from './edit';
export * from './pieces';
export * from './read';
export * from './write';
export * from './writing';
