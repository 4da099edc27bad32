import { writeManifests } from '$core/manifest';
import { movesTo, tryMove, type MovePlan, type MoveWay, type TriedMove } from '$core/moving';
import type { Scene } from './scene';

/** A workload that is to go elsewhere. */
export interface MoveAsk {
  readonly namespace: string;
  readonly workload: string;
  readonly to: string;
}

const sent = ({ sends = [] }: MovePlan['steps'][number]): string[] =>
  sends.map(({ kind, metadata }) => `${kind} ${metadata.namespace === undefined ? '' : `${metadata.namespace}/`}${metadata.name}`);

/** How a workload would go to another cluster: what it takes there, and three ways; or why that can't be told. */
export function moveView({ facts }: Scene, { namespace, workload, to }: MoveAsk) {
  const here = facts.elsewhere?.here ?? '';
  const others = (facts.elsewhere?.clusters ?? []).filter((one) => one !== here);
  const chosen = to || others[0] || '';
  const found = movesTo(facts, namespace, workload, chosen);
  if (typeof found === 'string') return { here, others, to: chosen, move: null, says: found };
  const { bytes, unfit, engine } = found;
  return {
    here,
    others,
    to: chosen,
    says: '',
    move: {
      engine,
      bytes,
      unfit,
      ways: found.ways.map(({ way, title, not, pause, back, steps }) => ({
        way,
        title,
        not: not ?? null,
        pause,
        back,
        steps: steps.map((one) => ({
          cluster: one.cluster,
          says: one.says,
          writers: one.writers ?? null,
          done: one.done ?? false,
          waits: one.stands === true && !one.done,
          after: one.after ?? null,
          sends: sent(one)
        }))
      }))
    }
  };
}

/** Values of secrets that were drawn already, one after the other. */
const drawnFrom = (secrets: readonly string[]) => {
  let nth = 0;
  return () => secrets[nth++ % secrets.length] ?? '';
};

interface WayAsk extends MoveAsk {
  readonly way: MoveWay;
  readonly secrets: readonly string[];
}

function planned({ facts }: Scene, { namespace, workload, to, way, secrets }: WayAsk) {
  const move = movesTo(facts, namespace, workload, to, drawnFrom(secrets));
  if (typeof move === 'string') return move;
  const plan = move.ways.find((one) => one.way === way)!;
  return plan.not === undefined ? { move, plan } : `${plan.not}.`;
}

/** Carries one way out on a fork that is thrown away; or says why it is none. */
export function moveTryView(scene: Scene, ask: WayAsk): { tried: TriedMove | null; says: string } {
  const found = planned(scene, ask);
  return typeof found === 'string' ? { tried: null, says: found } : { tried: tryMove(scene.fork(), found.move, found.plan), says: '' };
}

/** What one step sends, for a draft; or why there is nothing. */
export function moveStepView(scene: Scene, ask: WayAsk & { readonly step: number }) {
  const found = planned(scene, ask);
  if (typeof found === 'string') return found;
  const step = found.plan.steps[ask.step];
  if (step?.after !== undefined) return `Step ${step.after} comes first: it is not through.`;
  if (!step?.sends) return step ? 'This step sends nothing.' : 'There is no such step.';
  return { cluster: step.cluster, yaml: writeManifests(step.sends), title: `${ask.workload} to ${ask.to}: ${step.says}`.slice(0, 100) };
}
