import { hash32, stampOf } from '../../../shared';
import type { Service } from '../../../model';
import { outsideAddresses } from '../../provider/reach';
import { itself, splitKey, type Loop } from '../loop';

/** Addresses outside: a range for examples only. Source: RFC 5737, TEST-NET-3. */
const outsideRange = '203.0.113.';
/** How long the provider takes to give an address (common practice, no source): 10 s to 3 min. */
const addressMs = [10_000, 150_000] as const;

const isOutside = (one: Service | undefined): boolean => one?.spec.type === 'LoadBalancer';

/** Gives services of type LoadBalancer an address outside, and takes it back. */
export const balancers: Loop = {
  id: 'balancers',
  watches: { Service: (now, before) => (isOutside(now) || isOutside(before) ? itself(now, before) : []) },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const service = world.store.get('Service', namespace, name);
    const subject = `Service ${key}`;
    const due = world.memory<number>('balancers');
    if (!service || !isOutside(service) || outsideAddresses(service).length) {
      due.delete(key);
      world.endAll(subject);
      if (service && !isOutside(service) && outsideAddresses(service).length) world.put({ ...service, status: { loadBalancer: {} } });
      return;
    }
    const at = due.get(key);
    if (at === undefined || at > world.nowMs) {
      const waitMs = at === undefined ? world.duration('addressing', `${key}#${service.metadata.uid}`, addressMs) : at - world.nowMs;
      if (at === undefined) {
        due.set(key, world.nowMs + waitMs);
        world.begin(subject, 'addressing');
        world.event(service, 'EnsuringLoadBalancer', 'The provider was asked for an address outside.');
      }
      world.after(waitMs, key);
      return;
    }
    due.delete(key);
    world.end(subject, 'addressing');
    const used = new Set(world.store.list('Service').flatMap(outsideAddresses));
    let n = hash32(key, world.seed) % 250;
    while (used.has(`${outsideRange}${n + 2}`)) n = (n + 1) % 250;
    const ip = `${outsideRange}${n + 2}`;
    world.put({ ...service, status: { loadBalancer: { ingress: [{ ip }] } } });
    world.event(service, 'EnsuredLoadBalancer', `It has the address ${ip} outside since ${stampOf(world.nowMs)}.`);
  }
};
