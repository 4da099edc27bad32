import { isTimeZone, scheduleFault } from '../shared';
import { nameFault, ordinalsOf, selectorMatches, type LabelSelector, type StatefulSet } from '../model';
import type { At } from './at';
import { selector } from './metadata';
import { podTemplate } from './pods';
import { claimSpec } from './storage';
import { shareOf } from './words';

const always = ['Always'];
/** What a deployment waits for progress where it doesn't say. Source: DeploymentSpec v1 apps, progressDeadlineSeconds. */
const usualDeadline = 600;

const noDeadline = (at: At): void =>
  at.of('spec', 'template', 'spec', 'activeDeadlineSeconds').forbid("isn't taken in a template of pods that run on");

/** A share such as 1 or "25%". Gives it, where it is one. Source: IntOrString of the field. */
function share(at: At, mostPercent = Infinity): ReturnType<typeof shareOf> {
  if (!at.there) return undefined;
  const value = shareOf(at.value);
  if (!value)
    at.refuseValue('is neither a whole number from 0 on nor a percentage', 'Write a number such as 1, or a percentage such as "25%".');
  else if (value.percent && value.count > mostPercent)
    at.refuse(`is ${value.count} %; at most ${mostPercent} % is taken`, `Write at most "${mostPercent}%".`);
  return value;
}

/** A selector that finds the pods of its own template. */
function ownSelector(spec: At): void {
  const at = spec.of('selector');
  selector(at);
  const asked = at.value as LabelSelector;
  if (!Object.keys(asked.matchLabels ?? {}).length && !asked.matchExpressions?.length)
    at.refuse('is empty', 'Name the labels of the template under matchLabels.', 'selector-labels');
  else if (!selectorMatches(asked, spec.of('template', 'metadata', 'labels').value as Record<string, string> | undefined))
    at.refuse(
      'does not match the labels of the template, so it would never find its own pods',
      'Give spec.template.metadata.labels every pair that spec.selector.matchLabels names.',
      'selector-labels'
    );
}

function counts(spec: At, ...fields: readonly string[]): void {
  for (const field of fields) spec.of(field).between(0);
}

/** Source: StatefulSetSpec v1 apps. */
export function statefulSet(at: At): void {
  const spec = at.of('spec');
  counts(spec, 'replicas', 'minReadySeconds', 'revisionHistoryLimit');
  ownSelector(spec);
  spec.of('podManagementPolicy').oneOf(['OrderedReady', 'Parallel']);
  const strategy = spec.of('updateStrategy');
  strategy.of('type').oneOf(['RollingUpdate', 'OnDelete']);
  if (strategy.of('type').text === 'OnDelete') strategy.of('rollingUpdate').forbid('goes with type RollingUpdate only');
  strategy.of('rollingUpdate', 'partition').between(0);
  const away = strategy.of('rollingUpdate', 'maxUnavailable');
  if (share(away, 100)?.count === 0) away.refuse('is 0; nobody could be replaced', 'Write 1 or more.');
  for (const field of ['whenDeleted', 'whenScaled']) spec.of('persistentVolumeClaimRetentionPolicy', field).oneOf(['Retain', 'Delete']);
  spec.of('ordinals', 'start').between(0);
  const templates = spec.of('volumeClaimTemplates');
  const provided = templates.items.map((one) => one.of('metadata', 'name').text ?? '');
  templates.unique((one) => one.of('metadata', 'name').text, 'claim template called');
  for (const one of templates.items) claimSpec(one.of('spec'));
  podTemplate(spec.of('template'), always, provided);
  noDeadline(at);
  const longest = `${at.of('metadata', 'name').text ?? ''}-${ordinalsOf(at.value as StatefulSet).at(-1) ?? 0}`;
  if (nameFault(longest, 'label'))
    at.of('metadata', 'name').refuse(
      `makes a member "${longest}", which would not be a valid host name`,
      'Shorten the name: with its ordinal it may have 63 characters and no dots.',
      'bad-name'
    );
}

/** Source: DeploymentSpec v1 apps. */
export function deployment(at: At): void {
  const spec = at.of('spec');
  counts(spec, 'replicas', 'minReadySeconds', 'revisionHistoryLimit', 'progressDeadlineSeconds');
  ownSelector(spec);
  const strategy = spec.of('strategy');
  strategy.of('type').oneOf(['RollingUpdate', 'Recreate']);
  const rolling = strategy.of('rollingUpdate');
  if (strategy.of('type').text === 'Recreate') rolling.forbid('goes with type RollingUpdate only');
  const away = share(rolling.of('maxUnavailable'), 100);
  const more = share(rolling.of('maxSurge'));
  if (away?.count === 0 && more?.count === 0)
    rolling.of('maxUnavailable').refuse('is 0 while maxSurge is 0; nobody could be replaced', 'Let one of them be 1 or more.');
  const ready = spec.of('minReadySeconds').number ?? 0;
  const deadline = spec.of('progressDeadlineSeconds');
  if ((deadline.number ?? usualDeadline) <= ready)
    deadline.refuse(`is ${deadline.number ?? usualDeadline}; it must be more than minReadySeconds, ${ready}`, `Write more than ${ready}.`);
  podTemplate(spec.of('template'), always);
  noDeadline(at);
}

