import pino from 'pino';
import { DataFault } from './db/faults';

/** The log: JSON lines on the standard error. No bodies, no values, no messages of errors that may hold some. */
export const log = pino(
  { level: process.env.ROOT_BARN_LOG_LEVEL ?? 'warn', base: null, timestamp: pino.stdTimeFunctions.isoTime },
  pino.destination({ dest: 2, sync: true })
);

/**
 * An error as it may stand in a log. What an error says can hold what somebody sent (a password, say), so only the words of errors of
 * the disk and the database are kept; of all others the name and where it was thrown.
 */
export function loggable(error: unknown): Record<string, unknown> {
  if (!(error instanceof Error)) return { thrown: typeof error };
  const { code } = error as { code?: unknown };
  const known = error instanceof DataFault || (typeof code === 'string' && /^(SQLITE_|E[A-Z]+$|ERR_)/.test(code));
  const frames = (error.stack ?? '')
    .split('\n')
    .filter((line) => /^\s+at /.test(line))
    .slice(0, 12)
    .map((line) => line.trim());
  return { error: error.name, ...(typeof code === 'string' ? { code } : {}), ...(known ? { says: error.message } : {}), frames };
}

/** Whether an error only says that whoever called has gone. */
export function isAborted(error: unknown): boolean {
  if (!(error instanceof Error)) return false;
  const code = String((error as { code?: unknown }).code ?? '');
  return (
    error.name === 'AbortError' ||
    /^(ECONNRESET|EPIPE|ERR_STREAM_PREMATURE_CLOSE|ABORT_ERR)$/.test(code) ||
    /^(aborted|terminated)$/.test(error.message)
  );
}
