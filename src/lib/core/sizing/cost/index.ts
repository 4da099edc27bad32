export { billOf, costKinds, type Bill, type CostKind, type WorkloadCost } from './bill';
export { readPrices, type PriceFault, type Prices } from './prices';
export { exampleList } from './example';
