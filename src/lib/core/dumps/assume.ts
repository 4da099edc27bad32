import { bytesOf, quantityOf, plural, namesListed } from '../shared';
import {
  ordinaryDomain,
  keyOf,
  kindEntries,
  pointersOf,
  zoneLabel,
  zoneOf,
  type ApiObject,
  type Asset,
  type Backend,
  type Facts,
  type Kind,
  type Ref,
  type Right,
  supposedGround
} from '../model';
import { statedOf } from './stated';
import { adopted, driverCard, imageParts, providerAudience, stoodInMark, withLikeness } from '../standin';
import type { Assumption, DriverSeen } from './assumption';
import { cardsOfDump, driverTraitsSupposed, programAssumptions } from './cards';
import { cardsAmong, nameFrom } from './likeness';
import { ownTimes } from './times';

/** All that a driver's identity can be allowed at its backend. */
export const allRights: readonly Right[] = ['create', 'attach', 'detach', 'delete', 'grow', 'snapshot', 'key-use'];
const hostLabel = 'kubernetes.io/hostname';
const noProvisioner = 'kubernetes.io/no-provisioner';

/** What a dump says of each driver: from its CSIDriver, the nodes' CSINodes, its classes and volumes. */
function driversSeen(facts: Facts): DriverSeen[] {
  const names = new Set([
    ...facts.list('CSIDriver').map((one) => one.metadata.name),
    ...facts.list('StorageClass').map((one) => one.provisioner),
    ...facts.list('PersistentVolume').flatMap((one) => (one.spec.csi ? [one.spec.csi.driver] : []))
  ]);
  names.delete(noProvisioner);
  const nodes = facts.list('Node');
  return [...names].sort().map((driver) => {
    const plugins = facts.list('CSINode').flatMap((one) => one.spec.drivers.filter((two) => two.name === driver));
    const card = driverCard(driver);
    const said = plugins.flatMap((one) => one.topologyKeys ?? []);
    const key = said.find((one) => one.includes('zone')) ?? said[0] ?? card?.topologyKey ?? '';
    // Drivers often bind volumes to a label of their own that carries the zone's name.
    const topologyKey = key.includes('zone') ? zoneLabel : key;
    const places =
      topologyKey === ''
        ? ['everywhere']
        : [...new Set(nodes.map((node) => (topologyKey === zoneLabel ? zoneOf(node) : (node.metadata.labels?.[topologyKey] ?? ''))))]
            .filter(Boolean)
            .sort();
    const volumes = facts.list('PersistentVolume').filter((one) => one.spec.csi?.driver === driver);
    const sizes = volumes.map((one) => bytesOf(one.spec.capacity.storage));
    return {
      driver,
      topologyKey,
      places: places.length ? places : ['everywhere'],
      limit: plugins.map((one) => one.allocatable?.count).find((one) => one !== undefined),
      volumes: volumes.length,
      largestBytes: Math.max(0, ...sizes),
      bytes: sizes.reduce((sum, one) => sum + one, 0)
    };
  });
}

const registriesSeen = (facts: Facts): string[] =>
  [
    ...new Set(
      (['Pod', 'StatefulSet', 'Deployment', 'DaemonSet'] as const).flatMap((kind) =>
        facts.list(kind).flatMap((one) => podSpecOf(one).flatMap((image) => imageParts(image).host))
      )
    )
  ].sort();

function podSpecOf(one: ApiObject): string[] {
  const spec =
    one.kind === 'Pod'
      ? one.spec
      : 'spec' in one && one.spec && typeof one.spec === 'object' && 'template' in one.spec
        ? (one.spec.template as { spec: { containers: { image: string }[] } }).spec
        : undefined;
  return spec?.containers.map((container) => container.image) ?? [];
}

/** Names that objects can't do without and that the dump doesn't hold. */
function missingNames(facts: Facts): Ref[] {
  const wanted = new Map<string, Ref>();
  const kinds: readonly Kind[] = ['StatefulSet', 'Deployment', 'DaemonSet', 'Pod'];
  for (const kind of kinds) {
    for (const object of facts.list(kind) as ApiObject[]) {
      for (const { kind: other, namespace, name, optional } of pointersOf(object)) {
        if (optional || !['Secret', 'ConfigMap', 'ServiceAccount'].includes(other) || facts.get(other, namespace, name)) continue;
        const ref = { kind: other, namespace, name };
        wanted.set(keyOf(ref), ref);
      }
    }
  }
  return [...wanted.values()];
}

