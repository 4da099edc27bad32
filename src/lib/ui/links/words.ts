import type { Answers } from '$server/api/types';
import { plural } from '../format';

type Linked = Answers['Linked'];

/** The sentence at the top of the sheet: what is broken first, else how it stands. */
export function headline(linked: Linked): string {
  if (!linked.clusters.length) return 'This cluster is linked with no other.';
  const broken = linked.workloads.find((one) => one.state === 'broken');
  if (broken) return broken.sentence;
  const cut = linked.links.find((one) => one.fault);
  if (cut) return `${cut.fault!.says[0]!.toUpperCase()}${cut.fault!.says.slice(1)}.`;
  const coming = linked.workloads.find((one) => one.state === 'settling');
  if (coming) return coming.sentence;
  const [one] = linked.workloads;
  if (one)
    return `${linked.workloads.length === 1 ? one.name : plural(linked.workloads.length, 'workload')} ${linked.workloads.length === 1 ? 'holds' : 'hold'} in ${plural(one.parts.length, 'cluster')}.`;
  return `${plural(linked.links.length, 'link')}, and nothing stands over several clusters yet.`;
}

/** What an end of a link says, in short. */
export const endWords = (end: NonNullable<Linked['links'][number]['ends']['a']>): string =>
  [
    `${end.delayMs} ms`,
    ...(end.bytesPerSecond === undefined ? [] : [`${Math.round(end.bytesPerSecond / 1e5) / 10} MB/s`]),
    ...(end.lossPercent ? [`${end.lossPercent} % lost`] : []),
    end.carries.addresses ? 'addresses' : 'no addresses',
    end.carries.names ? 'names' : 'no names',
    end.encrypted ? 'encrypted' : 'open',
    `version ${end.version}`
  ].join(' · ');
