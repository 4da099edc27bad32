export * from './classes';
export * from './fit';
export * from './needs';
