import { servedWithTls } from '$core/blueprints';
import { asManifest, writeManifests } from '$core/manifest';
import { conditionOf, isReady, momentIn, pairsMatch } from '$core/model';
import { podsIn, workloadNamed } from '$core/proofs';
import {
  imageCard,
  imageTag,
  listenFault,
  nameCalled,
  partRank,
  restedMark,
  servesTlsOnly,
  servicesTo,
  stepSpans,
  type EngineId
} from '$core/standin';
import { wordsOf } from '$core/shared';
import { membersView } from './members';
import type { Scene } from './scene';

/** What can be asked of an engine, as forms: which fields an ask has, with words. */
export interface ConsoleForm {
  readonly do: string;
  readonly title: string;
  readonly fields: readonly {
    readonly id: 'place' | 'key' | 'value' | 'count' | 'bytes' | 'from' | 'acks';
    readonly label: string;
    readonly start: string;
    readonly options?: readonly string[];
  }[];
  /** Whether it matters which member is asked. */
  readonly member: boolean;
}

const table = { id: 'place', label: 'table', start: 'main' } as const;
const rows: readonly ConsoleForm[] = [
  {
    do: 'write',
    title: 'Write',
    fields: [table, { id: 'key', label: 'key', start: 'k1' }, { id: 'value', label: 'value', start: 'v1' }],
    member: true
  },
  { do: 'read', title: 'Read', fields: [table, { id: 'key', label: 'key', start: 'k1' }], member: true },
  { do: 'list', title: 'List', fields: [table], member: true },
  { do: 'members', title: 'Who is there?', fields: [], member: true }
];

