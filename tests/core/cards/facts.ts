import { stringify } from 'yaml';
import type { ApiObject } from '$core/model';
import { Store } from '$core/standin';
import { objects } from '../help';
import { strangeObjects, takenMs } from './strange';

/** The export as facts; `before` stands before all of it. */
export function strangeFacts(status?: (i: number) => Record<string, unknown>, before: readonly ApiObject[] = []): Store {
  const store = new Store(false);
  store.nowMs = takenMs;
  const text = strangeObjects(status)
    .map((one) => stringify(one, { lineWidth: 0, aliasDuplicateObjects: false }))
    .join('---\n');
  for (const one of [...before, ...objects(text)]) store.place(undefined, one);
  return store;
}
