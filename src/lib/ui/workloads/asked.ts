import { plural } from '$core/shared';
import type { WorkloadSheet } from '$server/views/workload';

type Op = WorkloadSheet['asks'][number]['op'];
type Forms = readonly Pick<WorkloadSheet['forms'][number], 'do' | 'fields'>[];

/** So much of a text is shown; made up. */
const longest = 40;
const counted = (label: string, n: number) => plural(n, label.replace(/s$/, ''), label);

/** A topic's wishes, which are kept as JSON; undefined where they are none. */
function wishes(text: string): string[] | undefined {
  try {
    const { replicas, least } = JSON.parse(text) as { replicas?: unknown; least?: unknown };
    return [
      ...(typeof replicas === 'number' ? [plural(replicas, 'replica')] : []),
      ...(typeof least === 'number' ? [`at least ${least} of them caught up`] : [])
    ];
  } catch {
    return undefined;
  }
}

/** An ask in one line: `produce gate-scans “gate 4”, acknowledged by all`. Figures bear the words that their form has for them. */
export function askedText(op: Op, forms: Forms): string {
  const labels = new Map(forms.find((one) => one.do === op.do)?.fields.map((one) => [one.id, one.label]));
  const { value = '' } = op;
  const figures: string[] = [];
  let said = '';
  if (op.count !== undefined) figures.push(labels.has('count') ? counted(labels.get('count')!, op.count) : String(op.count));
  if (op.bytes !== undefined) figures.push(plural(op.bytes, 'byte'));
  const wished = op.do === 'make-topic' ? wishes(value) : undefined;
  if (wished) figures.push(...wished);
  else if (labels.get('value') === 'replicas' && /^\d+$/.test(value)) figures.push(counted('replicas', Number(value)));
  else if (value) said = `“${value.length > longest ? `${value.slice(0, longest - 1)}…` : value}”`;
  const how = [
    op.acks ? `${labels.get('acks') ?? 'acknowledged by'} ${op.acks}` : '',
    op.from ? `from the ${op.from}` : '',
    op.group ? `for the group ${op.group}` : ''
  ].filter(Boolean);
  return [[op.do, op.place, op.key, said].filter(Boolean).join(' '), ...figures, ...how].join(', ');
}
