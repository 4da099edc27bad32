import type { LiveEvent } from '$server/services';

/** Kinds of events as the server names them. */
export const liveKinds = ['clock', 'acted', 'proved', 'forked', 'draft', 'present', 'unkept', 'reload'] as const;

/** What a page says to the worker that listens for all of them. */
export interface FromPage {
  /** Tell me of a rehearsal ('all' for every one), from the event after this number on; null: tell me nothing more. */
  readonly watch: { readonly rehearsal: string; readonly after: number } | null;
}
/** What the worker says to a page. */
export type ToPage = { readonly event: LiveEvent } | { readonly reload: true } | { readonly contact: boolean; readonly wasLost: boolean };

export const isToPage = (message: FromPage | ToPage): message is ToPage => !('watch' in message);
