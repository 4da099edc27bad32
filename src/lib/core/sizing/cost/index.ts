export { billOf, costKinds, type Bill, type CostKind, type WorkloadCost } from './bill';
export { readPrices, wholeOf, type PriceFault, type Prices } from './prices';
export { exampleList } from './example';
export { putClass } from './put';
