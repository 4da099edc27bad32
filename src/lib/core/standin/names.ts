import { clusterDomain, isReady, pairsMatch, type Facts, type Pod, type Service } from '../model';
import { domainOver, linkedDomain, linkNamesFault } from './provider/links';

/** What a look-up gave: addresses, or why not, and every full name that was tried. */
export interface Lookup {
  readonly asked: string;
  readonly namespace: string;
  readonly addresses: readonly string[];
  readonly tried: readonly string[];
  /** The full name that answered. */
  readonly answered?: string;
  readonly reason?: string;
  readonly srv?: readonly { readonly target: string; readonly port: number }[];
}

/** Dots from which on a name is tried as it is before the search list. Source: the cluster API's "DNS for Services and Pods", ndots. */
const ndots = 5;

type Answer = Pick<Lookup, 'addresses' | 'srv'> | { readonly reason: string };

/** Whether a service gives a pod's address out. */
const answers = (service: Service, pod: Pod): boolean =>
  pod.status?.podIP !== undefined && (service.spec.publishNotReadyAddresses === true || (isReady(pod) && !pod.metadata.deletionTimestamp));

const podsBehind = (facts: Facts, service: Service): Pod[] =>
  facts
    .list('Pod', service.metadata.namespace)
    .filter((pod) => pairsMatch(service.spec.selector, pod.metadata.labels) && answers(service, pod))
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));

function member(facts: Facts, service: Service, host: string): Answer {
  const where = `${service.metadata.namespace}/${service.metadata.name}`;
  if (service.spec.clusterIP !== 'None') return { reason: `the service ${where} is not headless, so its members have no names` };
  const space = service.metadata.namespace ?? '';
  const carries = (one: Pod | undefined) => one?.spec.hostname === host && one.spec.subdomain === service.metadata.name;
  const named = facts.get('Pod', space, host);
  const pod = carries(named) ? named : facts.list('Pod', space).find(carries);
  if (!pod) return { reason: `no pod with the host name ${host} names the service ${where}` };
  if (!pairsMatch(service.spec.selector, pod.metadata.labels))
    return { reason: `the selector of ${where} doesn't match the labels of ${pod.metadata.name}` };
  return answers(service, pod)
    ? { addresses: [pod.status?.podIP ?? ''] }
    : { reason: `${pod.metadata.name} is not ready, and ${where} publishes only ready members` };
}

function srv(facts: Facts, service: Service, port: string, protocol: string): Answer {
  const found = service.spec.ports?.find((one) => one.name === port && (one.protocol ?? 'TCP').toLowerCase() === protocol);
  if (!found) return { reason: `the service ${service.metadata.name} has no port ${port} over ${protocol}` };
  const suffix = `${service.metadata.name}.${service.metadata.namespace}.svc.${clusterDomain(facts)}`;
  if (service.spec.clusterIP !== 'None') return { addresses: [service.spec.clusterIP ?? ''], srv: [{ target: suffix, port: found.port }] };
  const pods = podsBehind(facts, service);
  const target = typeof found.targetPort === 'number' ? found.targetPort : found.port;
  return {
    addresses: pods.map((pod) => pod.status?.podIP ?? ''),
    srv: pods.map((pod) => ({ target: `${pod.spec.hostname}.${suffix}`, port: target }))
  };
}

/** So many names may stand for others, one after the other. */
const mostAliases = 8;

/** A name of another cluster, which a link has to carry; undefined where it is none. */
function over(facts: Facts, name: string, deep: number): Answer | undefined {
  const found = new RegExp(`\\.svc\\.([^.]+)\\.${linkedDomain.replaceAll('.', '\\.')}$`).exec(name);
  if (!found) return undefined;
  const cluster = found[1]!;
  const here = facts.elsewhere?.here;
  // A cluster finds itself under that name, too.
  if (cluster === here) return within(facts, name, domainOver(cluster), deep);
  const fault = linkNamesFault(facts, cluster);
  return fault ? { reason: fault.says } : within(facts.elsewhere!.facts(cluster)!, name, domainOver(cluster), deep);
}

function full(facts: Facts, name: string, deep = 0): Answer {
  return over(facts, name, deep) ?? within(facts, name, clusterDomain(facts), deep);
}

function within(facts: Facts, name: string, domain: string, deep: number): Answer {
  const tail = `.svc.${domain}`;
  if (!name.endsWith(tail)) return { reason: `${name} is not a name of this cluster` };
  const parts = name.slice(0, -tail.length).split('.');
  const namespace = parts.pop() ?? '';
  const serviceName = parts.pop();
  if (serviceName === undefined) return { reason: `${name} names no service` };
  const service = facts.get('Service', namespace, serviceName);
  if (!service) return { reason: `there is no service ${namespace}/${serviceName}` };
  const { externalName } = service.spec as { externalName?: string };
  if (service.spec.type === 'ExternalName') {
    const other = externalName?.replace(/\.$/, '') ?? '';
    return (other.endsWith(tail) || other.endsWith(linkedDomain)) && deep < mostAliases
      ? full(facts, other, deep + 1)
      : { reason: `the service ${namespace}/${serviceName} is another name for ${other}, which lies outside of the cluster` };
  }
  if (parts.length === 2 && parts[0]!.startsWith('_') && parts[1]!.startsWith('_'))
    return srv(facts, service, parts[0]!.slice(1), parts[1]!.slice(1));
  if (parts.length === 1) return member(facts, service, parts[0]!);
  if (parts.length > 1) return { reason: `${name} has too many parts` };
  if (service.spec.clusterIP !== 'None') return { addresses: [service.spec.clusterIP ?? ''] };
  const addresses = podsBehind(facts, service).map((pod) => pod.status?.podIP ?? '');
  return addresses.length ? { addresses } : { reason: `the headless service ${namespace}/${serviceName} has no ready pods` };
}

/**
 * Looks a name up as a pod of a namespace would: its search list is `<ns>.svc.<domain>`, `svc.<domain>`, `<domain>`, with ndots 5.
 * Source: the cluster API's "DNS for Services and Pods".
 */
export function resolve(facts: Facts, namespace: string, asked: string): Lookup {
  const domain = clusterDomain(facts);
  const absolute = asked.endsWith('.');
  const name = asked.replace(/\.$/, '').toLowerCase();
  const searched = [`${name}.${namespace}.svc.${domain}`, `${name}.svc.${domain}`, `${name}.${domain}`];
  const asItIs = name.split('.').length - 1 >= ndots;
  const tried = absolute ? [name] : asItIs ? [name, ...searched] : [...searched, name];
  const reasons: string[] = [];
  for (const one of tried) {
    const answer = full(facts, one);
    if (!('reason' in answer)) return { asked, namespace, tried, answered: one, ...answer };
    reasons.push(answer.reason);
  }
  const pod = !absolute && !name.includes('.') ? facts.get('Pod', namespace, name) : undefined;
  const reason = pod
    ? `${name} is a pod, and a pod's bare name is not a DNS name. ${pod.spec.subdomain ? `Ask for ${name}.${pod.spec.subdomain}.` : 'It needs a headless service named in its subdomain.'}`
    : (reasons[0] ?? 'nothing answers');
  return { asked, namespace, addresses: [], tried, reason };
}
