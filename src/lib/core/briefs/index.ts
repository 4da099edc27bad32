export * from './design';
export * from './layout';
export * from './traits';
export * from './propose';
