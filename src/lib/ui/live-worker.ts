import type { LiveEvent } from '$server/services';
import { isToPage, liveKinds, type FromPage, type ToPage } from './live-words';

/**
 * Listens to the server once for all tabs of a browser: browsers keep six connections to one address, and a stream in each tab would
 * use them up. Tabs come and go; the worker ends with the last of them.
 */
const remembered = 500;
const reopenMs = 1_000;

interface Tab {
  readonly port: MessagePort;
  rehearsal: string;
}
const tabs = new Set<Tab>();
const past: LiveEvent[] = [];
/** Everything that was told after this event is known here. */
let knownFrom: number | undefined;
let lost = false;
let source: EventSource | undefined;

const say = (tab: Tab, message: ToPage) => tab.port.postMessage(message);
/** What concerns a draft concerns every rehearsal of its cluster. */
const concerns = (tab: Tab, event: LiveEvent) =>
  tab.rehearsal === 'all' ||
  event.rehearsal === 'all' ||
  tab.rehearsal === event.rehearsal ||
  (event.place !== undefined && tab.rehearsal.split('~')[0] === event.rehearsal.split('~')[0]);

function heard(event: MessageEvent<string>): void {
  const told = JSON.parse(event.data) as LiveEvent | Record<string, never>;
  if (!('id' in told)) {
    // What was missed is forgotten at the server: everybody loads anew.
    past.length = 0;
    knownFrom = undefined;
    for (const tab of tabs) say(tab, { reload: true });
    return;
  }
  const one = told as LiveEvent;
  knownFrom ??= one.id - 1;
  past.push(one);
  if (past.length > remembered) knownFrom = past.shift()!.id;
  for (const tab of tabs) if (concerns(tab, one)) say(tab, { event: one });
}

function open(after: number): void {
  source?.close();
  const opened = new EventSource(`/api/v1/rehearsals/all/live?after=${after}`);
  source = opened;
  for (const kind of liveKinds) opened.addEventListener(kind, heard);
  opened.onopen = () => {
    for (const tab of tabs) say(tab, { contact: true, wasLost: lost });
    lost = false;
  };
  opened.onerror = () => {
    if (source !== opened) return;
    lost = true;
    for (const tab of tabs) say(tab, { contact: false, wasLost: true });
    // The browser comes back by itself after a break, but not after an answer that was no stream.
    if (opened.readyState === EventSource.CLOSED)
      setTimeout(() => source === opened && open(past.at(-1)?.id ?? knownFrom ?? after), reopenMs);
  };
}

function watch(tab: Tab, { rehearsal, after }: { rehearsal: string; after: number }): void {
  tab.rehearsal = rehearsal;
  if (!source) {
    knownFrom = after;
    open(after);
  } else if (knownFrom === undefined || after < knownFrom) say(tab, { reload: true });
  else for (const event of past) if (event.id > after && concerns(tab, event)) say(tab, { event });
  if (lost) say(tab, { contact: false, wasLost: true });
}

(globalThis as unknown as { onconnect: (event: MessageEvent) => void }).onconnect = (event) => {
  const tab: Tab = { port: event.ports[0]!, rehearsal: '' };
  tab.port.onmessage = ({ data }: MessageEvent<FromPage>) => {
    if (isToPage(data)) return;
    if (data.watch) {
      tabs.add(tab);
      watch(tab, data.watch);
    } else {
      tabs.delete(tab);
      if (!tabs.size) {
        source?.close();
        source = undefined;
        past.length = 0;
        knownFrom = undefined;
      }
    }
  };
};