/** The console of each engine, in forms. */
export const consoleForms: Readonly<Record<EngineId, readonly ConsoleForm[]>> = {
  'multi-primary-sql': rows,
  'primary-standby-sql': rows,
  'document-set': rows.map((one) => ({
    ...one,
    fields: one.fields.map((field) => (field.id === 'place' ? { ...field, label: 'collection' } : field))
  })),
  'log-broker': [
    {
      do: 'make-topic',
      title: 'Make a topic',
      fields: [
        { id: 'place', label: 'topic', start: 'gate-scans' },
        { id: 'count', label: 'partitions', start: '6' }
      ],
      member: false
    },
    {
      do: 'produce',
      title: 'Produce',
      fields: [
        { id: 'place', label: 'topic', start: 'gate-scans' },
        { id: 'value', label: 'message', start: 'gate 4, ticket 1187' },
        { id: 'acks', label: 'acknowledged by', start: 'all', options: ['all', 'leader', 'none'] }
      ],
      member: false
    },
    {
      do: 'consume',
      title: 'Consume',
      fields: [
        { id: 'place', label: 'topic', start: 'gate-scans' },
        { id: 'from', label: 'from the', start: 'beginning', options: ['beginning', 'end'] }
      ],
      member: false
    },
    { do: 'topics', title: 'Topics', fields: [], member: true }
  ],
  'memory-store': [
    {
      do: 'make-database',
      title: 'Make a database',
      fields: [
        { id: 'place', label: 'database', start: 'fares' },
        { id: 'bytes', label: 'bytes', start: '1073741824' },
        { id: 'count', label: 'shards', start: '2' },
        { id: 'value', label: 'replicas', start: '1' }
      ],
      member: false
    },
    {
      do: 'write',
      title: 'Write',
      fields: [
        { id: 'place', label: 'database', start: 'fares' },
        { id: 'key', label: 'key', start: 'k1' },
        { id: 'value', label: 'value', start: 'v1' }
      ],
      member: true
    },
    {
      do: 'read',
      title: 'Read',
      fields: [
        { id: 'place', label: 'database', start: 'fares' },
        { id: 'key', label: 'key', start: 'k1' }
      ],
      member: true
    },
    { do: 'shards', title: 'Shards', fields: [], member: true }
  ],
  'object-store': [
    { do: 'make-bucket', title: 'Make a bucket', fields: [{ id: 'place', label: 'bucket', start: 'cargo-papers' }], member: false },
    {
      do: 'put',
      title: 'Put',
      fields: [
        { id: 'place', label: 'bucket', start: 'cargo-papers' },
        { id: 'key', label: 'object', start: 'manifest-1.txt' },
        { id: 'bytes', label: 'bytes', start: '65536' }
      ],
      member: true
    },
    {
      do: 'get',
      title: 'Get',
      fields: [
        { id: 'place', label: 'bucket', start: 'cargo-papers' },
        { id: 'key', label: 'object', start: 'manifest-1.txt' }
      ],
      member: true
    },
    { do: 'list', title: 'List', fields: [{ id: 'place', label: 'bucket (none: all buckets)', start: 'cargo-papers' }], member: true },
    { do: 'health', title: 'Volumes', fields: [], member: true }
  ],
  'time-series': [
    { do: 'make-table', title: 'Make a table', fields: [{ id: 'place', label: 'table', start: 'readings' }], member: false },
    {
      do: 'insert',
      title: 'Insert',
      fields: [
        { id: 'place', label: 'table', start: 'readings' },
        { id: 'count', label: 'rows', start: '144' }
      ],
      member: false
    },
    { do: 'query', title: 'Count and sum', fields: [{ id: 'place', label: 'table', start: 'readings' }], member: false }
  ],
  'shared-files': [
    {
      do: 'write',
      title: 'Write a file',
      fields: [
        { id: 'key', label: 'path', start: 'charts/north.txt' },
        { id: 'value', label: 'content', start: 'depth 14' }
      ],
      member: true
    },
    { do: 'read', title: 'Read', fields: [{ id: 'key', label: 'path', start: 'charts/north.txt' }], member: true },
    { do: 'list', title: 'List', fields: [{ id: 'place', label: 'directory', start: '' }], member: true },
    { do: 'open', title: 'Open', fields: [{ id: 'key', label: 'path', start: 'charts/north.txt' }], member: true },
    { do: 'read-open', title: 'Read what is open', fields: [{ id: 'value', label: 'opened as', start: '' }], member: true },
    {
      do: 'write-open',
      title: 'Write what is open',
      fields: [
        { id: 'key', label: 'opened as', start: '' },
        { id: 'value', label: 'content', start: 'depth 15' }
      ],
      member: true
    },
    { do: 'close', title: 'Close', fields: [{ id: 'value', label: 'opened as', start: '' }], member: true },
    { do: 'delete', title: 'Remove', fields: [{ id: 'key', label: 'path', start: 'charts/north.txt' }], member: true }
  ],
  'image-shelf': [
    {
      do: 'push',
      title: 'Push',
      fields: [
        { id: 'key', label: 'image', start: 'tools/chart:r2' },
        { id: 'bytes', label: 'bytes', start: '200000' }
      ],
      member: false
    },
    { do: 'pull', title: 'Pull', fields: [{ id: 'key', label: 'image', start: 'tools/chart:r2' }], member: false },
    { do: 'list', title: 'List', fields: [], member: false }
  ]
};

/** In which order the parts start, in a sentence. */
function orderOf(parts: readonly { part: string; name: string; ordered: boolean }[]): string {
  const inOrder = [...parts].sort((a, b) => partRank(a.part) - partRank(b.part));
  const each = inOrder.map(({ name, ordered }) =>
    ordered ? `${name} (member 0, then each when the one before is ready)` : `${name} (all at once)`
  );
  return `${each.join(', then ')}. They stop in the reverse order.`;
}

