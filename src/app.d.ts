import type { Caller } from '$server/access/roles';

declare global {
  namespace App {
    interface Locals {
      /** Who calls; undefined for a stranger. */
      caller?: Caller;
      /** Number of the request, as in the log. */
      mark: string;
      /** The network address that the call came from. */
      peer: string;
      /** Given up when the caller has left. */
      left: AbortSignal;
    }
  }
}
export {};
