import { isLoopback } from '../settings';

/** The name (without the port) that a request was sent to; '' where it can't be read. */
export function hostOf(header: string | undefined): string {
  const match = /^(\[[0-9a-fA-F:.]+\]|[A-Za-z0-9._-]+)(?::\d{1,5})?$/.exec(header ?? '');
  return (match?.[1] ?? '').toLowerCase();
}

/**
 * Whether a request is for us: loopback names and addresses, and what --origin names. A page elsewhere whose name was made to point
 * here (DNS rebinding) sends its own name and is turned away.
 */
export function hostAllowed(header: string | undefined, origins: readonly URL[]): boolean {
  const host = hostOf(header);
  return host !== '' && (isLoopback(host) || origins.some((one) => one.hostname.toLowerCase() === host));
}
