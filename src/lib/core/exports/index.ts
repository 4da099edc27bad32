export * from './statements';
export * from './phrases';
export * from './verdict';
export * from './scope';
export * from './parts';
