import { isReady, refOf, type ApiObject } from '../../../model';
import { plan } from '../../admit/plan';
import { serverWait } from '../../admit/servers';
import { backoffs } from '../../clock/steps';
import { poolPartOf } from '../../provider/images';
import type { Loop } from '../loop';
import { operatorIn } from '../../provider/operators';

/** Sends what was held back again, once its server is ready. */
export const resending: Loop = {
  id: 'resending',
  watches: {
    Held: (now) => (now ? [now.metadata.name] : []),
    Pod: (now, before, store) =>
      now && isReady(now) && !(before && isReady(before)) && (poolPartOf(now.spec) === 'operator' || operatorIn(now) !== undefined)
        ? store.list('Held').map((one) => one.metadata.name)
        : []
  },
  reconcile(world, key) {
    const held = world.store.get('Held', '', key);
    if (!held) return;
    const object = held.spec.object as unknown as ApiObject;
    if (serverWait(world.store, object)) {
      world.after(backoffs.provider.mostMs, key, true);
      return;
    }
    world.drop(refOf(held));
    const [verdict] = plan(world.store, [object]);
    if (!verdict?.after || verdict.outcome === 'untouched') return;
    const made = world.put(verdict.after);
    world.event(made, 'SentAgain', `Sent again by itself: ${held.spec.waitsFor} is ready now.`);
  }
};
