import { majorityOf, plural } from '../shared';
import {
  askOf,
  claimsOf,
  podsMadeBy,
  zoneOf,
  type ApiObject,
  type Ask,
  type Facts,
  type Kind,
  type Pod,
  type StorageClass
} from '../model';
import { driverGates } from '../rootline';
import { freeRooms } from '../sizing';
import {
  backendOf,
  clusterVersion,
  fittingImage,
  freeIn,
  imageVersionFault,
  operatorFault,
  operatorOf,
  pullOf,
  runsOperator,
  sizeShortage,
  topologyOf,
  volumesIn,
  type OperatedKind
} from '../standin';
import { shortfall, traitsOf, traitWords } from './classes';
import type { ClaimsNeed, Needs } from './needs';

/** A value that would mend a square, with where it stands in the manifests. */
export interface FitMend {
  readonly row: string;
  readonly places: readonly string[];
  readonly value: string;
}

/** One need held against one cluster. `tight`: it holds, and nothing is to spare. */
export interface FitSquare {
  readonly need: string;
  readonly state: 'holds' | 'tight' | 'broken' | 'unseen';
  readonly says: string;
  /** The field that differs, where one does. */
  readonly field?: string;
  readonly mend?: FitMend;
}

/** What of the manifests stands in a cluster already. */
interface Standing {
  readonly pods: readonly Pod[];
  /** Claims of theirs that are bound. */
  readonly claims: number;
}

function standing(there: Facts, objects: readonly ApiObject[]): Standing {
  const pods = objects.flatMap((one) => {
    const kind = one.kind === 'DocumentSet' || one.kind === 'MemoryCluster' ? 'StatefulSet' : one.kind;
    if (kind !== 'StatefulSet' && kind !== 'Deployment') return [];
    const maker = there.get(kind, one.metadata.namespace ?? 'default', one.metadata.name);
    return maker ? podsMadeBy(there, maker) : [];
  });
  const bound = pods.flatMap((pod) =>
    claimsOf(pod.spec, pod.metadata.name).filter(
      (name) => there.get('PersistentVolumeClaim', pod.metadata.namespace ?? '', name)?.status?.phase === 'Bound'
    )
  );
  return { pods, claims: bound.length };
}

/** A need, as it stands at the head of its row. */
export interface FitNeed {
  readonly id: string;
  readonly title: string;
}

const gib = (bytes: number): string =>
  bytes >= 2 ** 30 ? `${Math.round(bytes / 2 ** 30).toLocaleString('en')} GiB` : `${Math.round(bytes / 2 ** 20).toLocaleString('en')} MiB`;

/** The rows of the table, in the order in which things have to be there. */
export function fitRows(needs: Needs, objects: readonly ApiObject[]): FitNeed[] {
  const members = needs.parts.filter((one) => one.members > 0);
  return [
    ...needs.claims.flatMap((one) => [
      {
        id: `class ${one.className}`,
        title: `${one.className || 'default class'}: ${one.traits ? traitWords({ ...one.traits, many: one.many }) : 'what it does is unseen'}`
      },
      { id: `room ${one.className}`, title: `room, ${plural(one.sizes.length, 'volume')} of ${sizesWords(one.sizes)}` }
    ]),
    ...(members.length ? [{ id: 'spread', title: spreadTitle(needs) }] : []),
    ...(members.length ? [{ id: 'size', title: sizeTitle(needs) }] : []),
    ...(needs.claims.some((one) => one.aMember > 0) ? [{ id: 'slots', title: 'attach slots' }] : []),
    ...(needs.images.length ? [{ id: 'version', title: 'cluster version' }] : []),
    ...(operatedIn(objects).length ? [{ id: 'operator', title: `operator of ${operatedIn(objects).join(', ')}` }] : []),
    ...(needs.images.length ? [{ id: 'images', title: plural(needs.images.length, 'image') }] : []),
    ...(objects.some((one) => one.kind === 'Certificate') ? [{ id: 'issuer', title: 'issuer for certificates' }] : [])
  ];
}

