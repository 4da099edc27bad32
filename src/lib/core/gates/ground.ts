import { majorityOf, nodesThatFit, plural, rangeFault } from '../shared';
import { asManifest } from '../manifest';
import { nodeReady, type ApiObject, type Facts } from '../model';
import type { State } from '../rootline';
import { driverCards, diskFault, layoutFaults, pullOf, standingOf } from '../standin';
import { freeRooms, largestAsk, moreOf } from '../sizing';

/** One gate of the ground: what must hold before anything can stand on it. */
export interface Gate {
  readonly id: 'nodes' | 'sizing' | 'ranges' | 'quorum' | 'registries' | 'rights' | 'disks';
  readonly title: string;
  readonly state: State;
  readonly says: string;
  readonly remedy?: { readonly text: string; readonly manifests?: readonly ApiObject[] };
}

const gib = (bytes: number): string => `${(bytes / 2 ** 30).toLocaleString('en', { maximumFractionDigits: 1 })} GiB`;
const cpu = (milli: number): string => `${(milli / 1000).toLocaleString('en', { maximumFractionDigits: 1 })} CPU`;

function nodes(facts: Facts): Gate {
  const all = facts.list('Node');
  const down = all.filter((node) => !nodeReady(node)).map((node) => node.metadata.name);
  const title = 'Nodes';
  if (!all.length) return { id: 'nodes', title, state: 'broken', says: 'there are none', remedy: { text: 'Send Node manifests.' } };
  if (!down.length) return { id: 'nodes', title, state: 'holds', says: `all ${all.length} answer` };
  return {
    id: 'nodes',
    title,
    state: 'broken',
    says: `${down.join(', ')} ${down.length === 1 ? "doesn't" : "don't"} answer`,
    remedy: { text: 'Bring them back.' }
  };
}

function sizing(facts: Facts): Gate {
  const rooms = freeRooms(facts);
  const asked = largestAsk(facts);
  const widest = [...rooms].sort((a, b) => b.memoryBytes - a.memoryBytes || b.milliCpu - a.milliCpu)[0];
  const free = widest ? `largest pod that fits: ${cpu(widest.milliCpu)}, ${gib(widest.memoryBytes)}` : 'no node takes pods';
  const unplaced = facts
    .list('Pod')
    .filter(
      (pod) =>
        !pod.spec.nodeName &&
        /without the (CPU|memory)/.test(pod.status?.conditions?.find((one) => one.type === 'PodScheduled')?.message ?? '')
    );
  const base = { id: 'sizing' as const, title: 'Sizing' };
  if (unplaced.length)
    return {
      ...base,
      state: 'broken',
      says: `${unplaced[0]!.metadata.name} finds no node with what it asks for; ${free}`,
      remedy: { text: 'Ask for less, free some, or add a larger node.' }
    };
  if (!asked) return { ...base, state: rooms.length ? 'holds' : 'broken', says: `nothing asks yet; ${free}` };
  const more = moreOf(rooms, asked.ask);
  const says = `largest ask ${cpu(asked.ask.milliCpu)}, ${gib(asked.ask.memoryBytes)} (${asked.name}): ${more} more ${more === 1 ? 'fits' : 'fit'}; ${free}`;
  return { ...base, state: 'holds', says };
}

function ranges(facts: Facts): Gate {
  const [ground] = facts.list('Ground');
  const base = { id: 'ranges' as const, title: 'Ranges' };
  if (!ground) return { ...base, state: 'unseen', says: 'the place says nothing of its ranges' };
  const count = facts.list('Node').length;
  const own = layoutFaults({
    ...ground,
    spec: {
      ...ground.spec,
      groups: [{ name: 'n', zone: 'z', count: Math.max(1, count), cpu: '4', memory: '8Gi' }],
      control: undefined,
      backends: []
    }
  });
  const faults = own.filter((one) => /Range$/.test(one.field));
  const [first] = faults;
  if (first) return { ...base, state: 'broken', says: faults.map((one) => one.message).join('; '), remedy: { text: first.remedy } };
  const room = rangeFault(ground.spec.podRange) ? 0 : nodesThatFit(ground.spec.podRange);
  return { ...base, state: 'holds', says: `pods, services and physical network apart; room for ${room.toLocaleString('en')} nodes` };
}