/** Errors that members show while they come up and that clear by themselves, and when one of them becomes real. */
function patienceOf({ facts, steps, clock }: Scene, namespace: string, name: string, says: string): string {
  const pod = facts.get('Pod', namespace, name);
  if (!pod) return 'It has not been made yet: it starts when the member before it is ready.';
  if (isReady(pod)) return says ? `It runs. ${says}.` : 'It is ready.';
  const open = steps
    .filter(
      (one) => one.subject === `Pod ${namespace}/${name}` && one.fromMs <= clock.nowMs && (one.toMs === undefined || one.toMs > clock.nowMs)
    )
    .at(-1);
  if (!open) return says || 'It waits; its root line says for what.';
  const forMs = clock.nowMs - open.fromMs;
  const [least, most] = open.normalMs.map((ms) => Math.round(ms / 1000));
  const late = forMs > open.normalMs[1];
  const what = stepSpans[open.step].label;
  return `It ${what}${says ? ` (${says})` : ''} for ${wordsOf(forMs)}; ${least} to ${most} s are normal. ${late ? 'That is too long: look at its root line.' : 'Errors about others that are not there yet clear by themselves until then.'}`;
}

/** Where a form asks for something that was opened: what is open still, by the member that it was opened on. */
function withOpen(
  form: ConsoleForm,
  asks: readonly { id: string; op: { do: string; value?: string | undefined }; status?: { outcome?: string | undefined } }[]
): ConsoleForm {
  const closed = new Set(
    asks.flatMap((one) => (one.op.do === 'close' && one.status?.outcome === 'acknowledged' ? [one.op.value ?? ''] : []))
  );
  const open = asks
    .filter((one) => one.op.do === 'open' && one.status?.outcome === 'acknowledged' && !closed.has(one.id))
    .map((one) => one.id);
  const fields = form.fields.map((field) =>
    field.label === 'opened as' ? { ...field, start: open[0] ?? '', ...(open.length ? { options: open } : {}) } : field
  );
  return { ...form, fields };
}

