export * from './complete';
export * from './leave-out';
export * from './move';
export * from './persist';
export * from './secrets';
export * from './table';
