import { bytesOf, isQuantity } from '../shared';
import type { At } from './at';
import { selector } from './metadata';
import { nodeSelector } from './placing';
import { climbs, driverName, qualified, sizeOf, subdomain } from './words';

const modes = ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'];
const className = (at: At): void => {
  if (at.text) at.follows(subdomain, 'Write the name of a class.', 'bad-name');
};
const notEmpty = (at: At, what: string): void => {
  if (at.value === '') at.refuse('is empty', `Name ${what}, or leave it out.`);
};

function accessModes(at: At): void {
  if (!at.items.length) at.refuse('is empty', 'Name at least one, e.g. ReadWriteOnce.', 'missing-field');
  at.items.forEach((one) => one.oneOf(modes));
  const names = at.items.map((one) => one.text);
  if (names.includes('ReadWriteOncePod') && names.length > 1)
    at.refuse('holds ReadWriteOncePod beside another mode; it stands alone', 'Keep ReadWriteOncePod alone, or take it out.');
}

function size(at: At): void {
  if (at.there && isQuantity(String(at.value)) && bytesOf(at.value as string) <= 0)
    at.refuse(`is ${String(at.value)}, which asks for nothing`, 'Ask for more than 0, e.g. 40Gi.', 'bad-quantity');
}

/** Source: PersistentVolumeClaimSpec v1 core. */
export function claimSpec(at: At): void {
  accessModes(at.of('accessModes'));
  selector(at.of('selector'));
  size(at.of('resources', 'requests', 'storage'));
  size(at.of('resources', 'limits', 'storage'));
  className(at.of('storageClassName'));
  at.of('volumeMode').oneOf(['Filesystem', 'Block']);
  notEmpty(at.of('volumeAttributesClassName'), 'a class');
  className(at.of('volumeAttributesClassName'));
  const [source, other] = [at.of('dataSource'), at.of('dataSourceRef')];
  for (const one of [source, other]) {
    if (!one.there) continue;
    one.of('kind').need('VolumeSnapshot');
    one.of('name').need('nightly');
    if (!one.of('apiGroup').text && one.of('kind').text && one.of('kind').text !== 'PersistentVolumeClaim')
      one
        .of('apiGroup')
        .refuse(
          `is missing; without one only a PersistentVolumeClaim can be the source, not a ${one.of('kind').text}`,
          'Add it, e.g. snapshot.storage.k8s.io for a VolumeSnapshot.',
          'missing-field'
        );
  }
  if (other.of('namespace').text && source.there)
    source.refuse('stands beside a dataSourceRef of another namespace', 'Keep dataSourceRef alone.');
  else if (source.there && other.there) {
    const parts = (one: At) => ['apiGroup', 'kind', 'name'].map((field) => one.of(field).text ?? '').join(' ');
    if (parts(source) !== parts(other)) source.refuse('differs from dataSourceRef', 'Keep one of the two; the other one follows it.');
  }
}

/** Maps of a volume's spec that are no source of it. Source: PersistentVolumeSpec v1 core. */
const noSources = ['capacity', 'claimRef', 'nodeAffinity'];

/** Source: PersistentVolume v1 core. */
export function volume(at: At): void {
  const spec = at.of('spec');
  for (const [name, value] of spec.of('capacity').entries)
    if (name !== 'storage') value.refuse('is no capacity of a volume', 'Name storage alone.');
  size(spec.of('capacity', 'storage'));
  accessModes(spec.of('accessModes'));
  spec.of('persistentVolumeReclaimPolicy').oneOf(['Retain', 'Delete', 'Recycle']);
  spec.of('volumeMode').oneOf(['Filesystem', 'Block']);
  className(spec.of('storageClassName'));
  notEmpty(spec.of('volumeAttributesClassName'), 'a class');
  nodeSelector(spec.of('nodeAffinity', 'required'));
  const kind = spec.choice(
    spec.entries.flatMap(([field, value]) => (!noSources.includes(field) && value.isMap ? [field] : [])),
    false,
    'source'
  );
  if (kind === undefined) spec.refuse('names no source', 'Add one, e.g. csi, local or nfs.', 'missing-field');
  if (kind === undefined) return;
  const here = spec.of(kind);
  if (spec.of('volumeAttributesClassName').there && kind !== 'csi')
    spec.of('volumeAttributesClassName').refuse('goes with a volume of a CSI driver only', 'Leave it out.');
  if (kind === 'csi') {
    if (here.of('driver').need('block.example.com')) here.of('driver').follows(driverName, 'Write the name of a driver.', 'bad-name');
    here.of('volumeHandle').need('the handle of the volume');
    for (const [name, one] of here.entries)
      if (name.endsWith('SecretRef')) for (const field of ['name', 'namespace']) one.of(field).need('the secret');
  } else if (kind === 'local') {
    if (here.of('path').need('/disks/a')) here.of('path').follows(climbs, 'Write the path without "..".');
    if (!spec.of('nodeAffinity', 'required').there)
      spec
        .of('nodeAffinity')
        .refuse('is missing; a local volume has to name its node', 'Add nodeAffinity.required with the node.', 'missing-field');
  } else if (kind === 'hostPath') {
    if (here.of('path').need('/var/data')) here.of('path').follows(climbs, 'Write the path without "..".');
    if (here.of('path').text === '/' && spec.of('persistentVolumeReclaimPolicy').text === 'Recycle')
      spec.of('persistentVolumeReclaimPolicy').refuse('is Recycle for the path "/"', 'Write Retain.');
  } else if (kind === 'nfs') {
    here.of('server').need('files.example.com');
    if (here.of('path').need('/exports/data'))
      here.of('path').follows((text) => (text.startsWith('/') ? undefined : 'is no absolute path'), 'Begin it with "/".');
  }
}

