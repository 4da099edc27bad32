import { clockOf, plural, wordsOf } from '$core/shared';
import { faultNamed, goneOf } from '$core/drills';
import { calculationNamed, sizedBy } from '$core/sizing';
import { csvText } from '../csv';
import { drillHeads, drillRow } from '../drill-table';
import type { KeptProof } from '../repositories/proofs';
import type { KeptSizing } from '../repositories/sizings';
import type { Queries } from '../views';
import { done, notFound, refused, type Answer } from './answer';
import { shownDrill, type DrillService, type ShownDrill } from './drills';
import { mdTable } from './markdown';
import type { RehearsalService } from './rehearsals';
import { reportOf, type Tried } from './report';

type Parts = ReturnType<Queries['bundle']>;
/** One file of a bundle. */
export interface BundleFile {
  readonly name: string;
  readonly text: string;
}
type Proved = KeptProof & { readonly stale: boolean };

/** A sizing as it is handed over: what stands in it, and what it comes to. */
function comesTo({ name, calc, of, written }: KeptSizing) {
  const known = calculationNamed(calc);
  const found = known && sizedBy(known, written);
  const figures = found && 'figures' in found ? found.figures.map(({ label, text, range }) => ({ label, text, range })) : [];
  return { name, calc, of: of ?? null, written, says: found && 'headline' in found ? found.headline : '', figures };
}
const json = (value: unknown): string => `${JSON.stringify(value, null, 2)}\n`;
/** How a drill came out, in half a sentence. */
function drillWords(one: ShownDrill): string {
  const { writesPauseMs, lostCount } = one.measured;
  const lost = lostCount === null ? 'losses unseen' : lostCount ? `${plural(lostCount, 'write')} lost` : 'nothing lost';
  const gone = goneOf(one.measured);
  return `writes paused ${wordsOf(writesPauseMs)}, ${lost}${gone ? `, ${gone} for good` : ''}`;
}

/** What somebody reads first: what is in the bundle, how it was checked, and what is missing on purpose. */
function startPage(
  id: string,
  namespace: string | undefined,
  parts: Parts,
  proofs: readonly Proved[],
  drills: readonly ShownDrill[]
): string {
  const of = (one: { readonly namespace: string; readonly name: string }) => ({
    proofs: proofs.filter((two) => two.namespace === one.namespace && two.set === one.name),
    drills: drills.filter((two) => two.namespace === one.namespace && two.workload === one.name),
    backup: parts.backups.find((two) => two.namespace === one.namespace && two.name === one.name)
  });
  const rows = parts.workloads.map((one) => {
    const its = of(one);
    const held = its.proofs.filter((two) => two.state === 'holds' && !two.stale).length;
    const well = its.drills.filter((two) => two.state !== 'worse' && !two.stale).length;
    const stale = [...its.proofs, ...its.drills].filter((two) => two.stale).length;
    const plans = its.backup?.plans ?? [];
    const restored = plans.flatMap((plan) => plan.returns.filter((two) => two.phase === 'Done')).length;
    return [
      `${one.namespace}/${one.name}`,
      one.kind,
      `${one.ready} of ${one.members}`,
      its.proofs.length ? `${held} of ${its.proofs.length}` : 'never run',
      its.drills.length ? `${well} of ${its.drills.length}` : 'never run',
      stale ? String(stale) : '',
      plans.length ? `${plural(plans.length, 'plan')}, ${restored ? plural(restored, 'return') : 'never put back'}` : 'no plan'
    ];
  });
  const worse = drills
    .filter((one) => one.state === 'worse')
    .map((one) => [
      `${one.namespace}/${one.workload}`,
      faultNamed(one.fault)?.title ?? one.fault,
      drillWords(one),
      one.cause?.says ?? '',
      one.stale ? 'stale' : ''
    ]);
  const secrets = parts.secrets.map((one) => [`${one.namespace}/${one.name}`, one.keys.join(', ')]);
  return `# ${namespace === undefined ? '' : `${namespace} of `}${id}

Handed over at ${clockOf(parts.nowMs)} of the rehearsal's clock. Everything in here was rehearsed on a simulated stand-in of the cluster, not on the cluster
itself: what was proved and drilled says what follows from these manifests there.

Cluster version ${parts.cluster}; engine ${parts.engine} of the stand-in.

## What is in here

- \`reports/\`: a report of each workload: what it is and survives, what to do when it breaks, what is open.
- \`manifests.yaml\`: ${plural(parts.count, 'manifest')}, in the order of sending.
${parts.ground ? '- `ground.yaml`: the place that it was rehearsed on; a cluster can be laid out from it.\n' : ''}- \`evidence/proofs.json\`, \`evidence/drills.json\`, \`evidence/drills.csv\`, \`evidence/backups.json\`: what was tried, with its figures.
- \`sizings.json\`, \`prices/\`: sizings and price lists that are kept, where there are any.
- \`findings.json\`: what the checker still says (${parts.findings.length}), and what was accepted with a reason (${parts.accepted.length}).

## Workloads

Drills count where they came out as expected or better. What is stale was tried before something of the workload changed, and counts for nothing.

${mdTable(['workload', 'what it is', 'members ready', 'proofs that hold', 'drills', 'stale', 'backup'], rows)}
## Drills that came out worse

${mdTable(['workload', 'fault', 'what happened', 'first break', ''], worse)}
## Accepted findings

${mdTable(
  ['object', 'rule', 'reason', 'until'],
  parts.accepted.map((one) => [one.object, one.rule, one.accepted.reason, one.accepted.until ?? ''])
)}
## What is missing on purpose

The values of secrets. Whoever sends the manifests has to fill in these keys first.

${mdTable(['secret', 'keys'], secrets)}`;
}

