import { driverCardWanted, likenesses, programCard, supposedHere, type DriverWish } from '$core/dumps';
import { writeManifests } from '$core/manifest';
import type { SeenSpan } from '$core/model';
import { cardFault } from '$core/standin';
import type { Scene } from './scene';

/** What is wanted of one card. */
export type CardWish =
  | { readonly image: string; readonly behavesAs: string; readonly starts?: SeenSpan | undefined; readonly pulls?: SeenSpan | undefined }
  | ({ readonly driver: string } & DriverWish);

const span = (one: SeenSpan | undefined) => one ?? null;

/** Programs and drivers that don't ship, with what is supposed of each. */
export function supposedView({ facts }: Scene) {
  const { programs, drivers } = supposedHere(facts);
  return {
    programs: programs.map((one) => ({
      ...one,
      card: one.card ?? null,
      proposed: one.proposed ?? null,
      starts: span(one.starts),
      pulls: span(one.pulls)
    })),
    drivers: drivers.map(({ driver, ships, card, classes, accessModes, grows, snapshots, times }) => ({
      driver,
      ships,
      classes,
      card: card ?? null,
      accessModes: accessModes ?? null,
      grows: grows ?? null,
      snapshots: snapshots ?? null,
      times: {
        provisioning: span(times.provisioning),
        attaching: span(times.attaching),
        growing: span(times.growing),
        copying: span(times.copying)
      }
    })),
    likenesses
  };
}

/** A card as it is wanted, as a manifest; or why it can't count here, with the field and what to do. */
export function cardView({ facts }: Scene, wish: CardWish) {
  const card = 'image' in wish ? programCard(facts, wish.image, wish) : driverCardWanted(facts, wish.driver, wish);
  const fault = cardFault(card, facts);
  if (fault) return { fault };
  return { fault: undefined, yaml: writeManifests([card]), title: `what is supposed of ${'image' in wish ? wish.image : wish.driver}` };
}
