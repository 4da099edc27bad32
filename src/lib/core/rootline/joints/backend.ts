import { bytesOf } from '../../shared';
import { refOf, selectedNodeMark, waitsForConsumer, zoneOf, type Backend } from '../../model';
import { allowedPlaces, backendOf, piecesMissing, placeFor, poolDriver, shortagesIn, type Shortage } from '../../standin';
import { driverOfPlace, field, gib, isBound, look, ref } from '../evidence';
import type { ClaimPlace, JointRule, Look, Position } from '../types';
import { poolWords } from './pool';

/** What a backend has left, in half a sentence. */
function saysOf({ facts }: Position, backend: Backend): string {
  const pool = backend.spec.pool === undefined ? undefined : facts.get('Pool', '', backend.spec.pool);
  if (pool) return poolWords(facts, pool);
  if (backend.spec.fileSystem !== undefined) return `shared file system ${backend.spec.fileSystem}, elastic`;
  const { zones, quotaVolumes } = backend.spec;
  const total = zones.reduce((sum, one) => sum + bytesOf(one.capacity), 0);
  let usedBytes = 0;
  let count = 0;
  for (const one of facts.usedOf(backend.metadata.name).values()) [usedBytes, count] = [usedBytes + one.sizeBytes, count + one.volumes];
  const shown = zones.slice(0, 5).map((one) => one.name);
  const names = `${shown.join(', ')}${zones.length > 5 ? ' …' : ''}`;
  return `${gib(total - usedBytes)} of ${gib(total)} free in ${zones.length === 1 ? 'zone' : 'zones'} ${names}; quota ${quotaVolumes} volumes, ${count} used`;
}

/** The places where the claim's volume may be made. */
function placesOf({ facts }: Position, place: ClaimPlace, backend: Backend): readonly string[] {
  const node = place.claim?.metadata.annotations?.[selectedNodeMark];
  if (waitsForConsumer(place.class) && node) return [placeFor(backend, facts.get('Node', '', node))];
  if (backend.spec.zones.length === 0) return [''];
  return place.class ? allowedPlaces(place.class, backend) : backend.spec.zones.map((one) => one.name);
}

function shortLook(at: Position, place: ClaimPlace, backend: Backend, shortages: readonly Shortage[]): Look {
  const { zones } = backend.spec;
  const used = at.facts.usedOf(backend.metadata.name);
  const free = zones.map((one) => `${one.name}: ${gib(bytesOf(one.capacity) - (used.get(one.name)?.sizeBytes ?? 0))} free`).join('; ');
  const asked = place.spec!.resources.requests.storage;
  return look('broken', backend.metadata.name, shortages.map((one) => `${one.code}: ${one.message.replace(/\.$/, '')}`).join('; and '), {
    objects: [refOf(backend)],
    evidence: [
      ...shortages.map((one) => field(backend, one.field, one.field === 'spec.zones' ? free : backend.spec[one.field.slice(5)])),
      ...(place.claim ? [field(place.claim, 'spec.resources.requests.storage', asked)] : [])
    ],
    remedy: {
      text: backend.spec.pool
        ? 'The pool is full to its threshold: free volumes that nobody needs, or add disks or nodes to it.'
        : shortages.some((one) => one.code === 'OUT_OF_RANGE')
          ? 'Ask for a size that the backend hands out.'
          : 'Free volumes that nobody needs, have the provider raise capacity or quota, or ask for less.'
    }
  });
}

/** Does a backend stand behind the driver, and has it room and quota where the volume would be made? */
export const backend = {
  id: 'backend' as const,
  shared: true,
  title: 'Backend',
  why: 'A volume is a piece of a backend. Where the backend has no room, no quota or nothing in the zone, nothing can be handed out.',
  perClaim: true,
  look(at, place) {
    const { facts } = at;
    const driver = driverOfPlace(facts, place);
    if (!driver) return look('unseen', '–', 'which backend it would be depends on the class');
    if (!facts.knowsProvider) {
      const node = facts.get('Node', '', at.pod?.spec.nodeName ?? place.claim?.metadata.annotations?.[selectedNodeMark] ?? '');
      const where = node && zoneOf(node) ? ` in zone ${zoneOf(node)}` : '';
      const asked = place.spec?.resources.requests.storage;
      return look(
        'unseen',
        driver,
        `the objects at hand say nothing of the provider; look at the room there${where}${asked === undefined ? '' : ` for ${asked}`} and at the quota of volumes`,
        { evidence: place.claim && asked !== undefined ? [field(place.claim, 'spec.resources.requests.storage', asked)] : [] }
      );
    }
    const found = backendOf(facts, driver);
    if (!found && driver === poolDriver) return look('waiting', '–', 'the pool holds nothing yet; it rests on its disks');
    if (!found)
      return look('broken', driver, `no backend stands behind ${driver}`, {
        evidence: [{ object: ref('Backend', '', '(any)'), field: 'spec.driver', value: `none names ${driver}` }],
        remedy: { text: `Have the provider set up a backend for ${driver}, or use a class of another driver.` }
      });
    const says = saysOf(at, found);
    const objects = [refOf(found)];
    const pool = facts.get('Pool', '', found.spec.pool ?? '');
    const missing = pool && isBound(place) ? piecesMissing(pool) : undefined;
    if (missing !== undefined)
      return look('unseen', found.metadata.name, `${missing}; whether this volume is among it can't be told here`, {
        objects: [...objects, refOf(pool!)],
        evidence: pool!.status!.lost.filter((one) => !one.healed).map((one) => field(pool!, 'status.lost', one.disk ?? one.node))
      });
    if (isBound(place) || !place.spec) return look('holds', found.metadata.name, says, { objects });
    const used = facts.usedOf(found.metadata.name);
    const sizeBytes = bytesOf(place.spec.resources.requests.storage);
    const short = placesOf(at, place, found).map((zone) => shortagesIn(found, zone, sizeBytes, used));
    const possible = short.some((one) => one.length === 0);
    return possible || !short[0] ? look('holds', found.metadata.name, says, { objects }) : shortLook(at, place, found, short[0]);
  }
} satisfies JointRule;
