import { plural } from '../shared';
import type { ApiObject, Facts, Kind } from '../model';
import { operatorFault, operatorOf, runsOperator, type OperatedKind } from '../standin';
import { traitWords } from './classes';
import { imagesFit, pullsFit, versionFit } from './images';
import { admittedFit, namesFit, sizeFit, spreadFit } from './members';
import { mendedBy } from './mends';
import { imagesOf, noClass, type Needs } from './needs';
import { claimsFit, classFit, classMeant, roomFit, slotsFit } from './storage';
import { supposed } from '../supposed';
import type { FitSquare } from './types';
import { gibText } from './words';

/** A need, as it stands at the head of its row. */
export interface FitNeed {
  readonly id: string;
  readonly title: string;
}

/** The rows of the table, in the order in which things have to be there. */
export function fitRows(needs: Needs, objects: readonly ApiObject[]): FitNeed[] {
  const members = needs.parts.filter((one) => one.members > 0);
  return [
    ...needs.claims.flatMap((one) => [
      {
        id: `class ${one.className}`,
        title: `${classTitle(one.className)}: ${one.traits ? traitWords({ ...one.traits, many: one.many }) : 'what it does is unseen'}`
      },
      { id: `room ${one.className}`, title: `room, ${plural(one.sizes.length, 'volume')} of ${sizesWords(one.sizes)}` }
    ]),
    ...(members.length ? [{ id: 'spread', title: spreadTitle(needs) }] : []),
    ...(members.length
      ? [
          { id: 'size', title: sizeTitle(needs) },
          { id: 'names', title: 'what its members name' },
          { id: 'admitted', title: 'let in by its namespace' }
        ]
      : []),
    ...(needs.claims.some((one) => one.aMember > 0) ? [{ id: 'slots', title: 'attach slots' }] : []),
    ...(needs.images.length ? [{ id: 'version', title: 'cluster version' }] : []),
    ...(operatedIn(objects).length ? [{ id: 'operator', title: `operator of ${operatedIn(objects).join(', ')}` }] : []),
    ...(members.length ? [{ id: 'images', title: needs.images.length ? plural(needs.images.length, 'image') : 'images' }] : []),
    ...(objects.some((one) => one.kind === 'Certificate') ? [{ id: 'issuer', title: 'issuer for certificates' }] : [])
  ];
}

const sizesWords = (sizes: readonly number[]): string => {
  const distinct = [...new Set(sizes)];
  return distinct.length === 1 ? gibText(distinct[0]!) : `${gibText(Math.min(...distinct))} to ${gibText(Math.max(...distinct))}`;
};
const spreadTitle = ({ parts }: Needs): string => {
  const zone = parts.some((one) => one.apart === 'zone');
  const node = parts.some((one) => one.apart === 'node');
  return zone ? 'one member a zone' : node ? 'one member a node' : 'members over zones';
};
const sizeTitle = ({ parts }: Needs): string => {
  const largest = [...parts].sort((a, b) => b.ask.memoryBytes - a.ask.memoryBytes)[0]!;
  const { milliCpu, memoryBytes } = largest.ask;
  return milliCpu || memoryBytes ? `${milliCpu} m CPU, ${gibText(memoryBytes)} each` : 'CPU and memory: none is asked for';
};
const operatedIn = (objects: readonly ApiObject[]): Kind[] => [
  ...new Set(objects.flatMap((one) => (operatorOf(one.kind) ? [one.kind] : [])))
];

const classTitle = (className: string): string => (className === noClass ? 'no class' : className || 'default class');

function operatorFit(there: Facts, objects: readonly ApiObject[]): FitSquare {
  for (const kind of operatedIn(objects)) {
    const card = operatorOf(kind)!;
    if (objects.some((one) => one.kind === 'Deployment' && runsOperator(one, card))) continue;
    const spaces = [...new Set(objects.filter((one) => one.kind === kind).map((one) => one.metadata.namespace ?? 'default'))];
    const fault = spaces.map((space) => operatorFault(there, operatorOf(kind as OperatedKind)!, space)).find((one) => one !== undefined);
    if (fault) return { need: 'operator', state: 'broken', says: fault.message.replace(/\.$/, '') };
  }
  return { need: 'operator', state: 'holds', says: 'there, or comes along' };
}