function quorum(facts: Facts): Gate {
  const control = facts.list('Ground')[0]?.spec.control;
  const base = { id: 'quorum' as const, title: 'Quorum store' };
  if (!control) return { ...base, state: 'unseen', says: 'the place says nothing of its control members' };
  const { quorum: n, members, mode, balancer } = control;
  if (n % 2 === 0)
    return {
      ...base,
      state: 'broken',
      says: `${plural(n, 'member')} ${n === 1 ? 'survives' : 'survive'} no more than ${n - 1}`,
      remedy: { text: 'Run 3, which may lose 1, or 5, which may lose 2.' }
    };
  const may = n - majorityOf(n);
  const words =
    members === 1
      ? '1 control member'
      : `${members} control members ${mode === 'active-passive' ? 'active and passive' : 'balanced'}${balancer ? ' behind a balancer' : ''}`;
  return { ...base, state: 'holds', says: `${n} ${n === 1 ? 'member' : 'members'}, may lose ${may}; ${words}` };
}

function registries(facts: Facts): Gate {
  const base = { id: 'registries' as const, title: 'Registries' };
  if (!facts.knowsProvider && !facts.list('Registry').length)
    return {
      ...base,
      state: 'unseen',
      says: "what the nodes can pull is not in a dump; look at the pods' events (Failed, BackOff) and at the registry"
    };
  const images = new Set<string>();
  for (const one of [...facts.list('StatefulSet'), ...facts.list('Deployment'), ...facts.list('DaemonSet')])
    for (const { image } of one.spec.template.spec.containers) images.add(image);
  const dark = facts.list('Registry').find((one) => !one.spec.reachable);
  const faults = [...images].flatMap((image) => {
    const { fault } = pullOf(facts, image);
    return fault ? [{ image, fault }] : [];
  });
  const [first] = faults;
  if (first)
    return {
      ...base,
      state: 'broken',
      says: `${faults.length} of ${images.size} images can't be pulled: ${first.fault.message}`,
      remedy: {
        text: 'Let the nodes reach the registry, or name one that they reach.',
        ...(dark ? { manifests: [asManifest({ ...dark, spec: { ...dark.spec, reachable: true } })] } : {})
      }
    };
  if (!images.size) return { ...base, state: 'unseen', says: `${facts.list('Registry').length} known; nothing was asked of them yet` };
  return { ...base, state: 'holds', says: `${images.size} ${images.size === 1 ? 'image' : 'images'} asked for, all within reach` };
}

function rights(facts: Facts): Gate {
  const base = { id: 'rights' as const, title: 'Rights' };
  if (!facts.knowsProvider)
    return {
      ...base,
      state: 'unseen',
      says: "what the provider trusts is not in a dump; look there at the trust and the rights of each driver's service account"
    };
  const wanted = driverCards.filter((card) => card.rights.length && facts.list('Backend').some((one) => one.spec.driver === card.driver));
  if (!wanted.length) return { ...base, state: 'holds', says: 'no backend here asks for rights' };
  const faults = wanted.flatMap((card) => {
    const { identity, missing, mismatch } = standingOf(facts, card.driver, card.rights);
    if (!identity) return [`${card.short}: no identity is trusted`];
    if (mismatch) return [`${card.short}: ${mismatch.field.slice(5)} is ${mismatch.value}`];
    return missing.length ? [`${card.short}: lacks ${missing.join(', ')}`] : [];
  });
  if (faults.length)
    return {
      ...base,
      state: 'broken',
      says: faults.join('; '),
      remedy: { text: 'See the joint Rights on Supply; it offers the mended identity.' }
    };
  return { ...base, state: 'holds', says: `${wanted.map((card) => card.short).join(' and ')}: identity trusted, all rights` };
}

function disks(facts: Facts): Gate | undefined {
  const raw = facts.list('Disk').filter((one) => one.spec.holds !== 'system');
  if (!raw.length) return undefined;
  const base = { id: 'disks' as const, title: 'Disks' };
  const refused = raw.filter((one) => !one.status?.pool && diskFault(one));
  const prepared = raw.filter((one) => one.status?.prepared).length;
  const under = raw.filter((one) => one.status?.pool && !one.status.prepared).length;
  const tail = refused.length ? `, ${refused.length} can't join a pool` : '';
  if (under) return { ...base, state: 'settling', says: `${prepared} prepared, ${under} being prepared${tail}` };
  if (prepared) return { ...base, state: 'holds', says: `${prepared} prepared${tail}` };
  return { ...base, state: 'waiting', says: `${raw.length - refused.length} of ${raw.length} raw disks can join a pool` };
}

/** All gates of the ground, in the order in which they must be mended. */
export function groundGates(facts: Facts): Gate[] {
  const gates = [nodes(facts), sizing(facts), ranges(facts), quorum(facts), registries(facts), rights(facts)];
  const last = disks(facts);
  return last ? [...gates, last] : gates;
}
