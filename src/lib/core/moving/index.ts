export * from './plan';
export * from './try';
