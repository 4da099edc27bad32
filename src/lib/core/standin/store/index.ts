export * from './indexes';
export * from './store';
