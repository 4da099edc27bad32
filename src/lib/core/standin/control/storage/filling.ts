import { fillAt, fullAtMs, roomIn } from '../../engines/fill';
import type { Loop } from '../loop';

/** Watches volumes fill: at the moment when nothing more fits, the asset says so, and its node ends the member. */
export const filling: Loop = {
  id: 'filling',
  watches: {
    Asset: (now, before) =>
      now?.status?.fill && (now.status.fill !== before?.status?.fill || now.spec.size !== before.spec.size) ? [now.metadata.name] : []
  },
  reconcile(world, key) {
    const asset = world.store.get('Asset', '', key);
    const fill = asset?.status?.fill;
    if (!asset || !fill || fill.bytesPerDay <= 0) return;
    const fullMs = fullAtMs(asset);
    if (fullMs === undefined) return;
    if (fullMs > world.nowMs) world.after(fullMs - world.nowMs, key, true);
    else
      world.put({
        ...asset,
        status: {
          ...asset.status!,
          fill: { bytes: Math.min(roomIn(asset), fillAt(asset, world.nowMs)), atMs: world.nowMs, bytesPerDay: 0 }
        }
      });
  }
};
