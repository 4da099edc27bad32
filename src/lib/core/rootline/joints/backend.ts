import { bytesOf } from '../../shared';
import { selectedNodeMark, waitsForConsumer, zoneOf, refOf } from '../../model';
import { backendOf, shortageIn, usedOf } from '../../standin';
import { driverOfPlace, field, gib, isBound, look } from '../evidence';
import type { JointRule } from '../types';

/** Does a backend stand behind the driver, and has it room and quota where the volume would be made? */
export const backend: JointRule = {
  id: 'backend',
  title: 'Backend',
  why: 'A volume is a piece of a backend. Where the backend has no room, no quota or nothing in the zone, nothing can be handed out.',
  perClaim: true,
  look({ facts }, place) {
    const driver = driverOfPlace(facts, place);
    if (!driver) return look('unseen', '–', 'which backend it would be depends on the class');
    if (!facts.knowsProvider)
      return look('unseen', driver, 'the objects at hand say nothing of the provider; look at its capacity and quota there');
    const found = backendOf(facts, driver);
    if (!found)
      return look('broken', driver, `no backend stands behind ${driver}`, {
        evidence: [{ object: { kind: 'Backend', namespace: '', name: '(any)' }, field: 'spec.driver', value: `none names ${driver}` }],
        remedy: { text: `Have the provider set up a backend for ${driver}, or use a class of another driver.` }
      });
    const used = usedOf(facts, found);
    const { zones, quotaVolumes } = found.spec;
    const total = zones.reduce((sum, one) => sum + bytesOf(one.capacity), 0);
    let usedBytes = 0;
    let count = 0;
    for (const one of used.values()) [usedBytes, count] = [usedBytes + one.sizeBytes, count + one.volumes];
    const objects = [refOf(found)];
    const names = zones.map((one) => one.name).join(', ');
    const says = `${gib(total - usedBytes)} of ${gib(total)} free in ${zones.length === 1 ? 'zone' : 'zones'} ${names}; quota ${quotaVolumes} volumes, ${count} used`;
    if (isBound(place) || !place.spec) return look('holds', found.metadata.name, says, { objects });
    const sizeBytes = bytesOf(place.spec.resources.requests.storage);
    const node = place.claim?.metadata.annotations?.[selectedNodeMark];
    const wanted = waitsForConsumer(place.class) && node ? [zoneOf(facts.get('Node', '', node))] : zones.map((one) => one.name);
    const short = wanted.map((zone) => shortageIn(found, zone, sizeBytes, used));
    const worst = short.every((one) => one !== undefined) ? short[0] : undefined;
    if (!worst) return look('holds', found.metadata.name, says, { objects });
    return look('broken', found.metadata.name, `${worst.code}: ${worst.message.replace(/\.$/, '')}`, {
      objects,
      evidence: [
        field(
          found,
          worst.field,
          worst.field === 'spec.zones'
            ? zones.map((one) => `${one.name}: ${gib(bytesOf(one.capacity) - (used.get(one.name)?.sizeBytes ?? 0))} free`).join('; ')
            : found.spec[worst.field.slice(5)]
        ),
        ...(place.claim ? [field(place.claim, 'spec.resources.requests.storage', place.spec.resources.requests.storage)] : [])
      ],
      remedy: {
        text:
          worst.code === 'OUT_OF_RANGE'
            ? 'Ask for a size that the backend hands out.'
            : 'Free volumes that nobody needs, have the provider raise capacity or quota, or ask for less.'
      }
    });
  }
};
