import { keepValue, latestIn, latestInOther, type OtherObject } from '$core/dumps';
import { scopeOf } from '$core/exports';
import { epochMs } from '$core/shared';
import { Store } from '$core/standin';

/** What is kept of an export's values. */
export function kept(values: readonly unknown[]): Store {
  const store = new Store(false);
  const others: OtherObject[] = [];
  let latest = 0;
  for (const value of values) {
    const one = keepValue(value, false);
    if ('other' in one) {
      others.push(one.other);
      latest = Math.max(latest, latestInOther(one.other));
    }
    if (!('object' in one)) continue;
    store.place(undefined, one.object);
    latest = Math.max(latest, latestIn(one.object));
  }
  store.nowMs = latest - epochMs;
  store.scope = scopeOf(store, { others });
  return store;
}