const sizesWords = (sizes: readonly number[]): string => {
  const distinct = [...new Set(sizes)];
  return distinct.length === 1 ? gib(distinct[0]!) : `${gib(Math.min(...distinct))} to ${gib(Math.max(...distinct))}`;
};
const spreadTitle = ({ parts }: Needs): string => {
  const zone = parts.some((one) => one.apart === 'zone');
  const node = parts.some((one) => one.apart === 'node');
  return zone ? 'one member a zone' : node ? 'one member a node' : 'members over zones';
};
const sizeTitle = ({ parts }: Needs): string => {
  const largest = [...parts].sort((a, b) => b.ask.memoryBytes - a.ask.memoryBytes)[0]!;
  const { milliCpu, memoryBytes } = largest.ask;
  return milliCpu || memoryBytes ? `${milliCpu} m CPU, ${gib(memoryBytes)} each` : 'CPU and memory: none is asked for';
};
const operatedIn = (objects: readonly ApiObject[]): Kind[] => [
  ...new Set(objects.flatMap((one) => (operatorOf(one.kind) ? [one.kind] : [])))
];

/** The class that claims come to in a cluster: the one that they name where it does all that is needed, else one that does. */
function classFit(there: Facts, need: ClaimsNeed, objects: readonly ApiObject[]): { square: FitSquare; class?: StorageClass } {
  const id = `class ${need.className}`;
  const square = (state: FitSquare['state'], says: string, more: Partial<FitSquare> = {}): FitSquare => ({
    need: id,
    state,
    says,
    ...more
  });
  const brought = objects.filter((one): one is StorageClass => one.kind === 'StorageClass');
  const all = [...brought, ...there.list('StorageClass').filter((one) => !brought.some((two) => two.metadata.name === one.metadata.name))];
  const named = all.find((one) =>
    need.className === ''
      ? one.metadata.annotations?.['storageclass.kubernetes.io/is-default-class'] === 'true'
      : one.metadata.name === need.className
  );
  const needed = need.traits && { ...need.traits, many: need.many };
  if (!needed)
    return named
      ? { square: square('unseen', `${named.metadata.name} is there; what must it do?`), class: named }
      : { square: square('broken', `there is no class ${need.className || '(default)'}`) };
  const lacks = (one: StorageClass) => {
    const has = traitsOf(there, one);
    return has ? shortfall(needed, has, one.metadata.name) : { field: 'provisioner', says: `what ${one.metadata.name} does is unseen` };
  };
  const gated = (one: StorageClass) =>
    driverGates(there, one.provisioner).find((gate) => gate.state === 'broken' && gate.joint !== 'class');
  // Shared files lock and pace otherwise than a volume of one's own: nobody is moved to them who doesn't ask for it.
  const others = all.filter((one) => one !== named && !lacks(one) && (needed.many || !traitsOf(there, one)?.many));
  const inOrder = (list: readonly StorageClass[]) => [...list].sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
  if (named && !lacks(named)) {
    const gate = gated(named);
    return { square: gate ? square('broken', `${named.metadata.name}: ${gate.says}`) : square('holds', named.metadata.name), class: named };
  }
  const [other] = need.places.length ? inOrder(others.filter((one) => !gated(one))) : [];
  if (other) {
    const mend = { row: 'class', places: need.places, value: other.metadata.name };
    return { square: square('holds', other.metadata.name, { mend }), class: other };
  }
  const why = named && lacks(named);
  if (why)
    return {
      square: square(why.says.endsWith('unseen') ? 'unseen' : 'broken', why.says, { field: why.field }),
      class: named
    };
  const [waits] = inOrder(others);
  if (waits)
    return { square: square('broken', `${waits.metadata.name} would do: ${gated(waits)?.says ?? 'and it is not named'}`), class: waits };
  const nearest = all.map((one) => lacks(one)?.says).filter(Boolean);
  return { square: square('broken', all.length ? `no class does it: ${nearest.join('; ')}` : 'there is no class at all') };
}

