import { wordsOf } from '$core/shared';
import { gib } from '$ui/format';

/** How a workload is copied, as it stands in a sentence. */
export const howWords = {
  snapshots: 'by snapshots',
  copy: 'through the engine',
  'copy-and-log': 'through the engine, with its log'
} as const;

/** Schedules to choose from, with words. */
export const schedules: readonly (readonly [string, string])[] = [
  ['*/15 * * * *', 'every 15 min'],
  ['0 * * * *', 'every hour'],
  ['20 */6 * * *', 'every 6 h, at :20'],
  ['0 3 * * *', 'every day at 03:00'],
  ['0 3 * * 1', 'every Monday at 03:00']
];

/** A schedule in words where they are known, else as it is written. */
export function scheduleWords(schedule: string): string {
  const [, minute = '', hour = ''] = /^(\d{1,2}) (\d{1,2}) \* \* \*$/.exec(schedule) ?? [];
  const daily = minute && hour ? `every day at ${hour.padStart(2, '0')}:${minute.padStart(2, '0')}` : schedule;
  return schedules.find(([one]) => one === schedule)?.[1] ?? daily;
}

/** How often a log is taken away, to choose from. */
export const paces: readonly (readonly [number, string])[] = [15, 45, 90, 300, 600, 1_800, 3_600].map(
  (s) => [s, wordsOf(s * 1_000)] as const
);
/** How often a copy is whole, to choose from. */
export const wholes: readonly (readonly [number, string])[] = [
  [1, 'each whole'],
  ...[2, 3, 7, 14, 30].map((n) => [n, wholeWords(n)] as const)
];
/** As above, for a number. */
export function wholeWords(n: number): string {
  return n === 1 ? 'each whole' : `one of ${n} whole, changes between`;
}
/** What a copy carries: GiB where it is much, else what fits. */
export function weightWords(bytes: number): string {
  if (bytes >= 2 ** 30) return gib(bytes);
  return bytes >= 2 ** 20 ? `${Math.round(bytes / 2 ** 20)} MiB` : `${Math.ceil(bytes / 2 ** 10)} KiB`;
}

/** How many copies are kept. */
interface Keep {
  readonly newest: number;
  readonly days: number;
  readonly weeks: number;
  readonly months: number;
}

/** The worst state of some findings: what a peg shows. */
export const worstOf = (findings: readonly { readonly state: 'holds' | 'doubt' | 'broken' }[]): 'holds' | 'doubt' | 'broken' =>
  findings.some((one) => one.state === 'broken') ? 'broken' : findings.some((one) => one.state === 'doubt') ? 'doubt' : 'holds';

/** A plan as a manifest. */
export interface PlanWish extends Keep {
  readonly namespace: string;
  readonly name: string;
  readonly workload: string;
  readonly how: keyof typeof howWords;
  readonly schedule: string;
  readonly timeZone: string;
  readonly store: string;
  readonly bucket: string;
  readonly logEverySeconds: number;
  readonly snapshotClass?: string;
  readonly suspend: boolean;
  readonly fullEvery: number;
  /** `secret/key`; '' where nothing is sealed. */
  readonly seal: string;
}

const quoted = (text: string): string => JSON.stringify(text);

/** A store as one text: `namespace/name`, with `cluster:` before it where it stands in another one. */
export const storeText = (one: { readonly namespace: string; readonly name: string; readonly cluster?: string | undefined }): string =>
  `${one.cluster === undefined ? '' : `${one.cluster}:`}${one.namespace}/${one.name}`;

/** The manifest of a plan. `store` is a text as above. */
export function planYaml(wish: PlanWish): string {
  const [, cluster, namespace = '', store = ''] = /^(?:(.*):)?([^/]*)\/(.*)$/.exec(wish.store) ?? [];
  const over = cluster === undefined ? '' : `cluster: ${quoted(cluster)}, `;
  const [secret, ...key] = wish.seal.split('/');
  const lines = [
    'apiVersion: standin.example/v1',
    'kind: BackupPlan',
    `metadata: {name: ${wish.name}, namespace: ${wish.namespace}}`,
    'spec:',
    `  workload: ${wish.workload}`,
    `  how: ${wish.how}`,
    `  schedule: ${quoted(wish.schedule)}`,
    `  timeZone: ${quoted(wish.timeZone)}`,
    ...(wish.suspend ? ['  suspend: true'] : []),
    ...(wish.how === 'snapshots'
      ? wish.snapshotClass === undefined
        ? []
        : [`  snapshotClass: ${quoted(wish.snapshotClass)}`]
      : [`  into: {${over}namespace: ${quoted(namespace)}, store: ${quoted(store)}, bucket: ${quoted(wish.bucket)}}`]),
    ...(wish.how === 'copy-and-log' ? [`  logEverySeconds: ${wish.logEverySeconds}`] : []),
    ...(wish.how !== 'snapshots' && wish.fullEvery > 1 ? [`  fullEvery: ${wish.fullEvery}`] : []),
    ...(wish.how !== 'snapshots' && secret && key.length ? [`  seal: {secret: ${quoted(secret)}, key: ${quoted(key.join('/'))}}`] : []),
    `  keep: {newest: ${wish.newest}, days: ${wish.days}, weeks: ${wish.weeks}, months: ${wish.months}}`
  ];
  return `${lines.join('\n')}\n`;
}

/** The manifest of a return. */
export const returnYaml = (wish: {
  readonly namespace: string;
  readonly name: string;
  readonly plan: string;
  readonly into: string;
  readonly to: string;
  readonly over: boolean;
  readonly only?: string;
}): string =>
  [
    'apiVersion: standin.example/v1',
    'kind: BackupReturn',
    `metadata: {name: ${wish.name}, namespace: ${wish.namespace}}`,
    `spec: {plan: ${wish.plan}, into: ${wish.into}, to: ${quoted(wish.to)}${wish.over ? ', over: true' : ''}${wish.only === undefined ? '' : `, only: ${quoted(wish.only)}`}}`,
    ''
  ].join('\n');
