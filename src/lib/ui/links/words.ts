import type { Answers } from '$server/api/types';
import { plural } from '../format';

type Linked = Answers['Linked'];

/** The sentence at the top of the sheet: what is broken first, else how it stands. */
export function headline(linked: Linked): string {
  if (!linked.clusters.length) return 'This cluster is linked with no other.';
  const broken = linked.workloads.find((one) => one.state === 'broken');
  if (broken) return broken.sentence;
  const behind = linked.follows.find((one) => one.state === 'broken');
  if (behind) return `${behind.workload} of ${behind.cluster} can't follow: ${behind.says}.`;
  const cut = linked.links.find((one) => one.fault);
  if (cut) return `${cut.fault!.says[0]!.toUpperCase()}${cut.fault!.says.slice(1)}.`;
  const coming = linked.workloads.find((one) => one.state === 'settling');
  if (coming) return coming.sentence;
  const [one] = linked.workloads;
  if (one)
    return `${linked.workloads.length === 1 ? one.name : plural(linked.workloads.length, 'workload')} ${linked.workloads.length === 1 ? 'holds' : 'hold'} in ${plural(one.parts.length, 'cluster')}.`;
  const [followed] = linked.follows;
  if (followed) return `${followWords(followed)}.`;
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

type Followed = Linked['follows'][number];

/** What a mirror does, as a short sentence. */
export const followWords = ({ workload, cluster, from, only, phase }: Followed): string =>
  `${workload} of ${cluster} ${phase === 'Promoted' ? 'followed' : 'follows'} ${from.workload} of ${from.cluster}${only === undefined ? '' : `, in ${only} alone`}`;

const quoted = (text: string): string => JSON.stringify(text);

/** The manifest of a mirror. */
export function mirrorYaml(wish: {
  readonly name: string;
  readonly namespace: string;
  readonly workload: string;
  readonly from: { readonly cluster: string; readonly namespace: string; readonly workload: string };
  readonly everySeconds: number;
  readonly only: string;
  readonly deletes: boolean;
  readonly keeps: boolean;
}): string {
  const { cluster, namespace, workload } = wish.from;
  return [
    'apiVersion: standin.example/v1',
    'kind: Mirror',
    `metadata: {name: ${quoted(wish.name)}, namespace: ${quoted(wish.namespace)}}`,
    'spec:',
    `  workload: ${quoted(wish.workload)}`,
    `  from: {cluster: ${quoted(cluster)}, namespace: ${quoted(namespace)}, workload: ${quoted(workload)}}`,
    ...(wish.only ? [`  only: ${quoted(wish.only)}`] : []),
    `  everySeconds: ${wish.everySeconds}`,
    ...(wish.deletes ? [] : ['  deletes: false']),
    ...(wish.keeps ? ['  versions: kept'] : []),
    ''
  ].join('\n');
}
