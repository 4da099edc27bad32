import { type Attachment, type Facts } from '../../model';

/** Attachments of a volume, by volume and node; their names say nothing. */
export const attachmentsOf = (facts: Facts, volume: string, node?: string): Attachment[] =>
  facts
    .list('VolumeAttachment')
    .filter((one) => one.spec.source.persistentVolumeName === volume && (node === undefined || one.spec.nodeName === node));

/** Whether volumes of a driver are attached at all. */
export const attaches = (facts: Facts, driver: string): boolean | undefined =>
  facts.get('CSIDriver', '', driver)?.spec.attachRequired ?? (facts.get('CSIDriver', '', driver) ? true : undefined);
