import { faultNamed, faults, goneOf } from '$core/drills';
import { clockOf, plural, wordsOf } from '$core/shared';
import { calculationNamed, shown, sizedBy } from '$core/sizing';
import type { KeptProof } from '../repositories/proofs';
import type { KeptSizing } from '../repositories/sizings';
import type { ReportParts as Parts } from '../views/report';
import { mdTable as table } from './markdown';
import type { ShownDrill } from './drills';

type Proved = KeptProof & { readonly stale: boolean };

const title = (one: ShownDrill): string => faultNamed(one.fault)?.title ?? one.fault;
const upper = (text: string): string => (text ? text[0]!.toUpperCase() + text.slice(1) : text);
const full = (text: string): string => (/[.!?]$/.test(text) ? text : `${text}.`);

function survives(drills: readonly ShownDrill[]): string {
  const fresh = drills.filter((one) => !one.stale);
  if (!drills.length) return 'never drilled';
  const worse = fresh.filter((one) => one.state === 'worse');
  const stale = drills.length - fresh.length;
  const counted = stale ? [`${stale} stale, which count for nothing`] : [];
  if (!fresh.length) return counted[0]!;
  const well = `${fresh.length - worse.length} of ${plural(fresh.length, 'drill')} as expected or better`;
  return [well, ...(worse.length ? [`worse: ${worse.map(title).join(', ')}`] : []), ...counted].join('; ');
}

function backedUp({ backup }: Parts): string {
  if (!backup?.plans.length) return 'no plan copies it';
  return backup.plans
    .map(({ name, figures, latestMs, returns }) => {
      const back = returns.filter((one) => one.phase === 'Done');
      return [
        `plan ${name}`,
        latestMs === null ? 'never copied yet' : `last copy of ${clockOf(latestMs)}`,
        figures.couldLoseMs === null ? 'everything could be lost' : `${wordsOf(figures.couldLoseMs)} can be lost`,
        back.length
          ? `put back ${plural(back.length, 'time')}${figures.measuredMs === null ? '' : `, in ${wordsOf(figures.measuredMs)}`}`
          : 'never put back'
      ].join(', ');
    })
    .join('; ');
}

function askedFor({ backup }: Parts): string {
  const { losesMs, backMs } = backup?.asked ?? {};
  const said = [
    ...(losesMs === undefined ? [] : [`at most ${wordsOf(losesMs)} lost`]),
    ...(backMs === undefined ? [] : [`back within ${wordsOf(backMs)}`])
  ];
  return said.length ? said.join(', ') : 'nothing is written down';
}

function sized(sizings: readonly KeptSizing[]): string {
  const told = sizings.flatMap(({ name, calc, written }) => {
    const found = calculationNamed(calc) && sizedBy(calculationNamed(calc)!, written);
    return found && !('faults' in found) ? [`${name}: ${found.headline}`] : [];
  });
  return told.length ? told.join(' ') : 'nothing is kept';
}

/** When the volume that is filled most is full, as it has filled so far. */
function room({ members, fullest }: Parts): string {
  if (!members.some((one) => one.claims.length)) return 'it has no volumes';
  if (!fullest) return 'how its volumes fill is not seen';
  const { claim, share, days } = fullest;
  const full = `${claim} is ${shown('share', share)} full`;
  if (share >= 1) return `now: ${full}`;
  if (!days) return `${full}, and does not fill`;
  const [soonest, latest] = [days.soonest, days.latest].map((one) => (one === undefined ? 'never' : shown('time', one * 86_400)));
  return `${full}, and wholly in ${shown('time', days.days * 86_400)} as it has filled so far (${soonest} to ${latest})`;
}

/** A month of it, by each price list that is kept. */
function monthly({ namespace, name }: Parts, lists: Tried['costs']): string {
  if (!lists.length) return 'no price list is kept';
  return lists
    .map(({ list, unit, workloads }) => {
      const found = workloads.find((one) => one.namespace === namespace && one.name === name);
      return found ? `${found.total.toFixed(2)} ${unit} a month by ${list}` : `nothing by ${list}`;
    })
    .join('; ');
}

