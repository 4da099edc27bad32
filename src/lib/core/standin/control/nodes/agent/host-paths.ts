import { supposedGround, type Facts, type Node, type Pod } from '../../../../model';

/** Says (an annotation of the stand-in) what a node has: paths with their types, e.g. `Directory:/data/a, Socket:/run/one.sock`. */
export const hasPathsMark = 'standin.example/has-paths';

/** Directories that every node has. Source: Filesystem Hierarchy Standard 3.0, sections 3 and 5 and annex 6.1. */
const ordinary = new Set(
  '/ /bin /boot /dev /etc /home /lib /media /mnt /opt /proc /root /run /sbin /srv /sys /tmp /usr /usr/bin /usr/lib /usr/local /usr/sbin /usr/share /var /var/cache /var/lib /var/lock /var/log /var/opt /var/run /var/spool /var/tmp'.split(
    ' '
  )
);

/** Types that have to be there already, with what they are called. Source: HostPathVolumeSource v1 core, type. */
const asked: Readonly<Record<string, string>> = {
  Directory: 'directory',
  File: 'file',
  Socket: 'socket',
  CharDevice: 'character device',
  BlockDevice: 'block device'
};
const makes: Readonly<Record<string, string>> = { DirectoryOrCreate: 'Directory', FileOrCreate: 'File' };

interface HostPath {
  readonly path: string;
  readonly type?: string;
}
const clean = (path: string): string => path.replace(/\/+/g, '/').replace(/(.)\/$/, '$1');

const hostPaths = ({ spec }: Pod): { readonly field: string; readonly path: string; readonly type: string }[] =>
  (spec.volumes ?? []).flatMap((one, i) => {
    const { path, type = '' } = (one.hostPath ?? {}) as Partial<HostPath>;
    return path === undefined ? [] : [{ field: `spec.volumes[${i}].hostPath`, path: clean(path), type }];
  });

/** Whether a path is on a node, and of what type; undefined where nothing of it is there. */
function typeOn(facts: Facts, node: Node, path: string): string | undefined {
  const told = (node.metadata.annotations?.[hasPathsMark] ?? '').split(',').flatMap((one) => {
    const [type = '', ...rest] = one.trim().split(':');
    return rest.length ? [[clean(rest.join(':')), type] as const] : [];
  });
  const said = told.find(([where]) => where === path)?.[1];
  if (said) return said;
  if (ordinary.has(path) || told.some(([where]) => where.startsWith(`${path}/`))) return 'Directory';
  const { name } = node.metadata;
  if (path.startsWith('/dev/') && facts.list('Disk').some((one) => one.spec.node === name && `/dev/${one.metadata.name}` === path))
    return 'BlockDevice';
  for (const pod of facts.podsOn(name)) {
    if (pod.status?.phase === undefined || pod.status.phase === 'Pending') continue;
    for (const one of hostPaths(pod)) {
      const made = makes[one.type];
      if (made && one.path === path) return made;
      if (made && one.path.startsWith(`${path}/`)) return 'Directory';
    }
  }
  return undefined;
}

/** Why a path of a pod's node can't be mounted. */
export interface HostPathFault {
  readonly field: string;
  readonly path: string;
  readonly says: string;
}

/**
 * The first path of the node that a pod names with a type, and that isn't there or is of another one. A node has the ordinary directories, its
 * disks, what pods that run there have made, and what its annotation says; in a cluster that an export tells of, all that is named is supposed.
 */
export function hostPathFault(facts: Facts, pod: Pod): HostPathFault | undefined {
  const node = facts.get('Node', '', pod.spec.nodeName ?? '');
  const mine = hostPaths(pod).filter(({ type }) => type !== '');
  if (!node || !mine.length || facts.list('Ground')[0]?.metadata.name === supposedGround) return undefined;
  for (const { field, path, type } of mine) {
    const there = typeOn(facts, node, path);
    const wanted = makes[type] ?? type;
    if (there === wanted || (there === undefined && makes[type])) continue;
    const what = asked[wanted] ?? wanted;
    const says =
      there === undefined
        ? `${node.metadata.name} has no ${what} ${path}`
        : `${path} of ${node.metadata.name} is a ${asked[there] ?? there}, and a ${what} is asked for`;
    return { field, path, says };
  }
  return undefined;
}
