import { defaultClassMark, type Facts, type StorageClass } from '../model';
import { backendOf, driverCards, fitDisks, type DriverCard } from '../standin';
import { driverGates } from '../rootline';
import { classTraits } from './traits';

/** What a class is needed for. */
export interface ClassNeeds {
  readonly name: string;
  readonly users: 'one' | 'many';
  readonly grow: boolean;
  readonly keep: boolean;
  readonly encrypt: boolean;
  readonly fsType: 'any' | 'ext4' | 'xfs';
  readonly speed: 'steady' | 'fast' | 'cheap';
  readonly isDefault: boolean;
}

/** One choice of the design, and why. */
export interface Choice {
  readonly field: string;
  readonly value: string;
  readonly why: string;
}

/** A driver that was not chosen, and why. */
export interface Rejected {
  readonly driver: string;
  readonly why: string;
}

/** The class that answers to needs; without `class` no driver can do it all. */
export interface ClassDesign {
  readonly driver?: string;
  readonly class?: StorageClass;
  readonly choices: readonly Choice[];
  readonly rejected: readonly Rejected[];
  readonly givesUp: readonly string[];
  /** What must be mended before the class can hand anything out, lowest first. */
  readonly before: readonly { readonly title: string; readonly says: string }[];
}

/** Which driver comes first where several can do it. Common practice, no source: own disks cost least per GiB, rented blocks are steadiest. */
const order: Record<ClassNeeds['speed'], readonly string[]> = {
  steady: ['block', 'pool', 'files', 'dirs'],
  fast: ['block', 'pool', 'files', 'dirs'],
  cheap: ['dirs', 'pool', 'block', 'files']
};

function cannot(facts: Facts, card: DriverCard, needs: ClassNeeds): string | undefined {
  if (needs.users === 'many' && !card.modes.includes('ReadWriteMany')) return 'one node at a time only';
  if (needs.grow && card.grows === 'never') return "can't grow volumes";
  if (needs.encrypt && !card.parameters.includes('encrypted')) return 'has no encryption of its own';
  if (needs.fsType !== 'any' && !card.fsTypes.includes(needs.fsType)) return `makes no ${needs.fsType}`;
  const has = backendOf(facts, card.driver) !== undefined;
  if (!has && !(card.short === 'pool' && fitDisks(facts.list('Disk')).size > 0))
    return card.short === 'pool' ? 'no raw disks here' : 'no backend for it here';
  if (card.topologyKey === 'kubernetes.io/hostname' && needs.keep) return 'data is lost with its node, so nothing is kept for certain';
  return undefined;
}

function choicesOf(card: DriverCard, needs: ClassNeeds, one: StorageClass): Choice[] {
  const choices: Choice[] = [
    { field: 'provisioner', value: card.driver, why: needs.users === 'many' ? `${card.kind}: many nodes may mount one volume` : card.kind },
    {
      field: 'volumeBindingMode',
      value: one.volumeBindingMode ?? 'Immediate',
      why:
        one.volumeBindingMode === 'WaitForFirstConsumer'
          ? 'the volume is made where its first member is placed, never in a zone or on a node out of its reach'
          : 'it is reached from everywhere, so nothing is gained by waiting'
    },
    {
      field: 'reclaimPolicy',
      value: one.reclaimPolicy ?? 'Delete',
      why: needs.keep
        ? 'data outlives the claim; somebody has to free or delete it'
        : 'nothing is left behind, and nothing can be brought back'
    },
    {
      field: 'allowVolumeExpansion',
      value: String(one.allowVolumeExpansion ?? false),
      why:
        card.grows === 'elastic'
          ? 'shared files have no size to outgrow'
          : needs.grow
            ? 'a claim grows while it is mounted'
            : 'a claim keeps the size that it was asked with'
    }
  ];
  const fsType = one.parameters?.['csi.storage.k8s.io/fstype'];
  if (fsType)
    choices.push({
      field: 'csi.storage.k8s.io/fstype',
      value: fsType,
      why: fsType === 'xfs' ? 'room for many large files; needs 300 MiB and never shrinks' : 'the plain choice; keeps 5 % for root'
    });
  if (needs.encrypt) choices.push({ field: 'encrypted', value: 'true', why: "needs the right key-use beside the driver's other rights" });
  if (one.parameters?.speed)
    choices.push({
      field: 'speed',
      value: one.parameters.speed,
      why: needs.speed === 'fast' ? 'more IOPS per GiB, at a price' : 'fewer IOPS, at a lower price'
    });
  return choices;
}

function classFor(card: DriverCard, needs: ClassNeeds): StorageClass {
  const fsType = needs.fsType === 'any' ? card.fsTypes[0]! : needs.fsType;
  const device = card.fsTypes.includes('ext4');
  const parameters = {
    ...(device ? { 'csi.storage.k8s.io/fstype': fsType } : {}),
    ...(needs.encrypt ? { encrypted: 'true' } : {}),
    ...(card.parameters.includes('speed') && needs.speed !== 'steady' ? { speed: needs.speed } : {})
  };
  return {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: needs.name, ...(needs.isDefault ? { annotations: { [defaultClassMark]: 'true' } } : {}) },
    provisioner: card.driver,
    ...(Object.keys(parameters).length ? { parameters } : {}),
    reclaimPolicy: needs.keep ? 'Retain' : 'Delete',
    volumeBindingMode: card.attach || card.topologyKey ? 'WaitForFirstConsumer' : 'Immediate',
    ...(card.grows === 'online' ? { allowVolumeExpansion: needs.grow } : {})
  };
}

/** Proposes a class for needs: which driver, which fields, why, and what is given up. */
export function designClass(facts: Facts, needs: ClassNeeds): ClassDesign {
  const rejected: Rejected[] = [];
  const able = driverCards.filter((card) => {
    const why = cannot(facts, card, needs);
    if (why) rejected.push({ driver: card.driver, why });
    return !why;
  });
  const rank = (card: DriverCard) => order[needs.speed].indexOf(card.short);
  const [card, ...others] = able.sort((a, b) => rank(a) - rank(b));
  if (!card) return { choices: [], rejected, givesUp: [], before: [] };
  for (const other of others)
    rejected.push({ driver: other.driver, why: `could, but ${card.short} comes first where ${needs.speed} is asked for` });
  const one = classFor(card, needs);
  const marked = facts
    .list('StorageClass')
    .filter((other) => other.metadata.annotations?.[defaultClassMark] === 'true' && other.metadata.name !== needs.name);
  const givesUp = [
    ...classTraits(facts, one).wont,
    ...(needs.isDefault && marked.length
      ? [`be the only default: ${marked.map((other) => other.metadata.name).join(', ')} is marked too, and the newest counts`]
      : [])
  ];
  const before = driverGates(facts, card.driver)
    .filter((gate) => gate.state === 'broken' && gate.joint !== 'class')
    .map(({ title, says }) => ({ title, says }));
  return { driver: card.driver, class: one, choices: choicesOf(card, needs, one), rejected, givesUp, before };
}
