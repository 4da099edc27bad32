import type { Attachment, Facts, Scope } from '../../model';
import { scopeIn } from '../../exports';

const byVolume = new WeakMap<Scope, Map<string, Attachment[]>>();

/** Attachments of a volume, by volume and node; their names say nothing. */
export function attachmentsOf(facts: Facts, volume: string, node?: string): readonly Attachment[] {
  const scope = scopeIn(facts);
  let all = byVolume.get(scope);
  if (!all) {
    byVolume.set(scope, (all = new Map()));
    for (const one of facts.list('VolumeAttachment')) {
      const name = one.spec.source.persistentVolumeName ?? '';
      all.set(name, [...(all.get(name) ?? []), one]);
    }
  }
  const found = all.get(volume) ?? [];
  return node === undefined ? found : found.filter((one) => one.spec.nodeName === node);
}

/** Whether volumes of a driver are attached at all. */
export const attaches = (facts: Facts, driver: string): boolean | undefined =>
  facts.get('CSIDriver', '', driver)?.spec.attachRequired ?? (facts.get('CSIDriver', '', driver) ? true : undefined);
