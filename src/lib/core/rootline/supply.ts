import { refOf, type Facts, type StorageClass } from '../model';
import { driverCard } from '../standin';
import { plainClass } from './plain-class';
import { field, look, ref } from './evidence';
import { backend } from './joints/backend';
import { classJoint } from './joints/class';
import { driver } from './joints/driver';
import { disks, keepers, operator, storageNodes } from './joints/pool';
import { rights } from './joints/rights';
import { target } from './joints/target';
import { claimLooks } from './exports/claims';
import type { JointId } from './joints';
import type { ClaimPlace, JointRule, Look, Position } from './types';

/** One gate of Supply: what must hold before anything can be handed out. */
export interface SupplyGate extends Look {
  readonly joint: JointId;
  readonly title: string;
  readonly why: string;
}

/** The joints that stand under a class, from the root up: the order in which they must be mended. */
const rules: readonly (JointRule & { readonly id: JointId })[] = [storageNodes, operator, disks, keepers, backend, target, rights, driver];

const exported = new Set<JointId>(['backend', 'target', 'rights', 'driver']);

/** The same of a class in an export: what stands under it, as far as the export tells. */
const exportGates = (position: Position, place: ClaimPlace): SupplyGate[] =>
  claimLooks(position, place)
    .filter((one) => exported.has(one.joint))
    .map(({ joint, look }) => {
      const { title, why } = rules.find((one) => one.id === joint)!;
      return { ...look, joint, title, why };
    });

/** Judges a class by itself, as if somebody claimed 1 GiB of it. */
export function supplyGates(facts: Facts, one: StorageClass): SupplyGate[] {
  const [mode = 'ReadWriteOnce'] = driverCard(one.provisioner)?.modes ?? [];
  const spec = {
    accessModes: [mode as 'ReadWriteOnce'],
    resources: { requests: { storage: '1Gi' } },
    storageClassName: one.metadata.name
  };
  const place = { name: '(any)', namespace: '', spec, class: one };
  const position = { facts, namespace: '', claims: [place] };
  if (!facts.knowsProvider) return exportGates(position, place);
  const looks = rules.flatMap((rule): SupplyGate[] => {
    const look = rule.perClaim ? rule.look(position, place) : undefined;
    return look ? [{ ...look, joint: rule.id, title: rule.title, why: rule.why }] : [];
  });
  const lowest = looks.findIndex((look) => look.state === 'broken');
  return looks.map((look, i) => (lowest >= 0 && i > lowest && look.state === 'settling' ? { ...look, state: 'waiting' } : look));
}

/** The last gate of a driver: a class that names it, so that somebody can claim of it. */
function classGate(facts: Facts, driverName: string): SupplyGate {
  const { id: joint, title, why } = classJoint;
  const card = driverCard(driverName);
  const classes = facts.list('StorageClass').filter((one) => one.provisioner === driverName);
  const names = classes.map((one) => one.metadata.name).join(', ');
  if (names)
    return {
      joint,
      title,
      why,
      ...look('holds', names, `${names} ${classes.length === 1 ? 'draws' : 'draw'} from it`, { objects: classes.map(refOf) })
    };
  const plain = plainClass(`${card?.short ?? 'plain'}-volumes`, driverName);
  const remedy = { text: 'Send a plain class, or design one from what it is needed for.', manifests: [plain] };
  return {
    joint,
    title,
    why,
    ...look('broken', '–', 'no class names it, so no claim can be made from it', {
      evidence: [field(ref('StorageClass', '', '(any)'), 'provisioner', `none names ${driverName}`)],
      remedy
    })
  };
}

/** The gates of a driver, down to the class that lets somebody claim of it. */
export const driverGates = (facts: Facts, driverName: string): SupplyGate[] => [
  ...supplyGates(facts, {
    apiVersion: 'storage.k8s.io/v1',
    kind: 'StorageClass',
    metadata: { name: '(none yet)' },
    provisioner: driverName,
    volumeBindingMode: 'Immediate'
  }),
  classGate(facts, driverName)
];