const ten = 10 * 2 ** 40;
/** Four times what is handed out, ten TiB at the least, in full TiB. */
const roomFor = (bytes: number): string => quantityOf(Math.ceil(Math.max(ten, bytes * 4) / 2 ** 40) * 2 ** 40);

/** What is supposed of one driver; what the export states of it comes before what is merely likely. */
function driverAssumptions(facts: Facts, one: DriverSeen, unknown: string): Assumption[] {
  const stated = statedOf(facts, one.driver);
  const mark = (says: string | undefined) => (says === undefined ? {} : { stated: true as const });
  const withheld = [...(stated.create ? ['create'] : []), ...(stated.attach ? ['attach'] : [])];
  return [
    {
      id: `room:${one.driver}`,
      kind: 'size',
      says: `The backend of ${one.driver} has … ${one.places[0] === 'everywhere' ? 'in all' : `in each of ${one.places.join(', ')}`}, and at least what is handed out there.`,
      why: stated.room ?? `A dump shows ${plural(one.volumes, 'volume')} with ${quantityOf(one.bytes)}, not what is left.${unknown}`,
      value: stated.room ? '1Mi' : roomFor(one.bytes),
      ...mark(stated.room)
    },
    {
      id: `quota:${one.driver}`,
      kind: 'count',
      says: `The provider allows … volumes of ${one.driver}.`,
      why: stated.quota ?? `${one.volumes} exist; the quota stands at the provider.`,
      value: String(stated.quota ? Math.max(1, one.volumes) : Math.max(500, one.volumes * 4)),
      ...mark(stated.quota)
    },
    ...(driverCard(one.driver)?.rights.length === 0
      ? []
      : [
          {
            id: `rights:${one.driver}`,
            kind: 'rights' as const,
            choices: allRights.map((value) => ({ value, label: value })),
            says: `The provider trusts ${one.driver} and lets it …`,
            why: stated.create ?? stated.attach ?? 'Trust and rights stand at the provider; leave one out to see what breaks.',
            value: allRights.filter((right) => !withheld.includes(right)).join(', '),
            ...mark(stated.create ?? stated.attach)
          }
        ]),
    ...(driverCard(one.driver)
      ? []
      : [
          ...driverTraitsSupposed(facts, one),
          {
            id: `answers:${one.driver}`,
            kind: 'yes-no' as const,
            says: `${one.driver} answers: …`,
            why: stated.down ?? 'Its parts are unknown here, and the export shows none of them down.',
            value: stated.down ? 'no' : 'yes',
            ...mark(stated.down)
          }
        ])
  ];
}

/** All that has to be supposed to rehearse on a dump, each with a first value that somebody may set. */
export function assumptionsOf(facts: Facts): Assumption[] {
  const missing = missingNames(facts);
  const seen = driversSeen(facts);
  const known = (driver: string) =>
    driverCard(driver) ? '' : ' Its parts are unknown here: the stand-in answers for it as its CSIDriver, CSINodes and classes say.';
  return [
    ...seen.flatMap((one): Assumption[] => driverAssumptions(facts, one, known(one.driver))),
    ...programAssumptions(facts, ownTimes(facts)),
    ...registriesSeen(facts).map((host): Assumption => ({
      id: `registry:${host}`,
      kind: 'yes-no',
      says: `The nodes can reach ${host === '' ? 'the registry of images that name none' : host}: …`,
      why: 'A dump shows which images are named, not what can be pulled.',
      value: 'yes'
    })),
    ...(missing.length
      ? [
          {
            id: 'missing',
            kind: 'yes-no' as const,
            says: `What is named and not in the dump is there all the same: …`,
            why: `${missing.length} are named by workloads: ${missing
              .slice(0, 4)
              .map((one) => `${one.kind} ${one.namespace}/${one.name}`)
              .join(', ')}${missing.length > 4 ? ' …' : ''}`,
            value: 'yes'
          }
        ]
      : []),
    {
      id: 'pods',
      kind: 'range',
      says: 'New pods get addresses from …',
      why: 'The range of pods is no object of the cluster; this one is kept free for such uses (RFC 6598).',
      value: '100.64.0.0/10'
    },
    {
      id: 'services',
      kind: 'range',
      says: 'New services get addresses from …',
      why: 'The range of services is no object of the cluster.',
      value: '198.18.0.0/15'
    }
  ];
}

