import type { Container, Pod } from '../../../../model';
import { deadPort } from './probes';

/** What a container does right after its start, or right before its end. Source: LifecycleHandler v1 core. */
interface Handler {
  readonly exec?: { readonly command?: readonly string[] };
  readonly httpGet?: { readonly port?: number | string };
  readonly tcpSocket?: unknown;
  readonly sleep?: { readonly seconds?: number };
}
type Moment = 'postStart' | 'preStop';

const handlerOf = (container: Container, moment: Moment): Handler | undefined =>
  (container as { lifecycle?: Partial<Record<Moment, Handler | null>> }).lifecycle?.[moment] ?? undefined;

/** `sleep 15` as a command or within one; what else a command does takes no time here. */
const sleeps = /(?:^|[\s;&|])sleep\s+(\d+(?:\.\d+)?)(?=$|[\s;&|])/g;

/** How long a handler takes, in ms. */
function handlerMs({ sleep, exec }: Handler): number {
  if (sleep) return (sleep.seconds ?? 0) * 1_000;
  let seconds = 0;
  for (const [, told] of (exec?.command ?? []).join(' ').matchAll(sleeps)) seconds += Number(told);
  return Math.round(seconds * 1_000);
}

/** How long a pod's handlers of a moment take: the slowest decides, as containers don't wait for each other. */
export const hooksMs = ({ spec }: Pod, moment: Moment): number =>
  Math.max(0, ...spec.containers.map((one) => handlerMs(handlerOf(one, moment) ?? {})));

/** The first handler of a moment that fails, in a sentence. Source: as above: a handler with tcpSocket fails when it is called. */
export function hookFault({ spec }: Pod, moment: Moment): string | undefined {
  for (const one of spec.containers) {
    const handler = handlerOf(one, moment);
    if (!handler) continue;
    if (handler.tcpSocket) return `The ${moment} handler of ${one.name} fails: tcpSocket is taken, and supported by nobody.`;
    const port = handler.httpGet && deadPort(one, { httpGet: handler.httpGet });
    if (port !== undefined) return `The ${moment} handler of ${one.name} fails: it asks at port ${port}, where nobody listens.`;
  }
  return undefined;
}
