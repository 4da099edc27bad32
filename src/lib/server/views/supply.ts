import { bytesOf } from '$core/shared';
import { defaultClassMark, isReady, type StorageClass } from '$core/model';
import { supplyLooks, type State } from '$core/rootline';
import { backendOf, driverPods, installs, usedOf } from '$core/standin';
import { byName, type Scene } from './scene';

const gib = (bytes: number) => Math.floor(bytes / 2 ** 30);

export interface Join {
  readonly from: string;
  readonly to: string;
  readonly state: State;
  readonly says: string;
}

/** The Supply sheet: three rails (backends, drivers, classes) and what joins them. */
export function supplyView({ facts }: Scene) {
  const isDefault = (one: StorageClass) => one.metadata.annotations?.[defaultClassMark] === 'true';
  const classes = facts.list('StorageClass').sort((a, b) => Number(isDefault(b)) - Number(isDefault(a)) || byName(a, b));
  const named = new Set([
    ...facts.list('CSIDriver').map((one) => one.metadata.name),
    ...classes.map((one) => one.provisioner),
    ...facts.list('Backend').map((one) => one.spec.driver)
  ]);
  const nodes = facts.list('Node').length;
  const drivers = [...named].sort().map((name) => {
    const installed = facts.get('CSIDriver', '', name) !== undefined;
    const controllers = driverPods(facts, name, 'controller');
    const onNodes = facts.list('CSINode').filter((one) => one.spec.drivers.some((two) => two.name === name)).length;
    const ready = controllers.filter(isReady).length;
    const parts = `controller ${ready}/${controllers.length} · nodes ${onNodes}/${nodes}`;
    const any = installed || controllers.length > 0;
    const state: State = !any ? 'broken' : ready > 0 && onNodes === nodes ? 'holds' : 'settling';
    const install = installs.find((one) => one.driver === name);
    return {
      id: name,
      state,
      says: any ? `${install?.version ?? ''} · ${parts}` : 'not installed',
      installable: !any && install !== undefined
    };
  });
  const backends = facts
    .list('Backend')
    .sort(byName)
    .map((one) => {
      const used = [...usedOf(facts, one).values()];
      const total = one.spec.zones.reduce((sum, zone) => sum + bytesOf(zone.capacity), 0);
      const taken = used.reduce((sum, zone) => sum + zone.sizeBytes, 0);
      const count = used.reduce((sum, zone) => sum + zone.volumes, 0);
      const says = `${gib(total - taken).toLocaleString('en')} of ${gib(total).toLocaleString('en')} GiB free · quota ${one.spec.quotaVolumes}, ${count} used`;
      return {
        id: one.metadata.name,
        driver: one.spec.driver,
        zones: one.spec.zones.map((zone) => zone.name),
        state: 'holds' as State,
        says
      };
    });
  const joins: Join[] = [];
  const cards = classes.map((one) => {
    const looks = supplyLooks(facts, one);
    const words = [
      isDefault(one) ? 'default' : '',
      one.allowVolumeExpansion ? 'grows' : 'no growth',
      one.volumeBindingMode === 'WaitForFirstConsumer' ? 'waits for first consumer' : 'binds at once',
      (one.reclaimPolicy ?? 'Delete').toLowerCase()
    ].filter(Boolean);
    const backend = backendOf(facts, one.provisioner)?.metadata.name;
    const rights = looks.rights.state === 'broken' ? looks.rights : looks.backend;
    if (backend && !joins.some((join) => join.from === backend))
      joins.push({
        from: backend,
        to: one.provisioner,
        state: rights.state,
        says: rights.state === 'broken' ? rights.says : 'rights hold'
      });
    joins.push({
      from: one.provisioner,
      to: one.metadata.name,
      state: looks.driver.state,
      says: looks.driver.state === 'holds' ? '' : looks.driver.says
    });
    const state: State = Object.values(looks).some((look) => look.state === 'broken') ? 'broken' : looks.driver.state;
    const claims = facts.list('PersistentVolumeClaim').filter((claim) => claim.spec.storageClassName === one.metadata.name);
    return {
      id: one.metadata.name,
      driver: one.provisioner,
      state,
      says: words.join(' · '),
      claims: claims.length,
      bound: claims.filter((claim) => claim.status?.phase === 'Bound').length,
      looks
    };
  });
  for (const one of backends)
    if (!joins.some((join) => join.from === one.id))
      joins.push({ from: one.id, to: one.driver, state: 'unseen', says: 'no class draws from it' });
  const available = installs.filter((one) => !facts.get('CSIDriver', '', one.driver) && backendOf(facts, one.driver) !== undefined);
  return { backends, drivers, classes: cards, joins, available };
}

export type SupplyView = ReturnType<typeof supplyView>;