const mostParameters = 512;
const mostParameterBytes = 256 * 1024;

function parametersOf(at: At): void {
  const parameters = at.entries;
  if (parameters.length > mostParameters) at.refuse(`holds ${parameters.length}; at most ${mostParameters} are taken`, 'Name fewer.');
  if (parameters.some(([key]) => key === '')) at.refuse('holds a key that is empty', 'Name the parameter.');
  const bytes = parameters.reduce((sum, [key, value]) => sum + sizeOf(key) + sizeOf(value.text ?? ''), 0);
  if (bytes > mostParameterBytes) at.refuse('holds more than 262,144 bytes', 'Name less.');
}

/** Source: VolumeAttributesClass v1 storage.k8s.io: at least one parameter. */
export function attributesClass(at: At): void {
  if (at.of('driverName').need('block.example.com')) at.of('driverName').follows(driverName, 'Write the name of a driver.', 'bad-name');
  if (!at.of('parameters').entries.length)
    at.of('parameters').refuse('is empty; a class of attributes names at least one', 'Name a parameter of the driver.', 'missing-field');
  parametersOf(at.of('parameters'));
}

/** Source: CSIStorageCapacity v1 storage.k8s.io. */
export function storageCapacity(at: At): void {
  if (at.of('storageClassName').need('the class that it is about')) className(at.of('storageClassName'));
  selector(at.of('nodeTopology'));
  for (const field of ['capacity', 'maximumVolumeSize']) {
    const one = at.of(field);
    if (one.there && isQuantity(String(one.value)) && bytesOf(one.value as string) < 0)
      one.refuse(`is ${String(one.value)}, less than nothing`, 'Write 0 or more.', 'bad-quantity');
  }
}

/** Source: StorageClass v1 storage.k8s.io. */
export function storageClass(at: At): void {
  if (at.of('provisioner').need('block.example.com'))
    at.of('provisioner').follows((text) => qualified(text.toLowerCase()), 'Write the name of a driver.', 'bad-name');
  at.of('reclaimPolicy').oneOf(['Delete', 'Retain']);
  at.of('volumeBindingMode').oneOf(['Immediate', 'WaitForFirstConsumer']);
  parametersOf(at.of('parameters'));
  at.of('allowedTopologies').unique((one) => JSON.stringify(one.value), 'entry');
  for (const entry of at.of('allowedTopologies').items) {
    entry.of('matchLabelExpressions').unique((one) => one.of('key').text, 'key');
    for (const one of entry.of('matchLabelExpressions').items) {
      if (one.of('key').need('topology.kubernetes.io/zone')) one.of('key').follows(qualified, 'Write the key of a label.');
      if (!one.of('values').items.length) one.of('values').refuse('is empty', 'Name at least one value.', 'missing-field');
      one.of('values').unique((value) => value.text, 'value');
    }
  }
}

/** Source: CSIDriver v1 storage.k8s.io. */
export function csiDriver(at: At): void {
  at.of('metadata', 'name').follows(driverName, 'Write the name of a driver.', 'bad-name');
  at.of('spec', 'fsGroupPolicy').oneOf(['ReadWriteOnceWithFSType', 'File', 'None']);
  at.of('spec', 'volumeLifecycleModes').items.forEach((one) => one.oneOf(['Persistent', 'Ephemeral']));
  at.of('spec', 'tokenRequests').unique((one) => one.of('audience').text ?? '', 'audience');
  at.of('spec', 'tokenRequests').items.forEach((one) => one.of('expirationSeconds').between(600, 2 ** 32));
}

/** Source: VolumeSnapshot v1 snapshot.storage.k8s.io, as its definition has it. */
export function snapshot(at: At): void {
  const source = at.of('spec', 'source');
  source.choice(['persistentVolumeClaimName', 'volumeSnapshotContentName'], true, 'source');
  notEmpty(at.of('spec', 'volumeSnapshotClassName'), 'a class');
}

/** Source: VolumeSnapshotClass v1 snapshot.storage.k8s.io. */
export function snapshotClass(at: At): void {
  if (at.of('driver').need('block.example.com')) at.of('driver').follows(driverName, 'Write the name of a driver.', 'bad-name');
}

/** Source: VolumeSnapshotContent v1 snapshot.storage.k8s.io. */
export function snapshotContent(at: At): void {
  const spec = at.of('spec');
  if (spec.of('driver').need('block.example.com')) spec.of('driver').follows(driverName, 'Write the name of a driver.', 'bad-name');
  spec.of('source').choice(['volumeHandle', 'snapshotHandle'], true, 'source');
  const ref = spec.of('volumeSnapshotRef');
  ref.of('name').need('ledger-then');
  ref.of('namespace').need('default');
  spec.of('sourceVolumeMode').oneOf(['Filesystem', 'Block']);
}
