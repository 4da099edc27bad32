import { backup } from './backup';
import { broker } from './broker';
import { durability } from './durability';
import { fill } from './fill';
import { pool } from './pool';
import { slots } from './slots';
import { speed } from './speed';
import { spread } from './spread';
import { store } from './store';
import type { CalcId, Calculation } from './types';

/** All calculations, in the order in which they are usually asked. A new one is a file and a line here. */
export const calculations: readonly Calculation[] = [spread, slots, pool, store, broker, speed, fill, durability, backup];
/** A calculation by its name. */
export const calculationNamed = (id: string): Calculation | undefined => calculations.find((one) => one.id === (id as CalcId));