/** Source: DaemonSetSpec v1 apps. */
export function daemonSet(at: At): void {
  const spec = at.of('spec');
  counts(spec, 'minReadySeconds', 'revisionHistoryLimit');
  ownSelector(spec);
  const strategy = spec.of('updateStrategy');
  strategy.of('type').oneOf(['RollingUpdate', 'OnDelete']);
  const rolling = strategy.of('rollingUpdate');
  if (rolling.there) {
    const away = share(rolling.of('maxUnavailable'), 100) ?? { count: 1 };
    const more = share(rolling.of('maxSurge'), 100) ?? { count: 0 };
    if (away.count === 0 && more.count === 0)
      rolling.of('maxUnavailable').refuse('is 0 while maxSurge is 0; nobody could be replaced', 'Let one of them be 1 or more.');
    else if (away.count > 0 && more.count > 0)
      rolling
        .of('maxSurge')
        .refuse('is more than 0 while maxUnavailable is; one of the two has to be 0', 'Write maxUnavailable: 0, or leave maxSurge out.');
  }
  podTemplate(spec.of('template'), always);
  noDeadline(at);
}

/** Source: JobSpec v1 batch. */
export function job(at: At): void {
  const spec = at.of('spec');
  counts(
    spec,
    'parallelism',
    'completions',
    'backoffLimit',
    'activeDeadlineSeconds',
    'ttlSecondsAfterFinished',
    'backoffLimitPerIndex',
    'maxFailedIndexes'
  );
  const mode = spec.of('completionMode');
  mode.oneOf(['NonIndexed', 'Indexed']);
  if (mode.text === 'Indexed' && !spec.of('completions').there)
    spec.of('completions').refuse('is missing; Indexed counts up to it', 'Add it.', 'missing-field');
  spec.of('podReplacementPolicy').oneOf(['TerminatingOrFailed', 'Failed']);
  if (spec.of('selector').there && !spec.of('manualSelector').isTrue)
    spec.of('selector').refuse('is chosen by the cluster unless manualSelector is true', 'Leave it out.');
  podTemplate(spec.of('template'), ['OnFailure', 'Never']);
}

/** How long a schedule's name may be: its jobs' names have eleven characters more. Source: "CronJob", job names. */
const longestCron = 52;

/** When something is begun: five fields, and a time zone. Source: the cluster API's "CronJob", schedule syntax. */
export function schedule(spec: At): void {
  if (spec.of('schedule').need('0 3 * * *')) spec.of('schedule').follows(scheduleFault, 'Write five fields, e.g. 0 3 * * *.');
  if (spec.of('timeZone').text !== undefined)
    spec
      .of('timeZone')
      .follows(
        (name) => (isTimeZone(name) ? undefined : 'is no time zone that is known'),
        'Write one of the time zone database, e.g. Etc/UTC.'
      );
}

/** Source: CronJobSpec v1 batch; "CronJob". */
export function cronJob(at: At): void {
  const spec = at.of('spec');
  counts(spec, 'startingDeadlineSeconds', 'successfulJobsHistoryLimit', 'failedJobsHistoryLimit');
  schedule(spec);
  spec.of('concurrencyPolicy').oneOf(['Allow', 'Forbid', 'Replace']);
  const name = at.of('metadata', 'name');
  if ((name.text?.length ?? 0) > longestCron)
    name.refuse(`has ${name.text!.length} characters; a CronJob's name may have ${longestCron}`, 'Shorten it.', 'bad-name');
  job(spec.of('jobTemplate'));
}

/** Source: PodDisruptionBudgetSpec v1 policy. */
export function budget(at: At): void {
  const spec = at.of('spec');
  selector(spec.of('selector'));
  for (const field of ['minAvailable', 'maxUnavailable']) share(spec.of(field), 100);
  if (spec.of('minAvailable').there && spec.of('maxUnavailable').there)
    spec.of('maxUnavailable').refuse('stands beside minAvailable; a budget has one of the two', 'Keep one of the two.');
  spec.of('unhealthyPodEvictionPolicy').oneOf(['IfHealthyBudget', 'AlwaysAllow']);
}