/** What is handed over: reports, and bundles that are the same for the same state. */
export const handover = ({
  rehearsals,
  drills,
  keptProofs,
  sizingsOf
}: {
  readonly rehearsals: RehearsalService;
  readonly drills: DrillService;
  readonly keptProofs: (id: string) => Promise<Answer<Proved[]>>;
  readonly sizingsOf: (cluster: string) => Promise<KeptSizing[]>;
}) => {
  async function tried(id: string): Promise<Answer<Tried>> {
    const [proofs, all] = [await keptProofs(id), await drills.kept(id)];
    if (!proofs.ok) return proofs;
    if (!all.ok) return all;
    const sizings = await sizingsOf(id.split('~')[0]!);
    const costs = await Promise.all(
      sizings
        .filter((one) => one.calc === 'cost')
        .map(async ({ name, written }) => {
          const found = await rehearsals.ask(id, 'cost', { prices: written.prices ?? '', today: '' });
          return found.ok && found.value.bill ? [{ list: name, unit: found.value.bill.unit, workloads: found.value.bill.workloads }] : [];
        })
    );
    return done({ proofs: proofs.value, drills: all.value.map(shownDrill), sizings, costs: costs.flat() });
  }
  return {
    /** The report of one workload, as Markdown. */
    async report(
      id: string,
      { namespace, workload }: { namespace: string; workload: string }
    ): Promise<Answer<{ name: string; text: string }>> {
      const parts = await rehearsals.ask(id, 'report', { namespace, workload });
      if (!parts.ok) return parts;
      if (!parts.value) return refused(notFound(`The workload ${namespace}/${workload}`));
      const all = await tried(id);
      return all.ok ? done({ name: `${parts.value.name}-on-${id.replace('~', '-')}`, text: reportOf(id, parts.value, all.value) }) : all;
    },
    /** The files of a bundle: a page to start from, reports, manifests, the place, evidence, findings. No value of a secret is in any of them. */
    async bundle(id: string, namespace?: string): Promise<Answer<{ name: string; files: BundleFile[] }>> {
      const parts = await rehearsals.ask(id, 'bundle', { namespace });
      if (!parts.ok) return parts;
      const all = await tried(id);
      if (!all.ok) return all;
      const sorted = <T extends { readonly namespace: string }>(list: readonly T[], keyOf: (one: T) => string): T[] =>
        list
          .filter((one) => namespace === undefined || one.namespace === namespace)
          .map((one) => ({ one, key: `${one.namespace}/${keyOf(one)}` }))
          .sort((a, b) => (a.key < b.key ? -1 : 1))
          .map(({ one }) => one);
      const proved = sorted(all.value.proofs, (one) => `${one.set}/${one.id}`);
      const drilled = sorted(all.value.drills, (one) => `${one.workload}/${one.fault}`);
      const { value } = parts;
      const sizings = all.value.sizings.filter((one) => namespace === undefined || !one.of || one.of.namespace === namespace);
      const lists = sizings.filter((one) => one.calc === 'cost');
      const others = sizings.filter((one) => one.calc !== 'cost');
      const files = [
        { name: 'START.md', text: startPage(id, namespace, value, proved, drilled) },
        ...value.reports.map((one) => ({ name: `reports/${one.namespace}-${one.name}.md`, text: reportOf(id, one, all.value) })),
        { name: 'manifests.yaml', text: value.manifests },
        ...(value.ground ? [{ name: 'ground.yaml', text: value.ground }] : []),
        { name: 'evidence/proofs.json', text: json(proved) },
        { name: 'evidence/drills.json', text: json(drilled.map(({ cause, ...one }) => ({ ...one, cause: cause?.says ?? null }))) },
        { name: 'evidence/drills.csv', text: csvText(drillHeads, drilled.map(drillRow)) },
        { name: 'evidence/backups.json', text: json(value.backups) },
        ...(others.length ? [{ name: 'sizings.json', text: json(others.map(comesTo)) }] : []),
        ...lists.map((one, i) => ({
          name: `prices/${i + 1}.yaml`,
          text: `# ${one.name.replaceAll(/\s+/g, ' ')}\n${one.written.prices ?? ''}`
        })),
        { name: 'findings.json', text: json({ open: value.findings, accepted: value.accepted }) }
      ];
      return done({ name: `${id.replace('~', '-')}${namespace === undefined ? '' : `-${namespace}`}`, files });
    }
  };
};
