import { drawInt } from '../../../shared';
import type { Outage, Pod } from '../../../model';
import { linkDelayMs, linkFault, linkNamesFault, linkTo } from '../../provider/links';
import { isUnheard } from '../../provider/outages';
import { farFault } from '../../provider/policies';
import { trustFault } from '../../provider/tls';
import type { Store } from '../../store';

/** What links between clusters are like, looked up once a call: nothing of it changes before the call ends. */
export class LinkLooks {
  private readonly seen = new Map<string, unknown>();

  private once<T>(what: string, store: Store, to: string, look: () => T): T {
    const key = `${what}|${store.elsewhere?.here}|${to}`;
    if (!this.seen.has(key)) this.seen.set(key, look());
    return this.seen.get(key) as T;
  }

  fault = (store: Store, to: string) => this.once('fault', store, to, () => linkFault(store, to)?.says);
  nameless = (store: Store, to: string) => this.once('names', store, to, () => linkNamesFault(store, to) !== undefined);
  delayMs = (store: Store, to: string) => this.once('delay', store, to, () => linkDelayMs(store, to));
  spec = (store: Store, to: string) => this.once('spec', store, to, () => linkTo(store, to)?.spec);
}

/** One of two members that stand in different clusters. */
export interface FarMember {
  readonly store: Store;
  readonly outages: readonly Outage[];
  readonly policies: boolean;
  readonly pod: Pod;
}

const here = ({ store }: FarMember): string => store.elsewhere?.here ?? '';

/** What keeps two members in different clusters apart, names and certificates aside: links, nodes, policies. Undefined where nothing does. */
export function wayOverFault(one: FarMember, two: FarMember, looks: LinkLooks): string | undefined {
  const link = looks.fault(one.store, here(two));
  if (link !== undefined) return link;
  for (const { store, outages, pod } of [one, two])
    if (outages.length && isUnheard(store, pod.spec.nodeName ?? ''))
      return `the node ${pod.spec.nodeName} of ${pod.metadata.name} is out of reach`;
  if (!one.policies && !two.policies) return undefined;
  // Who may call is answered: one of the two has to be let through.
  return farFault(one.store, one.pod, two.store, two.pod) && farFault(two.store, two.pod, one.store, one.pod);
}

/** Whether one finds the other by name. */
export const isNamed = (one: FarMember, two: FarMember, looks: LinkLooks): boolean => !looks.nameless(one.store, here(two));

/** Whether one of two members doesn't know the authority of the other's certificate. */
export const strangers = (one: FarMember, two: FarMember, workload: string): boolean =>
  (trustFault(one.store, one.pod, two.store, two.pod, workload) ?? trustFault(two.store, two.pod, one.store, one.pod, workload)) !==
  undefined;

/** Lost messages are sent again after a second, then after twice as long each time. Source: RFC 6298, sections 2.4 and 5.5. */
const resentMs = (times: number): number => 1_000 * (2 ** times - 1);
/** So often at most; what is lost more often than that comes then. Made up. */
const mostResent = 6;

/**
 * How much longer something takes over a link, in ms: its delay, its bandwidth for what is large, and sending again what got lost.
 * @param which names the message among all of a workload, so that it is lost or not each time alike
 */
export function overLinkMs(store: Store, cluster: string, looks: LinkLooks, body: unknown, which: string, seed: number): number {
  const link = looks.spec(store, cluster);
  if (!link) return 0;
  const carriedMs = link.bytesPerSecond === undefined ? 0 : (1_000 * JSON.stringify(body).length) / link.bytesPerSecond;
  let again = 0;
  while (link.lossPercent > 0 && again < mostResent && drawInt(seed, `lost|${which}|${again}`, 0, 9_999) < 100 * link.lossPercent)
    again += 1;
  return looks.delayMs(store, cluster) + carriedMs + resentMs(again);
}
