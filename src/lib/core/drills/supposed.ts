import { claimsOf, type Facts, type SeenSpan } from '../model';
import { podsIn, type Workload } from '../proofs';
import { cardFor, driverCard, driverOfClaim, enginePartOf, imageParts, isSupposed, likenessWords } from '../standin';

const spanText = ({ fromSeconds, toSeconds, seen }: SeenSpan): string =>
  `${fromSeconds} to ${toSeconds} s${seen ? ` (${seen} seen)` : ' (supposed)'}`;

const deeds = {
  provisioning: 'making a volume',
  attaching: 'attaching one',
  growing: 'growing one',
  copying: 'taking a snapshot'
} as const;

/**
 * What cards suppose of a workload's programs and of the drivers of its claims: whatever is tried on it rests on that. Empty where all of
 * it ships with the stand-in.
 */
export function supposedIn(facts: Facts, workload: Workload): string[] {
  const { namespace, sets, deployments, daemonSets } = workload;
  const found = new Set<string>();
  const cards = facts.list('EngineCard');
  for (const { spec } of [...sets, ...deployments, ...daemonSets]) {
    const card = cardFor(cards, spec.template.spec);
    const part = isSupposed(spec.template) ? enginePartOf(spec.template) : undefined;
    const image = card?.spec.image ?? imageParts(spec.template.spec.containers[0]?.image ?? '').repository;
    if (part) found.add(`${image} behaves like ${likenessWords(part.engine)}${part.part === 'member' ? '' : ` (${part.part})`}`);
    if (card?.spec.starts) found.add(`a start of ${image} takes ${spanText(card.spec.starts)}`);
    if (card?.spec.pulls) found.add(`a pull of ${image} takes ${spanText(card.spec.pulls)}`);
  }
  const claims = podsIn(facts, workload).flatMap((pod) => claimsOf(pod.spec, pod.metadata.name));
  const drivers = new Set(
    claims.flatMap((claim) => {
      const one = facts.get('PersistentVolumeClaim', namespace, claim);
      return (one && driverOfClaim(facts, one)) ?? [];
    })
  );
  for (const driver of [...drivers].sort()) {
    const card = facts.list('DriverCard').find((one) => one.spec.driver === driver);
    if (!driverCard(driver)) found.add(`${driver} answers as ${card ? 'its card, ' : ''}its class and its nodes say`);
    for (const [step, span] of Object.entries(card?.spec.times ?? {}) as [keyof typeof deeds, SeenSpan][])
      found.add(`${driver}: ${deeds[step]} takes ${spanText(span)}`);
  }
  return [...found];
}
