import { defaultClassMark, waitsForConsumer, type Facts, type StorageClass } from '../model';
import { backendOf, driverCard, driverTraits, fsTypeOf, isEncrypted } from '../standin';

/** What a class does for whoever claims of it, and what it doesn't. */
export interface Traits {
  readonly will: readonly string[];
  readonly wont: readonly string[];
}

const placeWords: Record<string, string> = {
  'topology.kubernetes.io/zone': 'zone',
  'kubernetes.io/hostname': 'node'
};

type Say = (yes: boolean, word: string, otherwise?: string) => void;

/** What a card supposes of a driver that isn't known, each marked so. */
function supposedTraits(facts: Facts, one: StorageClass, say: Say): void {
  const supposed = driverTraits(facts, one.provisioner);
  if (!supposed) return;
  const { modes, grows, snapshots } = supposed;
  if (modes) say(true, `hand out ${modes.join(', ')} (supposed)`);
  say(grows === 'online' && one.allowVolumeExpansion === true, 'grow while mounted (supposed)', 'grow (supposed)');
  if (snapshots !== undefined) say(snapshots, 'be copied by snapshots (supposed)', 'take snapshots (supposed)');
}

/** The two lists of a class, from its fields and its driver's card. */
export function classTraits(facts: Facts, one: StorageClass): Traits {
  const card = driverCard(one.provisioner);
  const backend = backendOf(facts, one.provisioner);
  const will: string[] = [];
  const wont: string[] = [];
  const say = (yes: boolean, word: string, otherwise = '') => void (yes ? will.push(word) : otherwise && wont.push(otherwise));
  if (card) {
    const many = card.modes.includes('ReadWriteMany');
    say(many, 'be mounted on many nodes at once', 'be shared by two nodes');
    if (card.modes.includes('ReadWriteOncePod')) will.push('mount on one node (or one pod) at a time');
    if (card.grows === 'elastic') will.push('grow by itself: there is no size to reach');
    else
      say(
        card.grows === 'online' && one.allowVolumeExpansion === true,
        `grow while mounted, ${fsTypeOf(one)}`,
        card.grows === 'never' ? "grow: its driver can't" : 'grow'
      );
    say(card.snapshots, 'be copied by snapshots', 'take snapshots');
    const place = placeWords[backend?.spec.topologyKey ?? card.topologyKey];
    if (place) wont.push(`move to another ${place}`);
    else will.push('follow its member to any node');
    if (card.topologyKey === 'kubernetes.io/hostname') wont.push('survive the loss of its node');
  } else supposedTraits(facts, one, say);
  say(waitsForConsumer(one), 'make the volume where its member is placed', '');
  if (!waitsForConsumer(one)) will.push('make the volume as soon as it is claimed');
  const keeps = one.reclaimPolicy === 'Retain';
  say(keeps, 'keep volume and data when the claim goes', 'keep the data when the claim goes');
  if (keeps) wont.push('clean up by itself: kept volumes wait to be freed');
  say(isEncrypted(one), "encrypt with the place's key", '');
  if (card?.grows !== 'elastic') wont.push('shrink');
  if (one.metadata.annotations?.[defaultClassMark] === 'true') will.push('serve claims that name no class');
  return { will, wont };
}
