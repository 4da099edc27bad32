export { meanHoursToLoss, playedLoss } from './durability';
export { readAll, sizedBy, type Figure, type Sized, type SlotFaults } from './reckon';
export { erlangC } from './speed';
export { readSlot, shown } from './written';
export { calculationNamed, calculations } from './list';
export { put, scheduleEvery, type Put } from './put';
export { taken, takenOf, type Taken, type Tried } from './take';
export type * from './types';