/** Whether the volumes find room: each where most is left, as members are spread. */
function roomFit(there: Facts, asked: ClaimsNeed, one: StorageClass | undefined, own: Standing): FitSquare {
  // What stands there already under these names has its volumes.
  const need = { ...asked, sizes: asked.sizes.slice(Math.min(asked.sizes.length, own.claims)) };
  const id = `room ${need.className}`;
  if (!one) return { need: id, state: 'unseen', says: 'without a class nobody can tell' };
  if (!there.knowsProvider) return { need: id, state: 'unseen', says: "an export doesn't tell what its provider has left" };
  if (!need.sizes.length) return { need: id, state: 'holds', says: 'its volumes are there' };
  const backend = backendOf(there, one.provisioner);
  if (!backend) return { need: id, state: 'broken', says: `no backend hands out volumes of ${one.provisioner}` };
  if (backend.spec.fileSystem !== undefined) return { need: id, state: 'holds', says: 'shared files grow by themselves' };
  const size = need.sizes.map((bytes) => sizeShortage(backend, bytes)).find((each) => each !== undefined);
  if (size) return { need: id, state: 'broken', says: size.message.replace(/\.$/, ''), field: size.field };
  const used = there.usedOf(backend.metadata.name);
  const left = backend.spec.quotaVolumes - volumesIn(used);
  if (left < need.sizes.length)
    return { need: id, state: 'broken', says: `the quota has ${plural(Math.max(0, left), 'volume')} left`, field: 'spec.quotaVolumes' };
  const free = backend.spec.zones.map((zone) => freeIn(backend, zone.name, used) ?? 0);
  const total = free.reduce((sum, bytes) => sum + Math.max(0, bytes), 0);
  const places = [...free];
  // Where a volume stays in its place, members that are kept apart take different ones.
  const bound = topologyOf(backend) !== '';
  for (const bytes of [...need.sizes].sort((a, b) => b - a)) {
    const at = bound ? places.indexOf(Math.max(...places)) : 0;
    if ((bound ? places[at]! : places.reduce((sum, each) => sum + each, 0)) < bytes)
      return {
        need: id,
        state: 'broken',
        says: `${gib(Math.max(0, total))} left, ${gib(need.sizes.reduce((sum, each) => sum + each, 0))} are asked for`
      };
    places[at] = places[at]! - bytes;
  }
  const after = total - need.sizes.reduce((sum, each) => sum + each, 0);
  return { need: id, state: after < Math.max(...need.sizes) ? 'tight' : 'holds', says: `${gib(total)} left` };
}

function spreadFit(there: Facts, { parts }: Needs): FitSquare {
  const nodes = freeRooms(there).map((one) => one.node);
  const zones = new Set(
    there
      .list('Node')
      .filter((one) => nodes.includes(one.metadata.name))
      .map(zoneOf)
      .filter(Boolean)
  );
  const most = Math.max(...parts.map((one) => one.members));
  const byZone = parts.find((one) => one.apart === 'zone' && one.members > zones.size);
  if (byZone)
    return { need: 'spread', state: 'broken', says: `${plural(zones.size, 'zone')} for ${byZone.members} members of ${byZone.name}` };
  const byNode = parts.find((one) => one.apart === 'node' && one.members > nodes.length);
  if (byNode)
    return { need: 'spread', state: 'broken', says: `${plural(nodes.length, 'node')} for ${byNode.members} members of ${byNode.name}` };
  const decides = parts.find((one) => one.majority && one.members > 1);
  const largest = decides && zones.size ? Math.ceil(decides.members / zones.size) : 0;
  if (decides && decides.members - largest < majorityOf(decides.members))
    return { need: 'spread', state: 'tight', says: `${plural(zones.size, 'zone')}: a majority of ${decides.name} falls with one` };
  return {
    need: 'spread',
    state: most > nodes.length ? 'tight' : 'holds',
    says: `${plural(zones.size, 'zone')}, ${plural(nodes.length, 'node')}`
  };
}