const openWords = ({ open, accepted }: Parts): string =>
  [open.length ? plural(open.length, 'finding') : 'no finding', ...(accepted.length ? [`${accepted.length} accepted`] : [])].join(', ');

/** For people who don't know clusters: what it is, what it survives, how fresh its copy is, what is open. */
function summary(parts: Parts, { drills, proofs }: Tried): string {
  const ready = parts.members.filter((one) => one.ready).length;
  const fresh = drills.filter((one) => !one.stale);
  const worse = fresh.filter((one) => one.state === 'worse').length;
  const lost = fresh.filter((one) => (one.measured.lostCount ?? 0) > 0).length;
  const unseen = fresh.filter((one) => one.measured.lostCount === null).length;
  const losses = lost
    ? `in ${lost} something that was acknowledged was lost`
    : unseen
      ? 'and nothing that was acknowledged was seen to be lost'
      : 'and nothing that was acknowledged was lost';
  const held = proofs.filter((one) => !one.stale && one.state === 'holds').length;
  const could = parts.backup?.plans.map((one) => one.figures.couldLoseMs) ?? [];
  const best = could.some((one) => one !== null) ? Math.min(...could.flatMap((one) => one ?? [])) : null;
  return [
    `${upper(parts.kind)} of ${plural(parts.members.length, 'member')}; ${ready === parts.members.length ? 'all run' : `${ready} run`}.`,
    proofs.length ? `${held} of ${plural(proofs.length, 'proof')} hold.` : 'Nothing of it was proved.',
    fresh.length
      ? `${plural(fresh.length, 'fault')} ${fresh.length === 1 ? 'was' : 'were'} tried: ${worse ? `${worse} came out worse than expected` : 'none came out worse than expected'}, ${losses}${unseen ? `; in ${unseen} what was lost could not be seen` : ''}.`
      : 'No fault was tried on it.',
    parts.backup?.plans.length
      ? best === null
        ? 'Its copies would bring nothing back yet.'
        : `At most ${wordsOf(best)} of work are not in a copy.`
      : 'It has no backup.',
    parts.open.length ? `${plural(parts.open.length, 'finding')} ${parts.open.length === 1 ? 'is' : 'are'} open.` : 'No finding is open.'
  ].join(' ');
}

/** One fault as it is met: how it shows, what happens by itself, what to do, how to see that it is whole. All from what a drill measured. */
function runbook(one: ShownDrill): string {
  const { writesPauseMs, readsPauseMs, lostCount, wholeMs } = one.measured;
  const gone = goneOf(one.measured);
  const lost =
    lostCount === null
      ? 'what was lost could not be seen'
      : lostCount
        ? `${plural(lostCount, 'acknowledged write')} lost${gone ? `, ${gone} for good` : ''}`
        : 'nothing acknowledged is lost';
  const rows = [
    [
      'shows as',
      one.cause ? full(upper(one.cause.says)) : writesPauseMs ? 'Writes stand still; no root line breaks.' : 'Nothing that clients feel.'
    ],
    [
      'by itself',
      `${writesPauseMs ? `Writes pause ${wordsOf(writesPauseMs)}` : 'Writes go on'}, ${readsPauseMs ? `reads ${wordsOf(readsPauseMs)}` : 'reads go on'}; ${lost}. ${wholeMs === null ? 'Members did not all hold again while it was watched.' : `All members hold ${wholeMs < 2_000 ? 'at once' : `${wordsOf(wholeMs)} after`} it is over.`}`
    ],
    [
      'do',
      one.cause?.remedy
        ? full(one.cause.remedy)
        : wholeMs === null
          ? 'See the root line of the member that waits.'
          : 'Nothing, unless it lasts.'
    ],
    [
      'whole when',
      `All members are ready, and writes are accepted again${one.others.length ? `; look at ${one.others.join(', ')}, too` : ''}.`
    ]
  ];
  return `### ${upper(title(one))}: ${one.target}${one.stale ? ' (stale)' : ''}\n\n${table(['', ''], rows)}`;
}

