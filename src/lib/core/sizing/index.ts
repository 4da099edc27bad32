export * from './calc';
export * from './forecast';
export * from './room';
export * from './speed';
export * from './nodes';
export * from './cost';
export { measuredBeside, readTable, type Columns, type Measured, type MeasuredPoint, type Table } from './measured';
