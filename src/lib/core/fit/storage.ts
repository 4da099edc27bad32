import { bytesOf, plural } from '../shared';
import { defaultClass, type ApiObject, type Facts, type StorageClass } from '../model';
import { driverGates } from '../rootline';
import { backendOf, driverAnswers, driverCard, noProvisioner } from '../standin';
import { shortfall, traitsOf } from './classes';
import { noClass, type ClaimsNeed, type Needs } from './needs';
import { isTold, type ClaimToBe, type Supposed } from '../supposed';
import type { FitSquare } from './types';
import { gibText } from './words';

/** The class that claims come to in a cluster: the one that they name where it does all that is needed, else one that does. */
export function classFit(there: Facts, need: ClaimsNeed, objects: readonly ApiObject[]): { square: FitSquare; class?: StorageClass } {
  const id = `class ${need.className}`;
  const square = (state: FitSquare['state'], says: string, more: Partial<FitSquare> = {}): FitSquare => ({
    need: id,
    state,
    says,
    ...more
  });
  // Whether pre-made volumes fit is told by the claims themselves.
  if (need.className === noClass) return { square: square('holds', 'volumes made beforehand') };
  const brought = objects.filter((one): one is StorageClass => one.kind === 'StorageClass');
  const all = [...brought, ...there.list('StorageClass').filter((one) => !brought.some((two) => two.metadata.name === one.metadata.name))];
  const wanted = need.className || defaultClass({ list: () => all as never[] })?.metadata.name;
  const named = all.find((one) => one.metadata.name === wanted);
  if (named?.provisioner === noProvisioner)
    return { square: square('holds', `${named.metadata.name}: volumes made beforehand`), class: named };
  // Of an export that leaves classes out others may be there.
  const missing = isTold(there, 'StorageClass') ? 'broken' : 'unseen';
  const needed = need.traits && { ...need.traits, many: need.many };
  if (!needed)
    return named
      ? { square: square('unseen', `${named.metadata.name} is there; what must it do?`), class: named }
      : { square: square(missing, `there is no class ${need.className || '(default)'}`) };
  const lacks = (one: StorageClass) => {
    const has = traitsOf(there, one);
    return has ? shortfall(needed, has, one.metadata.name) : { field: 'provisioner', says: `what ${one.metadata.name} does is unseen` };
  };
  const comes = (one: StorageClass) => objects.some(({ kind, metadata }) => kind === 'CSIDriver' && metadata.name === one.provisioner);
  const gated = (one: StorageClass) =>
    comes(one) ? undefined : driverGates(there, one.provisioner).find((gate) => gate.state === 'broken' && gate.joint !== 'class');
  /** Whether its driver answers isn't told: an export holds neither it nor a controller of it. */
  const untold = ({ provisioner, ...one }: StorageClass) => {
    if (there.knowsProvider || comes({ provisioner, ...one })) return false;
    return !there.get('CSIDriver', '', provisioner) || (driverCard(provisioner) !== undefined && !driverAnswers(there, provisioner));
  };
  const unanswered = ({ metadata, provisioner }: StorageClass) =>
    `${metadata.name}: whether ${provisioner} answers, the export doesn't tell`;
  // Shared files lock and pace otherwise than a volume of one's own: nobody is moved to them who doesn't ask for it.
  const others = all.filter((one) => one !== named && !lacks(one) && (needed.many || !traitsOf(there, one)?.many));
  const inOrder = (list: readonly StorageClass[]) => [...list].sort((a, b) => (a.metadata.name < b.metadata.name ? -1 : 1));
  if (named && !lacks(named)) {
    const gate = gated(named);
    if (!gate && untold(named)) return { square: square('unseen', unanswered(named)), class: named };
    return { square: gate ? square('broken', `${named.metadata.name}: ${gate.says}`) : square('holds', named.metadata.name), class: named };
  }
  const able = need.places.length ? inOrder(others.filter((one) => !gated(one))) : [];
  const other = able.find((one) => !untold(one)) ?? able[0];
  if (other) {
    const mends = [{ row: 'class', places: need.places, value: other.metadata.name }];
    return {
      square: untold(other) ? square('unseen', unanswered(other), { mends }) : square('holds', other.metadata.name, { mends }),
      class: other
    };
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
  return { square: square(missing, all.length ? `no class does it: ${nearest.join('; ')}` : 'there is no class at all') };
}

/** The class that the claims of a need go by once what mends it is taken as given; '' for none. */
export const classMeant = (need: ClaimsNeed, square: FitSquare, found: StorageClass | undefined): string | undefined =>
  need.className === noClass ? '' : (square.mends?.[0]?.value ?? found?.metadata.name ?? (need.className || undefined));

const mine = ({ claims }: Supposed, name: string | undefined): readonly ClaimToBe[] =>
  claims.filter(({ claim }) => claim.spec.storageClassName === name);

/** The square of a class, with what its driver would refuse of the claims themselves. */
export function claimsFit(square: FitSquare, there: Supposed, name: string | undefined): FitSquare {
  if (square.state !== 'holds') return square;
  const all = mine(there, name);
  const refused = all.find((one) => one.gets === 'refused') ?? all.find((one) => one.gets === 'unseen');
  if (!refused) return square;
  const { mends: _, ...rest } = square;
  return { ...rest, state: refused.gets === 'unseen' ? 'unseen' : 'broken', says: `${name || 'no class'}: ${refused.says}` };
}

/** Whether the volumes find room where their members come to stand. */
export function roomFit(there: Facts, need: ClaimsNeed, one: StorageClass | undefined, by: Supposed, name: string | undefined): FitSquare {
  const id = `room ${need.className}`;
  const square = (state: FitSquare['state'], says: string, field?: string): FitSquare => ({
    need: id,
    state,
    says,
    ...(field === undefined ? {} : { field })
  });
  const all = mine(by, name);
  if (name === '' || one?.provisioner === noProvisioner)
    return square('holds', `${plural(all.filter((each) => each.gets === 'premade').length, 'volume')} made beforehand`);
  if (!one) return square('unseen', 'without a class nobody can tell');
  if (!there.knowsProvider) return square('unseen', "an export doesn't tell what its provider has left");
  if (!all.length) return square('holds', 'its volumes are there');
  const backend = backendOf(there, one.provisioner);
  if (!backend) return square('broken', `no backend hands out volumes of ${one.provisioner}`);
  const short = all.find((each) => each.gets === 'no-room');
  if (short) return square('broken', `${short.claim.metadata.name}: ${short.says}`, short.field);
  if (backend.spec.fileSystem !== undefined) return square('holds', 'shared files grow by themselves');
  const used = there.usedOf(backend.metadata.name);
  const left = backend.spec.zones.map((zone) => bytesOf(zone.capacity) - (used.get(zone.name)?.sizeBytes ?? 0));
  const total = left.reduce((sum, bytes) => sum + Math.max(0, bytes), 0);
  const sizes = all.map(({ claim }) => bytesOf(claim.spec.resources.requests.storage));
  const after = total - sizes.reduce((sum, bytes) => sum + bytes, 0);
  return square(after < Math.max(...sizes) ? 'tight' : 'holds', `${gibText(total)} left`);
}

/** Whether nodes have attach slots left, as their drivers say. */
export function slotsFit(there: Facts, needs: Needs, by: Supposed, classes: readonly (StorageClass | undefined)[]): FitSquare {
  const square = (state: FitSquare['state'], says: string): FitSquare => ({ need: 'slots', state, says });
  const drivers = [...new Set(classes.flatMap((one) => one?.provisioner ?? []))];
  if (!there.knowsProvider && !there.list('CSINode').length) return square('unseen', "the export holds no nodes' limits");
  if (!drivers.length) return square('unseen', 'without a class nobody can tell');
  const wanted = Math.max(0, ...needs.parts.map((one) => one.volumes));
  const attached = new Map<string, number>();
  for (const { spec } of there.list('VolumeAttachment')) {
    const key = `${spec.attacher} ${spec.nodeName}`;
    attached.set(key, (attached.get(key) ?? 0) + 1);
  }
  const free = there.list('CSINode').flatMap(({ metadata, spec }) => {
    const limits = spec.drivers.filter((driver) => drivers.includes(driver.name) && driver.allocatable?.count !== undefined);
    const left = limits.map((driver) => driver.allocatable!.count! - (attached.get(`${driver.name} ${metadata.name}`) ?? 0));
    return left.length ? [Math.min(...left)] : [];
  });
  if (!free.length) {
    // Until its driver is there no node says how many it takes; its backend does.
    const limit = drivers.map((driver) => backendOf(there, driver)?.spec.attachLimit).find((one) => one !== undefined);
    if (limit === undefined) return square('holds', 'no limit');
    return limit < wanted ? square('broken', `${limit} a node, and a member mounts ${wanted}`) : square('holds', `${limit} a node`);
  }
  const short = by.parts.find((one) => one.faults.has('slots'));
  if (!short) return square('holds', `${Math.min(...free)} free a node`);
  const enough = free.filter((one) => one >= wanted).length;
  return square(
    'broken',
    `${plural(wanted, 'slot')} for each of ${plural(short.wanted, 'member')}; ${enough} of ${free.length} nodes have so many left`
  );
}
