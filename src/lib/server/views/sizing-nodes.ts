import { nodeFit, readNodesAsk, readPrices, takenNodes, type NodeFit, type PackAsk } from '$core/sizing';
import type { Scene } from './scene';

/** How members fit on nodes; or what is wrong in which cell (`members.0.cpu`). */
export type PackedNodes =
  | { readonly faults: Readonly<Record<string, string>>; readonly fit: null }
  | { readonly faults: Readonly<Record<string, string>>; readonly fit: ReturnType<typeof shownFit> };

const shownFit = ({ price, first, spare, zoneless, alone, ...fit }: NodeFit) => ({
  ...fit,
  price: price ?? null,
  first: first ?? null,
  spare: spare ?? null,
  zoneless: zoneless ?? null,
  alone: alone.map((one) => ({
    kind: one.kind,
    nodes: one.nodes ?? null,
    least: Number.isFinite(one.least) ? one.least : null,
    says: one.says
  }))
});

/** Packs members on nodes. */
export async function packedView({ effort, ...ask }: PackAsk): Promise<PackedNodes> {
  const asked = readNodesAsk(ask);
  return 'faults' in asked ? { faults: asked.faults, fit: null } : { faults: {}, fit: shownFit(await nodeFit(asked, effort === 'first')) };
}

/** Members and nodes as they stand, priced by a list where one is given (as it is written); or why that can't be told. */
export function takenNodesView(
  { facts }: Scene,
  { of, prices: text }: { of?: { namespace: string; name: string } | undefined; prices?: string | undefined }
) {
  const prices = text === undefined ? undefined : readPrices(text);
  if (prices && 'faults' in prices) return { ask: null, says: 'the price list can not be read' };
  const found = takenNodes(facts, of, prices);
  return typeof found === 'string' ? { ask: null, says: found } : { ask: found.ask, says: found.not };
}

type Taken = Exclude<ReturnType<typeof takenNodes>, string>['ask'];
const mostSaid = 60;
const counted = (all: readonly { readonly name: string; readonly count?: string }[]): string => {
  const text = all.map((one) => (one.count === undefined ? one.name : `${one.name} ${one.count}`)).join(', ');
  return text.length > mostSaid ? `${text.slice(0, mostSaid)}…` : text;
};

/** What is kept of members and nodes, as the texts that are kept of any sizing. */
export const keptNodes = ({ members, nodes, zones }: Taken): Record<string, string> => ({
  members: JSON.stringify(members),
  nodes: JSON.stringify(nodes),
  zones
});

/** What of members and nodes that were taken stands otherwise by now. */
export function movedNodes({ facts }: Scene, of: { namespace: string; name: string } | undefined, then: Readonly<Record<string, string>>) {
  const found = takenNodes(facts, of);
  if (typeof found === 'string') return { moved: [], gone: found };
  const now = keptNodes(found.ask);
  const said = (part: string, text: string): string => {
    if (part === 'zones') return text;
    const all = JSON.parse(text) as { name: string; count?: string }[];
    return counted(all);
  };
  const moved = ['members', 'nodes', 'zones'].flatMap((part) => {
    const [was, is] = [then[part], now[part]!];
    if (was === undefined || was === is) return [];
    const [before, after] = [said(part, was), said(part, is)];
    return [{ slot: part, label: part, was: before, is: before === after ? `${after}, other sizes` : after }];
  });
  return { moved, gone: '' };
}