/** Members put on nodes one after another, the largest first, each where most memory is left: a picture, not the scheduler itself. */
function sizeFit(there: Facts, { parts }: Needs, own: Standing): FitSquare {
  const rooms = freeRooms(there).map((one) => {
    // Members that stand there already give their room to themselves.
    const mine = own.pods.filter((pod) => pod.spec.nodeName === one.node).map((pod) => askOf(pod.spec));
    const sum = (of: (ask: Ask) => number) => mine.reduce((all, ask) => all + of(ask), 0);
    return {
      ...one,
      milliCpu: one.milliCpu + sum((ask) => ask.milliCpu),
      memoryBytes: one.memoryBytes + sum((ask) => ask.memoryBytes),
      pods: one.pods + mine.length,
      holds: new Set<string>()
    };
  });
  const enough = (room: (typeof rooms)[number], part: Needs['parts'][number]) =>
    room.milliCpu >= part.ask.milliCpu &&
    room.memoryBytes >= part.ask.memoryBytes &&
    room.pods >= 1 &&
    !(part.apart && room.holds.has(part.name));
  const first = new Map(parts.map((part) => [part.name, rooms.filter((room) => enough(room, part)).length]));
  for (const part of [...parts].sort((a, b) => b.ask.memoryBytes - a.ask.memoryBytes || b.ask.milliCpu - a.ask.milliCpu))
    for (let i = 0; i < part.members; i += 1) {
      const room = rooms.filter((one) => enough(one, part)).sort((a, b) => b.memoryBytes - a.memoryBytes || b.milliCpu - a.milliCpu)[0];
      if (!room)
        return {
          need: 'size',
          state: 'broken',
          says: `${i} of ${plural(part.members, 'member')} of ${part.name} find room (${first.get(part.name)} of ${rooms.length} nodes have enough)`
        };
      room.milliCpu -= part.ask.milliCpu;
      room.memoryBytes -= part.ask.memoryBytes;
      room.pods -= 1;
      room.holds.add(part.name);
    }
  const least = Math.min(...parts.filter((one) => one.members).map((part) => rooms.filter((room) => enough(room, part)).length));
  const words = `${Math.max(...first.values())} of ${rooms.length} nodes have room`;
  return { need: 'size', state: least > 0 ? 'holds' : 'tight', says: least > 0 ? words : `${words}, none to spare` };
}

function slotsFit(there: Facts, needs: Needs, classes: readonly (StorageClass | undefined)[], own: Standing): FitSquare {
  const drivers = [...new Set(classes.flatMap((one) => one?.provisioner ?? []))];
  if (!there.knowsProvider && !there.list('CSINode').length)
    return { need: 'slots', state: 'unseen', says: "the export holds no nodes' limits" };
  const wanted = Math.max(0, ...needs.parts.map((one) => one.volumes));
  const free = there.list('CSINode').flatMap((one) => {
    const limits = one.spec.drivers.filter((driver) => drivers.includes(driver.name) && driver.allocatable?.count !== undefined);
    if (!limits.length) return [];
    const mine = own.pods
      .filter((pod) => pod.spec.nodeName === one.metadata.name)
      .reduce((sum, pod) => sum + claimsOf(pod.spec, pod.metadata.name).length, 0);
    const used = there.list('VolumeAttachment').filter((two) => two.spec.nodeName === one.metadata.name).length - mine;
    return [Math.min(...limits.map((driver) => driver.allocatable!.count!)) - used];
  });
  if (!drivers.length) return { need: 'slots', state: 'unseen', says: 'without a class nobody can tell' };
  if (!free.length) {
    // Until its driver is there no node says how many it takes; its backend does.
    const limit = drivers.map((driver) => backendOf(there, driver)?.spec.attachLimit).find((one) => one !== undefined);
    if (limit === undefined) return { need: 'slots', state: 'holds', says: 'no limit' };
    return limit < wanted
      ? { need: 'slots', state: 'broken', says: `${limit} a node, and a member mounts ${wanted}` }
      : { need: 'slots', state: 'holds', says: `${limit} a node` };
  }
  const enough = free.filter((one) => one >= wanted).length;
  const members = Math.max(...needs.parts.map((one) => (one.volumes ? one.members : 0)));
  const apart = needs.parts.some((one) => one.apart && one.volumes);
  if (apart ? enough < members : free.reduce((sum, one) => sum + Math.floor(one / Math.max(1, wanted)), 0) < members)
    return {
      need: 'slots',
      state: 'broken',
      says: `${plural(wanted, 'slot')} for each of ${plural(members, 'member')}; ${enough} of ${free.length} nodes have so many left`
    };
  return { need: 'slots', state: 'holds', says: `${Math.min(...free)} free a node` };
}

function versionFit(there: Facts, needs: Needs): FitSquare {
  const version = clusterVersion(there);
  const unfit = needs.images.find((one) => imageVersionFault(one.image, version));
  if (!unfit) return { need: 'version', state: 'holds', says: version };
  const better = fittingImage(unfit.image, version);
  return {
    need: 'version',
    state: better ? 'holds' : 'broken',
    says: better ? `${version}: ${better.slice(better.lastIndexOf(':') + 1)} fits` : imageVersionFault(unfit.image, version)!,
    ...(better ? { mend: { row: 'image', places: unfit.places, value: better } } : {})
  };
}

