import { epochMs, rangesOverlap } from '../../shared';
import type { Facts, Link } from '../../model';

/** Names of other clusters' services end so: `<service>.<namespace>.svc.<cluster>.linked.example`. Made up. */
export const linkedDomain = 'linked.example';

/** The end of a name of another cluster. */
export const domainOver = (cluster: string): string => `${cluster}.${linkedDomain}`;

/** The end of a link that leads to a cluster. Where several do, the first by name that carries addresses. */
export function linkTo(facts: Facts, cluster: string): Link | undefined {
  const all = facts
    .list('Link')
    .filter((one) => one.spec.to === cluster)
    .sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
  return all.find((one) => one.spec.carries.addresses) ?? all[0];
}

/** What keeps a link from carrying anything, and where. */
export interface LinkFault {
  /** The cluster where it is to be mended. */
  readonly cluster: string;
  readonly is:
    | 'no-cluster'
    | 'no-link'
    | 'half'
    | 'addresses'
    | 'ranges'
    | 'version'
    | 'certificate'
    | 'secret'
    | 'cut'
    | 'one-way'
    | 'names';
  /** One sentence without a full stop. */
  readonly says: string;
  /** The field that says so, where one does. */
  readonly field?: string;
}

const leading = (version: string): string => version.split('.')[0]!;

/** The end of the link and the other end; or what is wrong with them as they stand. */
function ends(facts: Facts, to: string): { mine: Link; theirs: Link; there: Facts } | LinkFault {
  const here = facts.elsewhere?.here ?? 'this cluster';
  const there = to === here ? undefined : facts.elsewhere?.facts(to);
  if (!there) return { cluster: here, is: 'no-cluster', says: `${here} isn't linked with a cluster ${to}` };
  const mine = linkTo(facts, to);
  const theirs = mine ? there.get('Link', '', mine.metadata.name) : linkTo(there, here);
  if (!mine)
    return theirs
      ? { cluster: here, is: 'half', says: `${to} has its end of the link ${theirs.metadata.name}, ${here} has none` }
      : { cluster: here, is: 'no-link', says: `no link leads from ${here} to ${to}` };
  if (theirs?.spec.to !== here)
    return { cluster: to, is: 'half', says: `${here} has its end of the link ${mine.metadata.name}, ${to} has none` };
  return { mine, theirs, there };
}

const outages = (facts: Facts, to: string) =>
  facts
    .list('Outage')
    .flatMap(({ metadata, spec }) => (spec.links ?? []).filter((one) => one.to === to).map((one) => ({ ...one, name: metadata.name })));

/** Ranges that two clusters both give out, so that an address of one can't be told from one of the other. */
function rangeFault(facts: Facts, there: Facts, here: string, to: string): LinkFault | undefined {
  const [mine, theirs] = [facts.list('Ground')[0]?.spec, there.list('Ground')[0]?.spec];
  if (!mine || !theirs) return undefined;
  for (const field of ['podRange', 'serviceRange', 'nodeRange'] as const) {
    const [a, b] = [mine[field], theirs[field]];
    if (a !== undefined && b !== undefined && rangesOverlap(a, b))
      return {
        cluster: here,
        is: 'ranges',
        says: `${here} and ${to} both give out addresses of ${a === b ? a : `${a} and ${b}, which overlap`}, so the link can't tell whose they are`,
        field: `spec.${field}`
      };
  }
  return undefined;
}

/** Why nothing that is called from one cluster comes to another and back; undefined where it does. */
export function linkFault(facts: Facts, to: string): LinkFault | undefined {
  const found = ends(facts, to);
  if ('is' in found) return found;
  const { mine, theirs, there } = found;
  const here = facts.elsewhere!.here;
  const { name } = mine.metadata;
  for (const [one, cluster] of [
    [mine, here],
    [theirs, to]
  ] as const)
    if (!one.spec.carries.addresses)
      return {
        cluster,
        is: 'addresses',
        says: `${cluster}'s end of the link ${name} carries no addresses`,
        field: 'spec.carries.addresses'
      };
  const ranges = rangeFault(facts, there, here, to);
  if (ranges) return ranges;
  if (leading(mine.spec.version) !== leading(theirs.spec.version))
    return {
      cluster: here,
      is: 'version',
      says: `the ends of the link ${name} don't understand each other: ${here} runs ${mine.spec.version}, ${to} ${theirs.spec.version}`,
      field: 'spec.version'
    };
  if (mine.spec.encrypted !== theirs.spec.encrypted) {
    const open = mine.spec.encrypted ? to : here;
    return {
      cluster: open,
      is: 'secret',
      says: `${open}'s end of the link ${name} doesn't encrypt, and the other takes nothing else`,
      field: 'spec.encrypted'
    };
  }
  for (const [one, cluster] of [
    [mine, here],
    [theirs, to]
  ] as const) {
    const until = one.spec.certificateUntil;
    if (one.spec.encrypted && until !== undefined && Date.parse(until) <= epochMs + facts.nowMs)
      return {
        cluster,
        is: 'certificate',
        says: `the certificate of ${cluster}'s end of the link ${name} ended at ${until}`,
        field: 'spec.certificateUntil'
      };
  }
  const [out, back] = [outages(facts, to), outages(there, here)];
  const cut = out.find((one) => one.is === 'cut') ?? back.find((one) => one.is === 'cut');
  if (cut) return { cluster: out.includes(cut) ? here : to, is: 'cut', says: `the link ${name} is cut (${cut.name})` };
  const deaf = out.find((one) => one.is === 'one-way') ?? back.find((one) => one.is === 'one-way');
  if (deaf) {
    const from = out.includes(deaf) ? here : to;
    return {
      cluster: from,
      is: 'one-way',
      says: `on the link ${name} what leaves ${from} arrives, and no answer comes back (${deaf.name})`
    };
  }
  return undefined;
}

/** Why names of another cluster aren't found in this one; undefined where they are. */
export function linkNamesFault(facts: Facts, to: string): LinkFault | undefined {
  const through = linkFault(facts, to);
  if (through) return through;
  const here = facts.elsewhere!.here;
  const mine = linkTo(facts, to)!;
  if (!mine.spec.carries.names)
    return {
      cluster: here,
      is: 'names',
      says: `${here}'s end of the link ${mine.metadata.name} carries no names, so those of ${to} aren't found here`,
      field: 'spec.carries.names'
    };
  const nameless = outages(facts, to).find((one) => one.is === 'nameless');
  return nameless && { cluster: here, is: 'names', says: `names of ${to} aren't found in ${here} just now (${nameless.name})` };
}

/** How long a message takes over a link one way, in ms, what is slow just now included. */
export function linkDelayMs(facts: Facts, to: string): number {
  const here = facts.elsewhere?.here ?? '';
  const there = facts.elsewhere?.facts(to);
  const slow = [...outages(facts, to), ...(there ? outages(there, here) : [])].reduce(
    (sum, one) => sum + (one.is === 'slow' ? (one.ms ?? 0) : 0),
    0
  );
  return (linkTo(facts, to)?.spec.delayMs ?? 0) + slow;
}
