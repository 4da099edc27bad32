/** The steps that take time, each with its own lane segment and patience band. */
export type StepId =
  | 'placing'
  | 'provisioning'
  | 'attaching'
  | 'mounting'
  | 'pulling'
  | 'starting'
  | 'joining'
  | 'addressing'
  | 'working'
  | 'stopping'
  | 'detaching'
  | 'deleting'
  | 'growing'
  | 'modifying'
  | 'copying'
  | 'carrying'
  | 'healing'
  | 'awaiting'
  | 'certifying'
  | 'expanding'
  | 'gathering';

/** A span in virtual milliseconds, both ends included. */
export type SpanMs = readonly [number, number];

/** One row of the table of durations: what is drawn from, and what is normal (the patience band). */
export interface StepSpan {
  readonly label: string;
  readonly drawMs: SpanMs;
  readonly normalMs: SpanMs;
}

/**
 * The one table of durations. The bands of claims, attaching and stopping are common practice, no source; those of images' starts
 * stand with the images.
 */
export const stepSpans: Record<StepId, StepSpan> = {
  placing: { label: 'finds a place', drawMs: [40, 260], normalMs: [0, 3_000] },
  provisioning: { label: 'volume is made', drawMs: [2_400, 7_500], normalMs: [2_000, 20_000] },
  attaching: { label: 'volume is attached', drawMs: [2_200, 8_000], normalMs: [2_000, 15_000] },
  mounting: { label: 'volume is mounted', drawMs: [700, 2_400], normalMs: [500, 5_000] },
  pulling: { label: 'image is pulled', drawMs: [600, 1_800], normalMs: [1_000, 60_000] },
  starting: { label: 'starts', drawMs: [2_000, 8_000], normalMs: [2_000, 20_000] },
  joining: { label: 'joins the others', drawMs: [1_000, 5_000], normalMs: [0, 60_000] },
  addressing: { label: 'gets an address outside', drawMs: [10_000, 150_000], normalMs: [10_000, 180_000] },
  working: { label: 'works', drawMs: [60_000, 240_000], normalMs: [60_000, 300_000] },
  stopping: { label: 'stops', drawMs: [1_200, 4_500], normalMs: [0, 30_000] },
  detaching: { label: 'volume is detached', drawMs: [1_500, 5_000], normalMs: [1_000, 15_000] },
  deleting: { label: 'volume is deleted', drawMs: [1_500, 5_000], normalMs: [1_000, 20_000] },
  growing: { label: 'volume grows', drawMs: [5_000, 20_000], normalMs: [5_000, 40_000] },
  // Made up.
  modifying: { label: 'attributes change', drawMs: [4_000, 15_000], normalMs: [3_000, 60_000] },
  copying: { label: 'snapshot is taken', drawMs: [3_000, 12_000], normalMs: [2_000, 30_000] },
  // Drawn by what is carried; see control/backup/pace.ts.
  carrying: { label: 'copy is carried', drawMs: [2_000, 5_000], normalMs: [0, 7_200_000] },
  healing: { label: 'copies are made anew', drawMs: [60_000, 60_000], normalMs: [0, 7_200_000] },
  awaiting: { label: 'waits for its operator', drawMs: [1_000, 60_000], normalMs: [0, 120_000] },
  certifying: { label: 'gets its certificate', drawMs: [500, 2_000], normalMs: [0, 20_000] },
  expanding: { label: 'is expanded', drawMs: [20, 1_000], normalMs: [0, 10_000] },
  // Three nodes of an in-memory store take 5 to 6 min, 10 is late.
  gathering: { label: 'waits until all of it is ready', drawMs: [60_000, 360_000], normalMs: [20_000, 600_000] }
};

/** How fast control loops answer to a change, in ms. */
export const reactionMs = 20;

/** Exponential back-off: first wait, then doubled up to the most. Image pulls and crash restarts: the cluster API's concept pages. */
export interface Backoff {
  readonly firstMs: number;
  readonly mostMs: number;
}
/** How long a failed step waits before it is tried again: first and at most, in ms, doubled each time. */
export const backoffs = {
  pull: { firstMs: 10_000, mostMs: 300_000 },
  crash: { firstMs: 10_000, mostMs: 300_000 },
  /** From memory: mounts are tried again between 0.5 s and 2 min. */
  mount: { firstMs: 500, mostMs: 122_000 },
  /** From memory: provisioning retries between 1 s and 5 min. */
  provider: { firstMs: 1_000, mostMs: 300_000 }
} satisfies Record<string, Backoff>;

/** The wait before attempt number `attempt` (0 is the first repeat). */
export const backoffMs = ({ firstMs, mostMs }: Backoff, attempt: number): number => Math.min(mostMs, firstMs * 2 ** Math.min(attempt, 20));

/** One span of work that was begun for a subject; open while `toMs` is undefined. */
export interface Step {
  readonly subject: string;
  readonly step: StepId;
  readonly fromMs: number;
  readonly toMs?: number;
  readonly normalMs: SpanMs;
}

/** What was done, when, for whom: the tape's lanes. Only ever added to. */
export class StepLog {
  readonly steps: Step[] = [];
  private readonly open = new Map<string, number>();

  begin(subject: string, step: StepId, fromMs: number, normalMs: SpanMs = stepSpans[step].normalMs): void {
    const key = `${subject}|${step}`;
    if (this.open.has(key)) return;
    this.open.set(key, this.steps.length);
    this.steps.push({ subject, step, fromMs, normalMs });
  }

  end(subject: string, step: StepId, toMs: number): void {
    const key = `${subject}|${step}`;
    const at = this.open.get(key);
    if (at === undefined) return;
    this.open.delete(key);
    this.steps[at] = { ...this.steps[at]!, toMs };
  }

  /** Ends whatever is open for a subject that has gone. */
  endAll(subject: string, toMs: number): void {
    for (const step of Object.keys(stepSpans) as StepId[]) this.end(subject, step, toMs);
  }

  load(steps: readonly Step[]): void {
    this.steps.length = 0;
    this.open.clear();
    for (const one of steps) {
      if (one.toMs === undefined) this.open.set(`${one.subject}|${one.step}`, this.steps.length);
      this.steps.push(one);
    }
  }
}