function imagesFit(there: Facts, needs: Needs): FitSquare {
  if (!there.knowsProvider && !there.list('Registry').length)
    return { need: 'images', state: 'unseen', says: "what its nodes can pull, an export doesn't tell" };
  for (const { image, places } of needs.images) {
    const { fault } = pullOf(there, image);
    if (!fault) continue;
    // The same path in a registry that this place reaches.
    const path = image.slice(image.indexOf('/') + 1);
    const other = there
      .list('Registry')
      .map((one) => `${one.spec.host}/${path}`)
      .find((one) => !pullOf(there, one).fault);
    if (other) return { need: 'images', state: 'holds', says: other, mend: { row: 'image', places, value: other } };
    return { need: 'images', state: 'broken', says: fault.message, field: fault.field };
  }
  const hosts = [...new Set(needs.images.map((one) => one.image.split('/')[0]!))];
  return { need: 'images', state: 'holds', says: hosts.join(', ') };
}

function operatorFit(there: Facts, objects: readonly ApiObject[]): FitSquare {
  for (const kind of operatedIn(objects)) {
    const card = operatorOf(kind)!;
    if (objects.some((one) => one.kind === 'Deployment' && runsOperator(one, card))) continue;
    const spaces = [...new Set(objects.filter((one) => one.kind === kind).map((one) => one.metadata.namespace ?? 'default'))];
    const fault = spaces.map((space) => operatorFault(there, operatorOf(kind as OperatedKind)!, space)).find((one) => one !== undefined);
    if (fault) return { need: 'operator', state: 'broken', says: fault.message.replace(/\.$/, '') };
  }
  return { need: 'operator', state: 'holds', says: 'there, or comes along' };
}

function issuerFit(there: Facts, objects: readonly ApiObject[]): FitSquare {
  const brought = new Set(
    objects.filter((one) => one.kind === 'Issuer').map((one) => `${one.metadata.namespace ?? 'default'}/${one.metadata.name}`)
  );
  for (const one of objects) {
    if (one.kind !== 'Certificate') continue;
    const space = one.metadata.namespace ?? 'default';
    const { name, namespace = space } = one.spec.issuer;
    if (brought.has(`${namespace}/${name}`) && namespace === space) continue;
    if (namespace !== space)
      return { need: 'issuer', state: 'broken', says: `${namespace}/${name} serves its own namespace only, not ${space}` };
    if (!there.get('Issuer', space, name)) {
      const elsewhere = there.list('Issuer').find((two) => two.metadata.name === name);
      return {
        need: 'issuer',
        state: 'broken',
        says: elsewhere ? `${name} is in ${elsewhere.metadata.namespace}, not in ${space}` : `there is no issuer ${space}/${name}`
      };
    }
  }
  return { need: 'issuer', state: 'holds', says: 'there, or comes along' };
}

/** Holds manifests' needs against a cluster, row by row. Values that mend a square are taken as given in the rows below it. */
export function fitOf(there: Facts, needs: Needs, objects: readonly ApiObject[]): FitSquare[] {
  const own = standing(there, objects);
  const classes = needs.claims.map((one) => classFit(there, one, objects));
  const rows = new Set(fitRows(needs, objects).map((one) => one.id));
  const lazily: readonly (readonly [string, () => FitSquare])[] = [
    ['spread', () => spreadFit(there, needs)],
    ['size', () => sizeFit(there, needs, own)],
    [
      'slots',
      () =>
        slotsFit(
          there,
          needs,
          classes.map((one) => one.class),
          own
        )
    ],
    ['version', () => versionFit(there, needs)],
    ['operator', () => operatorFit(there, objects)],
    ['images', () => imagesFit(there, needs)],
    ['issuer', () => issuerFit(there, objects)]
  ];
  return [
    ...needs.claims.flatMap((one, i) => [classes[i]!.square, roomFit(there, one, classes[i]!.class, own)]),
    ...lazily.flatMap(([id, look]) => (rows.has(id) ? [look()] : []))
  ];
}

/** The class that claims of each class come to in a cluster, by the name that they bear; a name that nothing there does for is left out. */
export const classesThere = (there: Facts, needs: Needs, objects: readonly ApiObject[]): ReadonlyMap<string, string> =>
  new Map(
    needs.claims.flatMap((need): [string, string][] => {
      const { square, class: found } = classFit(there, need, objects);
      return found && square.state === 'holds' ? [[need.className, found.metadata.name]] : [];
    })
  );
