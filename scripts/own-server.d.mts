/** A server that a test or a picture has for itself. */
export interface OwnServer {
  readonly base: string;
  readonly data: string;
  readonly pid: number | undefined;
  kill(): void;
  end(): void;
}
export function ownServer(options?: { port?: number; data?: string; empty?: boolean }): Promise<OwnServer>;
