import { bytesOf, isQuantity, milliCpuOf, nodesThatFit, prefixSize, rangeFault, rangeHolds, rangesOverlap } from '../../shared';
import { nameFault, type Ground, type NodeGroup } from '../../model';
import { driverCard } from '../provider/drivers';
import { namesIn } from './expand';

/** What is wrong with one answer of a layout, and what would be right. */
export interface LayoutFault {
  /** Dotted path into the document's spec, e.g. `control.quorum`. */
  readonly field: string;
  readonly message: string;
  readonly remedy: string;
}

type Spec = Ground['spec'];
const fault = (field: string, message: string, remedy: string): LayoutFault => ({ field, message, remedy });

const rangeNames = [
  ['podRange', 'pods'],
  ['serviceRange', 'services'],
  ['nodeRange', 'physical network']
] as const;

/** Addresses that the physical network keeps for what isn't a node. */
const keptAddresses = 12;

function rangeFaults(spec: Spec, nodes: number): LayoutFault[] {
  const found: LayoutFault[] = [];
  const right = rangeNames.filter(([field]) => {
    const wrong = rangeFault(spec[field]);
    if (wrong) found.push(fault(field, `${spec[field] || 'nothing'} ${wrong}`, 'Write first address and mask, e.g. 10.61.0.0/16.'));
    return !wrong;
  });
  right.forEach(([field, name], i) => {
    for (const [other, otherName] of right.slice(i + 1)) {
      if (rangesOverlap(spec[field], spec[other]))
        found.push(
          fault(
            other,
            `The ranges of ${name} (${spec[field]}) and ${otherName} (${spec[other]}) overlap`,
            'Choose ranges that share no address; traffic to a shared one goes astray.'
          )
        );
    }
  });
  const ok = new Set(right.map(([field]) => field));
  if (ok.has('podRange') && nodesThatFit(spec.podRange) < nodes + 1)
    found.push(
      fault(
        'podRange',
        `${spec.podRange} has shares of /24 for ${nodesThatFit(spec.podRange)} nodes; ${nodes + 1} are needed`,
        'Choose a wider range.'
      )
    );
  if (ok.has('nodeRange') && prefixSize(spec.nodeRange) < nodes + keptAddresses)
    found.push(
      fault('nodeRange', `${spec.nodeRange} holds ${prefixSize(spec.nodeRange)} addresses for ${nodes} nodes`, 'Choose a wider range.')
    );
  return found;
}

function controlFaults({ control, nodeRange }: Spec): LayoutFault[] {
  if (!control) return [];
  const { shape, quorum, members, mode, balancer } = control;
  const found: LayoutFault[] = [];
  if (shape === 'small') {
    if (members !== 1)
      found.push(fault('control.members', `A small cluster has 1 control member, not ${members}`, 'Ask for 1, or choose production.'));
    if (quorum !== 1)
      found.push(fault('control.quorum', `A small cluster has 1 quorum member, not ${quorum}`, 'Ask for 1, or choose production.'));
    return found;
  }
  if (quorum % 2 === 0)
    found.push(
      fault(
        'control.quorum',
        `An even quorum store of ${quorum} survives no more losses than one of ${Math.max(1, quorum - 1)}`,
        'Ask for 3, which may lose 1, or 5, which may lose 2.'
      )
    );
  else if (quorum !== 3 && quorum !== 5)
    found.push(fault('control.quorum', `A production cluster has 3 or 5 quorum members, not ${quorum}`, 'Ask for 3 or 5.'));
  if (mode === 'active-passive' && members !== 2)
    found.push(fault('control.members', `Active and passive are 2 control members, not ${members}`, 'Ask for 2, or choose balanced.'));
  if (mode !== 'active-passive' && (members < 2 || members > 5))
    found.push(fault('control.members', `A balanced control plane has 2 to 5 members, not ${members}`, 'Ask for 2 to 5.'));
  if (!balancer?.trim())
    found.push(
      fault(
        'control.balancer',
        'The balancer in front of the control members has no address',
        'Give an address or a name that the nodes can reach.'
      )
    );
  else if (/^[\d.]+$/.test(balancer) && !rangeFault(nodeRange) && !rangeHolds(nodeRange, balancer))
    found.push(
      fault('control.balancer', `${balancer} is not in the physical network ${nodeRange}`, 'Give an address within it, or a name.')
    );
  return found;
}

