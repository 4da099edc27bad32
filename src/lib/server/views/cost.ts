import { shortfall, traitsOf } from '$core/fit';
import { billOf, exampleList, readPrices, type PriceFault, type Prices, type WorkloadCost } from '$core/sizing';
import type { Facts } from '$core/model';
import type { Scene } from './scene';

/** A list to begin with, for this cluster. */
export const pricesView = ({ facts }: Scene) => ({ text: exampleList(facts) });

/** The same volumes in other classes that do as much, cheapest first; and classes that don't, with what they lack. */
function instead(facts: Facts, prices: Prices, { classes }: WorkloadCost) {
  return classes.flatMap(({ className, bytes }) => {
    const own = facts.get('StorageClass', '', className);
    const needed = own && traitsOf(facts, own);
    const price = prices.volume(className);
    if (!needed || price === undefined) return [];
    return facts.list('StorageClass').flatMap((other) => {
      const { name } = other.metadata;
      const its = prices.volume(name);
      const has = traitsOf(facts, other);
      if (name === className || its === undefined || !has) return [];
      const lacks = shortfall(needed, has, name)?.says ?? null;
      return [{ from: className, to: name, month: bytes * its, more: bytes * (its - price), lacks }];
    });
  });
}

function dateSaid({ from, to, name }: Prices, today: string): string | null {
  if (to !== undefined && to < today) return `The list ${name} ended on ${to}.`;
  return from !== undefined && from > today ? `The list ${name} begins on ${from}.` : null;
}

/** What a month costs by a price list; or what is wrong in it, by line. */
export function costView({ facts }: Scene, { prices: text, today }: { prices: string; today: string }) {
  const prices = readPrices(text);
  const faults: readonly PriceFault[] = 'faults' in prices ? prices.faults : [];
  if ('faults' in prices) return { faults, bill: null };
  const { workloads, ...bill } = billOf(facts, prices);
  return {
    faults,
    bill: {
      ...bill,
      unit: prices.unit,
      list: prices.name,
      over: dateSaid(prices, today),
      workloads: workloads.map((one) => ({ ...one, smaller: one.smaller ?? null, instead: instead(facts, prices, one) }))
    }
  };
}