/** The sheet of one workload. */
export function workloadView(scene: Scene, { namespace, name }: { namespace: string; name: string }) {
  const { facts } = scene;
  const workload = workloadNamed(facts, namespace, name);
  if (!workload) return undefined;
  const { bands } = membersView(scene, { namespace, workload: workload.name });
  const pods = podsIn(facts, workload);
  const rest = facts.list('Rest', namespace).find((one) => one.spec.workload === workload.name);
  const resting = [...workload.sets, ...workload.deployments].some((one) => one.metadata.annotations?.[restedMark] !== undefined);
  const services = new Map(pods.flatMap((pod) => servicesTo(facts, pod)).map((one) => [one.metadata.name, one]));
  const tunnels = facts.list('Tunnel', namespace).filter((one) => services.has(one.spec.service));
  const topics = facts.list('Topic', namespace).filter((one) => one.spec.workload === workload.name);
  const accounts = facts.list('Account', namespace).filter((one) => one.spec.workload === workload.name);
  const withTls = workload.sets.map((set) => servedWithTls(facts, set, `${workload.name}.example`)).find((one) => one);
  const asks = facts
    .list('Ask', namespace)
    .filter((one) => one.spec.workload === workload.name)
    .sort((a, b) => (b.status?.askedMs ?? 0) - (a.status?.askedMs ?? 0))
    .slice(0, 30)
    .map(({ metadata, spec, status }) => ({ id: metadata.name, ...spec, ...(status ? { status } : {}) }));
  const images = [
    ...new Set(
      [...workload.sets, ...workload.deployments, ...workload.daemonSets].flatMap((one) =>
        one.spec.template.spec.containers.map((two) => two.image)
      )
    )
  ].map((image) => ({
    image,
    bytes: imageCard(image).sizeBytes,
    licence: imageCard(image).licence ?? '',
    fits: imageCard(image).versions?.find((one) => one.version === imageTag(image)) ?? null
  }));
  return {
    namespace,
    name: workload.name,
    engine: workload.engine ?? null,
    blueprint:
      bands.find((one) => one.blueprint !== 'stateful set' && one.blueprint !== 'deployment')?.blueprint ?? bands[0]?.blueprint ?? '',
    bands,
    order: orderOf(bands.map((one) => ({ part: one.part, name: one.name, ordered: one.ordered && one.replicas > 1 }))),
    waits: bands.flatMap((band) =>
      band.rows.map((row) => ({
        name: row.name,
        says: patienceOf(scene, namespace, row.name, facts.get('Process', namespace, row.name)?.status?.says ?? '')
      }))
    ),
    services: [...services.values()].map((one) => {
      const { name: service } = one.metadata;
      const outside = one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort';
      const lead = pods.find((pod) => pairsMatch(one.spec.selector, pod.metadata.labels));
      const reached = pods.filter((pod) => pairsMatch(one.spec.selector, pod.metadata.labels)).map((pod) => pod.metadata.name);
      return {
        name: service,
        headless: one.spec.clusterIP === 'None',
        outside,
        addresses: outside
          ? ((one.status as { loadBalancer?: { ingress?: { ip: string }[] } } | undefined)?.loadBalancer?.ingress ?? []).map(
              (two) => two.ip
            )
          : [],
        ports: (one.spec.ports ?? []).map((two) => ({ name: two.name ?? '', port: two.port })),
        members: reached,
        /** Where it is served with certificates only: the name that clients call, and why that fails. */
        called: lead && servesTlsOnly(one, lead) ? nameCalled(facts, one, lead, outside) : '',
        fault: lead ? (listenFault(facts, one, lead, outside) ?? '') : '',
        /** The same service for the inside only, to be sent. */
        inside: outside ? writeManifests([asManifest({ ...one, spec: { ...one.spec, type: 'ClusterIP' } })]) : '',
        tunnel: tunnels.find((two) => two.spec.service === service)?.metadata.name ?? null
      };
    }),
    topics: topics.map((one) => {
      const ready = conditionOf(one.status?.conditions, 'Ready');
      return {
        name: one.metadata.name,
        partitions: one.spec.partitions,
        copies: one.spec.copies,
        ready: ready?.status === 'True',
        says: ready?.message ?? 'waits for the helper'
      };
    }),
    accounts: accounts.map((one) => {
      const ready = conditionOf(one.status?.conditions, 'Ready');
      return { name: one.metadata.name, ready: ready?.status === 'True', says: ready?.message ?? 'waits for the helper' };
    }),
    /** The workload with certificates on what is open in plain, to be sent; '' where that isn't to be had. */
    withTls: withTls ? writeManifests(withTls) : '',
    rest: rest ? (rest.status?.stage ?? 'stops') : resting ? 'wakes' : null,
    restName: rest?.metadata.name ?? null,
    forms: workload.engine ? consoleForms[workload.engine].map((one) => withOpen(one, asks)) : [],
    asks,
    images
  };
}

export type WorkloadSheet = NonNullable<ReturnType<typeof workloadView>>;

/** Lines of the logs of a workload's members, newest last, up to the clock's head. */
export function logsView(
  { lines, clock, facts }: Scene,
  {
    namespace,
    name,
    text = '',
    member,
    grave = false
  }: { namespace: string; name: string; text?: string; member?: string; grave?: boolean }
) {
  const workload = workloadNamed(facts, namespace, name);
  const mine = (subject: string): boolean => {
    const pod = subject.slice(`Pod ${namespace}/`.length);
    if (!subject.startsWith(`Pod ${namespace}/`)) return false;
    if (member !== undefined) return pod === member;
    return (
      workload !== undefined &&
      [...workload.sets, ...workload.deployments, ...workload.daemonSets].some((one) => pod.startsWith(`${one.metadata.name}-`))
    );
  };
  const wanted = text.toLowerCase();
  const found = lines.filter(
    (one) =>
      one.atMs <= clock.nowMs &&
      (!grave || one.grave) &&
      mine(one.subject) &&
      (!wanted || `${one.subject} ${one.text}`.toLowerCase().includes(wanted))
  );
  return {
    total: found.length,
    lines: found.slice(-400).map(({ atMs, subject, text: says, grave }) => ({
      atMs,
      at: momentIn(facts, atMs),
      member: subject.slice(subject.indexOf('/') + 1),
      text: says,
      grave
    }))
  };
}
