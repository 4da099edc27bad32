/** A server that a test or a picture has for itself. */
export interface OwnServer {
  readonly base: string;
  readonly data: string;
  readonly pid: number | undefined;
  readonly ended: Promise<number | null>;
  said(): string;
  errors(): string;
  kill(): void;
  stop(): Promise<void>;
  end(): void;
}
export function ownServer(options?: {
  port?: number;
  data?: string;
  empty?: boolean;
  flags?: readonly string[];
  user?: number;
  quiet?: boolean;
}): Promise<OwnServer>;
