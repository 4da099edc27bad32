import { clockOf } from '$core/shared';

/** The calendar's moment of T+0, as the server writes times into objects. */
const epochMs = Date.UTC(2026, 2, 2, 6);
let calendar = false;
/** Whether moments are shown by the calendar: in what was read of a real cluster nothing counts from T+0. */
export const setCalendar = (on: boolean): void => void (calendar = on);

/** A moment by the calendar: `20 Nov 2026, 10:15:03`, UTC. */
export const dateText = (ms: number): string =>
  new Date(epochMs + ms).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'medium', timeZone: 'UTC' });

/** Virtual milliseconds as `T+00:06:41`. */
export function clockText(ms: number): string {
  if (calendar) return dateText(ms);
  return clockOf(ms);
}

/** The same without hours where there are none, for ticks and rows: `06:41`. */
export const shortClock = (ms: number): string =>
  clockText(ms)
    .replace(/^T\+00:/, '')
    .replace(/^T\+/, '')
    .replace(/^T−/, '−');

/** The clock for a column in which hours come and go, always in full: `00:06:41`. */
export const columnClock = (ms: number): string => clockText(ms).replace(/^T\+/, '');

/** Bytes in the unit that claims are spoken of: GiB with one digit where it is needed, TiB from there on. */
export function gib(bytes: number): string {
  const value = bytes / 2 ** 30;
  if (value >= 1_024) return `${(value / 1_024).toLocaleString('en', { maximumFractionDigits: 1 })} TiB`;
  return `${value >= 10 || Number.isInteger(value) ? Math.round(value).toLocaleString('en') : value.toFixed(1)} GiB`;
}

/** Thousandths of a CPU as CPUs. */
export const cpus = (milli: number): string => (milli / 1000).toLocaleString('en', { maximumFractionDigits: 1 });

export { plural } from '$core/shared';

/** The address of a root line. */
export const lineHref = (id: string, ref: { kind: string; namespace: string; name: string }): string =>
  `/r/${encodeURIComponent(id)}/root-line?${new URLSearchParams({ kind: ref.kind, namespace: ref.namespace, name: ref.name })}`;

/** The rehearsal of another cluster that has one clock with one: the trunk, or the fork of the same name. */
export const kinId = (id: string, cluster: string | null): string => {
  const fork = id.split('~')[1];
  return cluster === null ? id : fork === undefined ? cluster : `${cluster}~${fork}`;
};