function reportText(id: string, parts: Parts, evidence: Tried): string {
  const { name, namespace } = parts;
  const classes = [...new Set(parts.members.flatMap((one) => one.claims.map((two) => `${two.class} · ${two.driver}`)))].filter(
    (one) => one.length > 3
  );
  const members = parts.members.map((one) => [
    one.name,
    one.zone,
    one.node,
    one.ready ? 'ready' : 'not ready',
    one.claims.map((two) => `${shown('bytes', two.bytes)}${two.fill === null ? '' : `, ${shown('share', two.fill)} full`}`).join('; ')
  ]);
  const ways = parts.services.map((one) => [
    one.name,
    one.outside ? 'outside' : 'inside',
    one.ports.map((two) => String(two.port)).join(', '),
    [...one.addresses, ...(one.called ? [`called ${one.called}, with a certificate`] : [])].join('; ')
  ]);
  return `# ${name} on ${id}

Handed over at ${clockOf(parts.nowMs)} of the rehearsal's clock, from namespace ${namespace}. ${parts.read ? 'It is what an export shows; nothing was rehearsed.' : 'All of it was rehearsed on a simulated stand-in, not on the cluster itself.'}${parts.supposed.length ? ` What was tried rests on suppositions: ${parts.supposed.join('; ')}.` : ''}

${summary(parts, evidence)}

${table(
  ['', ''],
  [
    ['Survives', survives(evidence.drills)],
    ['Backup', backedUp(parts)],
    ['Asked for', askedFor(parts)],
    ['More room', room(parts)],
    ['Sizing', sized(evidence.sizings)],
    ['Costs', monthly(parts, evidence.costs)],
    ['Open', openWords(parts)]
  ]
)}
## How it stands

${table(['member', 'zone', 'node', '', 'volumes'], members)}
${classes.length ? `Volumes: ${classes.join('; ')}.\n` : ''}
${table(['reached as', 'from', 'ports', ''], ways)}
${table(
  ['program', 'version', 'licence'],
  parts.images.map((one) => [one.image, one.version, one.licence])
)}
${parts.secrets.length ? `Credentials are in ${parts.secrets.map((one) => `\`${one}\``).join(', ')}; their values are not in this report.\n` : ''}
## How it was checked

${table(
  ['proof', '', 'what was seen'],
  evidence.proofs.map((one) => [one.title, one.stale ? 'stale' : one.state, one.says])
)}
## If it breaks

${evidence.drills.length ? `From drills on the stand-in; times as they were measured there.\n\n${evidence.drills.map(runbook).join('\n')}` : 'Nothing was drilled, so nothing can be said from experience.\n'}
## What is open

${table(
  ['object', 'finding', 'what to do'],
  parts.open.map((one) => [one.object, one.message, one.remedy])
)}
${
  parts.accepted.length
    ? `Accepted:\n\n${table(
        ['object', 'finding', 'reason', 'until'],
        parts.accepted.map((one) => [one.object, one.message, one.accepted.reason, one.accepted.until ?? ''])
      )}`
    : ''
}`;
}

/** What was tried of a rehearsal, and what is kept for its cluster: looked up once for all of its workloads. */
export interface Tried {
  readonly proofs: readonly Proved[];
  readonly drills: readonly ShownDrill[];
  readonly sizings: readonly KeptSizing[];
  /** A month by each price list that is kept. */
  readonly costs: readonly {
    readonly list: string;
    readonly unit: string;
    readonly workloads: readonly { readonly namespace: string; readonly name: string; readonly total: number }[];
  }[];
}

const order = new Map(faults.map((one, i) => [one.id, i]));

/** The report of one workload, as Markdown. */
export function reportOf(id: string, parts: Parts, { proofs, drills, sizings, costs }: Tried): string {
  const { name, namespace } = parts;
  return reportText(id, parts, {
    proofs: proofs.filter((one) => one.namespace === namespace && one.set === name),
    drills: drills
      .filter((one) => one.namespace === namespace && one.workload === name)
      .sort((a, b) => order.get(a.fault)! - order.get(b.fault)!),
    sizings: sizings.filter((one) => one.of?.namespace === namespace && one.of.name === name),
    costs
  });
}
