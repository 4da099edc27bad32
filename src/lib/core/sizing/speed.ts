import type { Backend, Node } from '../model';
import { nodeIopsMark, nodeMbpsMark } from '../standin';

/** What one volume can do. */
export interface Speed {
  readonly iops: number;
  /** MB/s, 10^6 bytes each. */
  readonly mbps: number;
}

/** What a class's parameter `speed` makes of its backend's card (made up). */
export const kindFactors: Readonly<Record<string, number>> = { steady: 1, fast: 3, cheap: 0.25 };

/** What a volume of a size may do by its backend's card: base plus so much per GiB, up to the most. Source: common practice for rented block volumes. */
export function volumeSpeed(backend: Backend, sizeGib: number, kind = 'steady'): Speed | undefined {
  const { speed } = backend.spec;
  if (!speed) return undefined;
  const factor = kindFactors[kind] ?? 1;
  const grown = (base: number, perGib: number, most: number) => factor * Math.min(most, Math.max(base, perGib * sizeGib));
  return {
    iops: grown(speed.baseIops, speed.iopsPerGib, speed.mostIops),
    mbps: grown(speed.baseMbps ?? 0, speed.mbpsPerGib ?? 0, speed.mostMbps ?? speed.baseMbps ?? 0)
  };
}

/** The node's own ceiling for all its volumes together; undefined when nothing is known of it. */
export function nodeSpeed(node: Node | undefined): Speed | undefined {
  const [iops, mbps] = [nodeIopsMark, nodeMbpsMark].map((mark) => Number(node?.metadata.annotations?.[mark] ?? NaN));
  return Number.isFinite(iops) && Number.isFinite(mbps) ? { iops: iops!, mbps: mbps! } : undefined;
}

/** The lower of the volume's and the node's ceiling. */
export const through = (volume: Speed, node: Speed | undefined): Speed =>
  node ? { iops: Math.min(volume.iops, node.iops), mbps: Math.min(volume.mbps, node.mbps) } : volume;

/** One point of a performance card. */
export interface SpeedPoint extends Speed {
  readonly gib: number;
}

/** Points at which a card's curve bends, and its ends: enough to draw it exactly. */
export function speedCurve(backend: Backend, kind = 'steady'): SpeedPoint[] {
  const { speed } = backend.spec;
  if (!speed) return [];
  const bends = [speed.baseIops, speed.mostIops].map((iops) => (speed.iopsPerGib ? iops / speed.iopsPerGib : 0));
  const flows = [speed.baseMbps ?? 0, speed.mostMbps ?? 0].map((mbps) => (speed.mbpsPerGib ? mbps / speed.mbpsPerGib : 0));
  const end = Math.max(1_000, ...bends, ...flows) * 1.25;
  const sizes = [...new Set([1, ...bends, ...flows, end].map((one) => Math.max(1, Math.round(one))))].sort((a, b) => a - b);
  return sizes.map((gib) => ({ gib, ...volumeSpeed(backend, gib, kind)! }));
}