const standin = 'standin.example/v1' as const;

function assetsOf(facts: Facts, backends: ReadonlyMap<string, { name: string; topologyKey: string; places: readonly string[] }>): Asset[] {
  const attachments = facts.list('VolumeAttachment');
  return facts.list('PersistentVolume').flatMap((volume): Asset[] => {
    const { csi, capacity, nodeAffinity } = volume.spec;
    const backend = csi && backends.get(csi.driver);
    if (!csi || !backend) return [];
    const expression = nodeAffinity?.required?.nodeSelectorTerms
      .flatMap((one) => one.matchExpressions ?? [])
      .find((one) => one.key.includes('zone') || one.key === backend.topologyKey || one.key === hostLabel);
    const zone = expression?.values?.[0];
    return [
      {
        apiVersion: standin,
        kind: 'Asset',
        metadata: { name: csi.volumeHandle },
        spec: {
          backend: backend.name,
          driver: csi.driver,
          zone: zone && backend.places.includes(zone) ? zone : backend.places[0]!,
          size: String(capacity.storage),
          fsType: csi.fsType ?? 'ext4',
          requestName: volume.metadata.name
        },
        status: {
          attachedTo: attachments
            .filter((one) => one.status?.attached && one.spec.source.persistentVolumeName === volume.metadata.name)
            .map((one) => one.spec.nodeName)
        }
      }
    ];
  });
}

/**
 * A stand-in's ground made of a dump: its objects as they stand, and what is supposed of the provider.
 * @param takenMs when the dump was taken (ms of the calendar)
 * @param answers values of assumptions by id, where somebody set them
 */