function groupFaults(group: NodeGroup, at: string): LayoutFault[] {
  const found: LayoutFault[] = [];
  for (const name of [...namesIn(group).slice(0, 1), group.zone]) {
    const wrong = nameFault(name, 'label');
    if (wrong)
      found.push(
        fault(`${at}.${name === group.zone ? 'zone' : 'name'}`, `The name "${name}" ${wrong}`, 'Write lower-case letters, digits and "-".')
      );
  }
  if (!isQuantity(String(group.cpu)) || milliCpuOf(group.cpu) < 1_000)
    found.push(fault(`${at}.cpu`, `${group.cpu || 'nothing'} is too little CPU for a node`, 'Give 1 or more.'));
  if (!isQuantity(String(group.memory)) || bytesOf(group.memory) < 2 * 2 ** 30)
    found.push(fault(`${at}.memory`, `${group.memory || 'nothing'} is too little memory for a node`, 'Give 2Gi or more.'));
  (group.disks ?? []).forEach(({ size }, i) => {
    if (!isQuantity(String(size)) || bytesOf(size) <= 0)
      found.push(fault(`${at}.disks.${i}.size`, `${size || 'nothing'} is no size of a disk`, 'Give e.g. 800Gi.'));
  });
  return found;
}

function backendFaults({ backends = [], groups = [], firstClass }: Spec): LayoutFault[] {
  const found: LayoutFault[] = [];
  const zones = new Set(groups.map((one) => one.zone));
  backends.forEach((one, i) => {
    const at = `backends.${i}`;
    if (!driverCard(one.driver))
      found.push(fault(`${at}.driver`, `No driver ${one.driver} ships with the stand-in`, 'Choose one that does.'));
    one.zones.forEach((zone, k) => {
      if (!isQuantity(String(zone.capacity)) || bytesOf(zone.capacity) <= 0)
        found.push(fault(`${at}.zones.${k}.capacity`, `${zone.capacity || 'nothing'} is no capacity`, 'Give e.g. 1000Gi.'));
    });
    const without = one.driver === 'block.standin.example' ? [...zones].filter((zone) => !one.zones.some((two) => two.name === zone)) : [];
    if (without.length)
      found.push(
        fault(`${at}.zones`, `${one.name} has nothing in zone ${without.join(', ')}, where nodes stand`, 'Give it capacity there.')
      );
  });
  if (!firstClass) return found;
  const wrong = nameFault(firstClass.name, 'subdomain');
  if (wrong) found.push(fault('firstClass.name', `The class's name "${firstClass.name}" ${wrong}`, 'Choose another name.'));
  const fsType = firstClass.parameters?.['csi.storage.k8s.io/fstype'];
  const card = driverCard(firstClass.provisioner);
  if (fsType && card && !card.fsTypes.includes(fsType))
    found.push(fault('firstClass.parameters', `${card.driver} makes no ${fsType}`, `Choose ${card.fsTypes.join(' or ')}.`));
  return found;
}

/**
 * What is wrong with a layout's answers, so that it can be said while they are typed. Sources: RFC 4632 for ranges; quorum: Lamport,
 * Paxos, and Ongaro and Ousterhout, Raft (2014); control members behind a balancer: common practice, no source.
 */
export function layoutFaults({ metadata, spec }: Ground): LayoutFault[] {
  const found: LayoutFault[] = [];
  const { groups = [] } = spec;
  const wrong = nameFault(metadata.name, 'label');
  if (wrong) found.push(fault('name', `The cluster's name "${metadata.name}" ${wrong}`, 'Write lower-case letters, digits and "-".'));
  if (spec.version !== undefined && !/^1\.\d{1,2}$/.test(spec.version))
    found.push(fault('version', `${spec.version || 'nothing'} is no version of the cluster API`, 'Write e.g. 1.32.'));
  const names = groups.flatMap(namesIn);
  const twice = names.find((name, i) => names.indexOf(name) !== i);
  if (!groups.length) found.push(fault('groups', 'There are no nodes', 'Give a group of nodes.'));
  if (twice) found.push(fault('groups', `Two nodes are called ${twice}`, 'Give each group its own name.'));
  return [
    ...found,
    ...controlFaults(spec),
    ...rangeFaults(spec, names.length),
    ...groups.flatMap((group, i) => groupFaults(group, `groups.${i}`)),
    ...backendFaults(spec)
  ];
}
