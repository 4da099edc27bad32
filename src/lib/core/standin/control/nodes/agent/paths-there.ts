import { backoffMs, backoffs } from '../../../clock/steps';
import { hasPathsMark, hostPathFault } from './host-paths';
import { showWait, step, waitingForMount, type Turn } from './state';

const lacksPath = 'host-path';
/** Paths of the node itself. Gives whether all are there; else the node looks again. */
export function hostPathsThere(turn: Turn): boolean {
  const { world, pod, key, state } = turn;
  const fault = hostPathFault(world.store, pod);
  if (!fault) {
    if (state.about === lacksPath) {
      waitingForMount(world).delete(key);
      step(turn, { stage: 'volumes', failures: 0 });
    }
    return true;
  }
  waitingForMount(world).set(key, true);
  const waitMs = backoffMs(backoffs.mount, state.failures);
  step(turn, { stage: 'volumes', failures: state.failures + 1, retryMs: world.nowMs + waitMs, about: lacksPath });
  showWait(turn, 'ContainerCreating', `${fault.says} (${fault.field}). ${hasPathsMark} on the node says what it has.`, 'FailedMount');
  world.after(waitMs, key, true);
  return false;
}
