/** Why the scheduler leaves nodes out. */
export type VerdictKind =
  | 'resource'
  | 'pods'
  | 'taint'
  | 'closed'
  | 'selector'
  | 'affinity'
  | 'anti-affinity'
  | 'spread'
  | 'volume-zone'
  | 'no-volume'
  | 'lost-volume'
  | 'capacity'
  | 'volume-count'
  | 'claim-going'
  | 'claim-missing'
  | 'unbound'
  | 'ports'
  | 'gated'
  | 'other';

/** Some nodes, and why none of them will do. */
export interface VerdictPart {
  readonly kind: VerdictKind;
  /** How many nodes it holds for; undefined where the message counts none. */
  readonly nodes?: number;
  readonly phrase: string;
  /** The resource, taint or claim that it names. */
  readonly detail?: string;
}

/** The scheduler's message, taken apart. */
export interface Verdict {
  readonly of?: number;
  readonly parts: readonly VerdictPart[];
  /** What it says of making room by taking others away. */
  readonly preemption?: string;
}

/** Phrases of the scheduler's plugins. Source: the scheduler's own reasons, as its plugins word them; the meaning is looked for, as they differ. */
export const phrases: readonly (readonly [VerdictKind, RegExp])[] = [
  ['claim-going', /persistentvolumeclaim "([^"]+)" is being deleted/i],
  ['claim-missing', /persistentvolumeclaim "([^"]+)" not found/i],
  ['unbound', /unbound immediate persistentvolumeclaims?|binding volumes|pod has unbound/i],
  ['gated', /scheduling is blocked|non-empty scheduling gates|waiting for scheduling gates/i],
  ['lost-volume', /non-?existent (persistentvolume|pv)/i],
  ['no-volume', /find available persistent volumes to bind/i],
  ['volume-zone', /volume node affinity conflict|no available volume zone|match volume'?s? node affinity/i],
  ['capacity', /enough free storage|storage capacity/i],
  ['volume-count', /max(imum)? volume count|too many volumes/i],
  ['closed', /were unschedulable|node\(s\) unschedulable/i],
  ['taint', /taints?\b(?:[^{]*\{([^}]*)\})?/i],
  ['pods', /too many pods/i],
  ['resource', /insufficient ([\w./-]+)/i],
  ['spread', /topology spread constraints?|max ?skew/i],
  ['anti-affinity', /anti-affinity/i],
  ['affinity', /pod affinity( rules)?/i],
  ['selector', /node affinity|node selector|match nodeselector|nodename|didn't match/i],
  ['ports', /free ports|host ?ports?/i]
];

function partOf(text: string): VerdictPart {
  const [, count, rest] = /^(\d+) (?:node\(s\) )?(.*)$/s.exec(text) ?? [undefined, undefined, text];
  for (const [kind, pattern] of phrases) {
    const found = pattern.exec(text);
    if (found)
      return {
        kind,
        ...(count === undefined ? {} : { nodes: Number(count) }),
        phrase: rest ?? text,
        ...(found[1] ? { detail: found[1].replace(/:\s*$/, '').trim() } : {})
      };
  }
  return { kind: 'other', ...(count === undefined ? {} : { nodes: Number(count) }), phrase: rest ?? text };
}

/** Takes the message of PodScheduled=False, or of FailedScheduling, apart. */
export function verdictOf(message: string): Verdict {
  const [main = '', ...behind] = message.split(/\.?\s*preemption:\s*/i);
  const head = /^\s*(\d+)\/(\d+) nodes? (?:are|is) available:\s*/i.exec(main);
  const body = (head ? main.slice(head[0].length) : main).trim().replace(/[.,\s]+$/, '');
  const parts = body ? body.split(/,\s+(?=\d+ )|\.\s+(?=\d+ )/).map((one) => partOf(one.trim())) : [];
  return { ...(head ? { of: Number(head[2]) } : {}), parts, ...(behind[0] ? { preemption: behind[0].trim() } : {}) };
}

const words: Record<VerdictKind, (part: VerdictPart) => string> = {
  resource: ({ detail }) => `too little ${detail}`,
  pods: () => 'full of pods',
  taint: ({ detail }) => (detail ? `tainted (${detail.replace(/:\s*$/, '')})` : 'tainted'),
  closed: () => 'cordoned',
  selector: () => "not those that the pod's selector or affinity names",
  affinity: () => 'without the pods that it wants to stand beside',
  'anti-affinity': () => 'with pods that it must not stand beside',
  spread: () => 'against the spread that it asks for',
  'volume-zone': () => 'where its volume is not',
  'no-volume': () => 'without a volume that could be bound',
  'lost-volume': () => 'left out, as its claim is bound to a volume that is gone',
  capacity: () => 'without storage enough',
  'volume-count': () => 'with no attach slot left',
  'claim-going': ({ detail }) => `left out: the claim ${detail} is being deleted`,
  'claim-missing': ({ detail }) => `left out: there is no claim ${detail}`,
  unbound: () => 'left out until its claims are bound',
  ports: () => 'where a host port is taken',
  gated: () => 'not looked at: the pod is held back by a scheduling gate',
  other: ({ phrase }) => phrase
};

/** The verdict in one sentence, node count by node count; the largest part first. */
export function verdictSays({ of: total, parts }: Verdict): string {
  const sorted = [...parts].sort((a, b) => (b.nodes ?? 0) - (a.nodes ?? 0));
  const said = sorted.map((one) => (one.nodes === undefined ? words[one.kind](one) : `${one.nodes} ${words[one.kind](one)}`)).join(', ');
  return total === undefined ? said : `no node of ${total} takes it: ${said}`;
}
