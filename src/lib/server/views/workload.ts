import { servedWithTls } from '$core/blueprints';
import { asManifest, writeManifests } from '$core/manifest';
import { conditionOf, isReady, momentIn, pairsMatch } from '$core/model';
import { podsIn, workloadNamed } from '$core/proofs';
import {
  engineCards,
  imageCard,
  imageTag,
  listenFault,
  nameCalled,
  outsidePlaces,
  partRank,
  restedMark,
  servesTlsOnly,
  servicesTo,
  stepSpans,
  type ConsoleForm,
  type EnginePart
} from '$core/standin';
import { wordsOf } from '$core/shared';
import { membersView } from './members';
import type { Scene } from './scene';

/** In which order the parts start, in a sentence. */
function orderOf(parts: readonly { part: EnginePart | undefined; name: string; ordered: boolean }[]): string {
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
    order: orderOf(bands.map((one) => ({ part: one.enginePart, name: one.name, ordered: one.ordered && one.replicas > 1 }))),
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
        addresses: outside ? outsidePlaces(facts, one) : [],
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
    forms: workload.engine ? engineCards[workload.engine].forms.map((one) => withOpen(one, asks)) : [],
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