function issuerFit(there: Facts, objects: readonly ApiObject[]): FitSquare {
  const brought = new Set(
    objects.filter((one) => one.kind === 'Issuer').map((one) => `${one.metadata.namespace ?? 'default'}/${one.metadata.name}`)
  );
  for (const one of objects) {
    if (one.kind !== 'Certificate') continue;
    const space = one.metadata.namespace ?? 'default';
    const { name, namespace = space } = one.spec.issuer;
    if (brought.has(`${namespace}/${name}`) && namespace === space) continue;
    if (namespace !== space)
      return { need: 'issuer', state: 'broken', says: `${namespace}/${name} serves its own namespace only, not ${space}` };
    if (!there.get('Issuer', space, name)) {
      const elsewhere = there.list('Issuer').find((two) => two.metadata.name === name);
      return {
        need: 'issuer',
        state: 'broken',
        says: elsewhere ? `${name} is in ${elsewhere.metadata.namespace}, not in ${space}` : `there is no issuer ${space}/${name}`
      };
    }
  }
  return { need: 'issuer', state: 'holds', says: 'there, or comes along' };
}

/** Holds manifests' needs against a cluster, row by row. Values that mend a square are taken as given in the rows below it. */
export function fitOf(there: Facts, needs: Needs, objects: readonly ApiObject[]): FitSquare[] {
  const classes = needs.claims.map((one) => classFit(there, one, objects));
  const rows = new Set(fitRows(needs, objects).map((one) => one.id));
  const version = versionFit(there, needs);
  const fitting = mendedBy(objects, [...classes.map((one) => one.square), version]);
  const images = imagesFit(there, { ...needs, images: imagesOf(fitting) });
  const by = supposed(there, mendedBy(fitting, [images]));
  const lazily: readonly (readonly [string, () => FitSquare])[] = [
    ['spread', () => spreadFit(needs, by)],
    ['size', () => sizeFit(there, by)],
    ['names', () => namesFit(by)],
    ['admitted', () => admittedFit(there, by)],
    [
      'slots',
      () =>
        slotsFit(
          there,
          needs,
          by,
          classes.map((one) => one.class)
        )
    ],
    ['version', () => version],
    ['operator', () => operatorFit(there, objects)],
    ['images', () => pullsFit(there, images, by)],
    ['issuer', () => issuerFit(there, objects)]
  ];
  // What is refused has no part in the picture: what holds without it isn't told.
  const [refused] = by.refused;
  const told = (one: FitSquare): FitSquare =>
    refused && one.state !== 'broken' && ofMembers.test(one.need)
      ? { need: one.need, state: 'unseen', says: `${refused.kind} ${refused.name} isn't taken: see the change sheet` }
      : one;
  const found = [
    ...needs.claims.flatMap((one, i) => {
      const { square, class: its } = classes[i]!;
      const name = classMeant(one, square, its);
      return [claimsFit(square, by, name), roomFit(there, one, its, by, name)];
    }),
    ...lazily.flatMap(([id, look]) => (rows.has(id) ? [look()] : []))
  ];
  return found.map(told);
}

/** Rows that are read off where members would stand. */
const ofMembers = /^(room |spread|size|names|admitted|slots)/;

/** The class that claims of each class come to in a cluster, by the name that they bear; a name that nothing there does for is left out. */
export const classesThere = (there: Facts, needs: Needs, objects: readonly ApiObject[]): ReadonlyMap<string, string> =>
  new Map(
    needs.claims.flatMap((need): [string, string][] => {
      const { square, class: found } = classFit(there, need, objects);
      return found && square.state === 'holds' ? [[need.className, found.metadata.name]] : [];
    })
  );