export function groundOfDump(facts: Facts, takenMs: number, answers: Readonly<Record<string, string>> = {}): ApiObject[] {
  const supposed = new Map(assumptionsOf(facts).map((one) => [one.id, one.value]));
  const value = (id: string) => answers[id] ?? supposed.get(id) ?? '';
  const issuer = 'https://issuer.example';
  const seen = driversSeen(facts);
  const backends = new Map(
    seen.map((one) => [one.driver, { name: `backend-of-${nameFrom(one.driver)}`, topologyKey: one.topologyKey, places: one.places }])
  );
  const nodeAddress = facts.list('Node')[0]?.status?.addresses?.find((one) => one.type === 'InternalIP')?.address;
  const assets = assetsOf(facts, backends);
  const handedOut = new Map<string, number>();
  for (const { spec } of assets)
    handedOut.set(`${spec.backend} ${spec.zone}`, (handedOut.get(`${spec.backend} ${spec.zone}`) ?? 0) + bytesOf(spec.size));
  const counted = value('times') === 'yes' ? ownTimes(facts) : undefined;
  const made: ApiObject[] = [
    ...cardsOfDump(facts, value, counted, seen),
    {
      apiVersion: standin,
      kind: 'Ground',
      metadata: { name: supposedGround },
      spec: {
        clusterDomain: ordinaryDomain,
        issuer,
        podRange: value('pods'),
        serviceRange: value('services'),
        nodeRange: nodeAddress?.includes('.') ? `${nodeAddress.split('.').slice(0, 2).join('.')}.0.0/16` : '10.0.0.0/16'
      }
    },
    ...seen.flatMap((one): ApiObject[] => {
      const backend = backends.get(one.driver)!;
      const backendObject: Backend = {
        apiVersion: standin,
        kind: 'Backend',
        metadata: { name: backend.name },
        spec: {
          driver: one.driver,
          zones: one.places.map((name) => ({
            name,
            capacity: capacityOf(value(`room:${one.driver}`), handedOut.get(`${backend.name} ${name}`) ?? 0)
          })),
          topologyKey: one.topologyKey,
          quotaVolumes: Number(value(`quota:${one.driver}`)),
          ...(one.limit === undefined ? {} : { attachLimit: one.limit })
        }
      };
      const rights = namesListed(value(`rights:${one.driver}`)).filter((right): right is Right =>
        (allRights as readonly string[]).includes(right)
      );
      const card = driverCard(one.driver);
      return [
        backendObject,
        ...(card?.rights.length === 0
          ? []
          : [
              {
                apiVersion: standin,
                kind: 'Identity' as const,
                metadata: { name: `identity-of-${nameFrom(one.driver)}` },
                spec: {
                  driver: one.driver,
                  issuer,
                  subject: card ? `system:serviceaccount:${card.namespace}:${card.account}` : 'supposed',
                  audience: providerAudience,
                  rights
                }
              }
            ])
      ];
    }),
    ...registriesSeen(facts).map((host): ApiObject => ({
      apiVersion: standin,
      kind: 'Registry',
      metadata: { name: host === '' ? 'unnamed' : nameFrom(host) },
      spec: { host, reachable: value(`registry:${host}`) !== 'no' }
    }))
  ];
  const objects = kindEntries.flatMap((one) => facts.list(one.kind) as ApiObject[]);
  const spaces = new Set(objects.map((one) => one.metadata.namespace ?? '').filter(Boolean));
  const extra: ApiObject[] = [...spaces]
    .filter((name) => !facts.get('Namespace', '', name))
    .map((name) => ({ apiVersion: 'v1', kind: 'Namespace', metadata: { name }, status: { phase: 'Active' } }));
  if (!facts.get('Namespace', '', 'default') && !spaces.has('default'))
    extra.push({ apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'default' }, status: { phase: 'Active' } });
  const placeholders = value('missing') === 'no' ? [] : missingNames(facts).map((one) => placeholder(facts, one));
  return [
    ...made,
    ...extra,
    ...adopted(
      objects
        .map((one) => (one.kind === 'CSIDriver' && value(`answers:${one.metadata.name}`) === 'no' ? one : standIn(one)))
        .map((one) => withLikeness(one, cardsAmong(made))),
      takenMs
    ),
    ...placeholders.filter((one) => !facts.get(one.kind, one.metadata.namespace ?? '', one.metadata.name)),
    ...assets
  ];
}

/** What was given for a place, and no less than what is handed out there already. */
const capacityOf = (given: string, bytes: number): string => (bytesOf(given) >= bytes ? given : quantityOf(bytes));

/** Keys of a config map or secret that workloads name one by one. */
function keysNamed(facts: Facts, { kind, namespace, name }: Ref): string[] {
  const field = kind === 'Secret' ? 'secretKeyRef' : 'configMapKeyRef';
  const specs = [
    ...facts.list('Pod', namespace).map((one) => one.spec),
    ...[...facts.list('StatefulSet', namespace), ...facts.list('Deployment', namespace), ...facts.list('DaemonSet', namespace)].map(
      (one) => one.spec.template.spec
    )
  ];
  const keys = specs.flatMap((spec) =>
    [...spec.containers, ...(spec.initContainers ?? [])].flatMap((one) =>
      (one.env ?? []).flatMap(({ valueFrom }) => (valueFrom?.[field]?.name === name ? [valueFrom[field].key] : []))
    )
  );
  return [...new Set(keys)];
}

const placeholder = (facts: Facts, ref: Ref): ApiObject => {
  const { kind, namespace, name } = ref;
  const data = kind === 'ServiceAccount' ? {} : { data: Object.fromEntries(keysNamed(facts, ref).map((key) => [key, ''])) };
  return { apiVersion: 'v1', kind, metadata: { name, namespace }, ...data } as ApiObject;
};

/** A driver whose parts the stand-in doesn't know is answered for. */
function standIn(object: ApiObject): ApiObject {
  if (object.kind !== 'CSIDriver' || driverCard(object.metadata.name)) return object;
  return { ...object, metadata: { ...object.metadata, annotations: { ...object.metadata.annotations, [stoodInMark]: 'true' } } };
}
