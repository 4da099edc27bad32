import { bytesOf, isQuantity } from '../shared';
import type { At } from './at';
import { metadata } from './metadata';
import { fieldRef, resourceFieldRef } from './probes';
import { claimSpec } from './storage';
import { absolutePath, climbs, dataKey, driverName, label, relativePath, subdomain } from './words';

const mostMode = 0o777;
const hostTypes = ['', 'DirectoryOrCreate', 'Directory', 'FileOrCreate', 'File', 'Socket', 'CharDevice', 'BlockDevice'];

function items(at: At): void {
  for (const one of at.items) {
    if (one.of('key').need('settings.conf')) one.of('key').follows(dataKey, 'Write letters, digits, "-", "_" and ".".');
    if (one.of('path').need('settings.conf')) one.of('path').follows(relativePath, 'Write a path below the mount.');
    one.of('mode').between(0, mostMode);
  }
}

function ownFields(at: At): void {
  for (const one of at.items) {
    if (one.of('path').need('labels')) one.of('path').follows(relativePath, 'Write a path below the mount.');
    const way = one.choice(['fieldRef', 'resourceFieldRef'], true, 'source');
    if (way === 'fieldRef') fieldRef(one.of(way), true);
    else if (way) resourceFieldRef(one.of(way), true);
    one.of('mode').between(0, mostMode);
  }
}

/** Source: ProjectedVolumeSource v1 core. */
function projected(at: At): void {
  at.of('defaultMode').between(0, mostMode);
  const paths = new Set<string>();
  const taken = (path: At) => {
    if (path.text === undefined) return;
    if (paths.has(path.text)) path.refuse(`is "${path.text}", which another source writes, too`, 'Choose another path.');
    paths.add(path.text);
  };
  for (const one of at.of('sources').items) {
    const way = one.choice(
      ['secret', 'configMap', 'downwardAPI', 'serviceAccountToken', 'clusterTrustBundle', 'podCertificate'],
      true,
      'source'
    );
    if (way === undefined) continue;
    const here = one.of(way);
    if (way === 'secret' || way === 'configMap') {
      here.of('name').need('settings');
      items(here.of('items'));
      here.of('items').items.forEach((item) => taken(item.of('path')));
    } else if (way === 'downwardAPI') {
      ownFields(here.of('items'));
      here.of('items').items.forEach((item) => taken(item.of('path')));
    } else if (way === 'serviceAccountToken') {
      if (here.of('path').need('token')) here.of('path').follows(relativePath, 'Write a path below the mount.');
      here.of('expirationSeconds').between(600, 2 ** 32);
      taken(here.of('path'));
    }
  }
}

function source(at: At, kind: string): void {
  switch (kind) {
    case 'persistentVolumeClaim':
      if (at.of('claimName').need('data')) at.of('claimName').follows(subdomain, 'Write the name of a claim.', 'bad-name');
      break;
    case 'configMap':
      at.of('name').need('settings');
      at.of('defaultMode').between(0, mostMode);
      items(at.of('items'));
      break;
    case 'secret':
      at.of('secretName').need('keys');
      at.of('defaultMode').between(0, mostMode);
      items(at.of('items'));
      break;
    case 'emptyDir': {
      const size = at.of('sizeLimit');
      if (size.there && isQuantity(String(size.value)) && bytesOf(size.value as string) < 0)
        size.refuse('is less than 0', 'Write 0 or more.', 'bad-quantity');
      at.of('medium').follows(
        (text) => (['', 'Memory', 'HugePages'].includes(text) || /^HugePages-/.test(text) ? undefined : 'is no medium'),
        'Write Memory, or leave it out.'
      );
      break;
    }
    case 'hostPath':
      if (at.of('path').need('/var/data')) at.of('path').follows(climbs, 'Write the path without "..".');
      at.of('type').oneOf(hostTypes);
      break;
    case 'projected':
      projected(at);
      break;
    case 'downwardAPI':
      at.of('defaultMode').between(0, mostMode);
      ownFields(at.of('items'));
      break;
    case 'csi':
      if (at.of('driver').need('block.example.com')) at.of('driver').follows(driverName, 'Write the name of a driver.', 'bad-name');
      break;
    case 'nfs':
      at.of('server').need('files.example.com');
      if (at.of('path').need('/exports/data')) at.of('path').follows(absolutePath, 'Begin it with "/".');
      break;
    case 'ephemeral': {
      const template = at.of('volumeClaimTemplate');
      if (!template.need('{spec: ...}')) break;
      metadata(template.of('metadata'));
      claimSpec(template.of('spec'));
    }
  }
}

/** Volumes of a pod; gives their names, and whether each can be handed in as a device. */
export function volumes(at: At): Map<string, boolean> {
  const known = new Map<string, boolean>();
  at.unique((one) => one.of('name').text, 'volume called');
  for (const one of at.items) {
    if (one.of('name').need('data')) one.of('name').follows(label, 'Write lower-case letters, digits and "-".', 'bad-name');
    // Whatever stands beside its name says what it is made of; there are many kinds of it. Source: Volume v1 core.
    const kind = one.choice(
      one.entries.flatMap(([field, value]) => (field !== 'name' && value.isMap ? [field] : [])),
      false,
      'volume'
    );
    if (kind !== undefined) source(one.of(kind), kind);
    if (one.of('name').text !== undefined) known.set(one.of('name').text!, kind === 'persistentVolumeClaim' || kind === 'ephemeral');
  }
  return known;
}
