/** Why the data can't be opened, or can't be written any more. */
export type DataFaultCode = 'damaged' | 'foreign' | 'read-only' | 'newer' | 'locked' | 'gone' | 'emptied' | 'full' | 'held';

/** Something is wrong with the data folder: one sentence with the cause, and what to do. */
export class DataFault extends Error {
  constructor(
    readonly code: DataFaultCode,
    message: string,
    readonly remedy: string
  ) {
    super(message);
    this.name = 'DataFault';
  }
}

const restore = 'Put a backup in its place (npm run restore -- FILE --data DIR), or begin anew with --fresh, which loses what is in it.';

const says: Record<Exclude<DataFaultCode, 'held'>, (path: string) => [message: string, remedy: string]> = {
  damaged: (path) => [`The database ${path} is damaged: what is in it can't be read.`, restore],
  foreign: (path) => [`${path} is no database of Root Barn.`, 'Name another folder with --data, or move the file away.'],
  'read-only': (path) => [
    `The database ${path} can't be written: the file, its folder or the disk is read-only.`,
    'Give the user who starts Root Barn the right to write there, or name another folder with --data.'
  ],
  newer: (path) => [
    `The database ${path} was written by a newer version of Root Barn.`,
    'Start that version, or restore a backup that was made before the upgrade.'
  ],
  locked: (path) => [
    `The database ${path} is locked by another program.`,
    'End the program that holds it (a backup, or a tool that looks into it), then try again.'
  ],
  gone: (path) => [`The database ${path} is gone: it was here before, and isn't now.`, `Put it back. ${restore}`],
  emptied: (path) => [`The database ${path} is empty: somebody has emptied the file.`, restore],
  full: (path) => [
    `There is no room left for ${path}: the disk is full, or the limit of --most-disk is reached.`,
    'Make room on the disk (or raise --most-disk), then do it again. Nothing of this was kept; what was answered before is.'
  ]
};

export const dataFault = (code: Exclude<DataFaultCode, 'held'>, path: string): DataFault => new DataFault(code, ...says[code](path));

const byCode: readonly [RegExp, Exclude<DataFaultCode, 'held'>][] = [
  [/^(SQLITE_FULL|ENOSPC|EDQUOT|SQLITE_IOERR_(WRITE|FSYNC|SHMSIZE|TRUNCATE))/, 'full'],
  [/^(SQLITE_CORRUPT|SQLITE_NOTADB|SQLITE_IOERR_(READ|SHORT_READ))/, 'damaged'],
  [/^(SQLITE_READONLY_DBMOVED)/, 'gone'],
  [/^(SQLITE_READONLY|SQLITE_CANTOPEN|EACCES|EROFS|EPERM|SQLITE_PERM)/, 'read-only'],
  [/^(SQLITE_BUSY|SQLITE_LOCKED)/, 'locked']
];

/** What an error of the database or the disk means; undefined for any other. */
export function dataFaultOf(error: unknown, path = 'root-barn.sqlite'): DataFault | undefined {
  if (error instanceof DataFault) return error;
  const code = (error as { code?: unknown } | null)?.code;
  if (typeof code !== 'string') return undefined;
  // What this program asks for is there: where it isn't, the description of the tables is damaged.
  if (code === 'SQLITE_ERROR' && /no such (column|table)|has no column|malformed/.test(String((error as Error).message)))
    return dataFault('damaged', path);
  const found = byCode.find(([pattern]) => pattern.test(code));
  return found && dataFault(found[1], path);
}
