import { parseArgs } from 'node:util';
import { parentPort, workerData } from 'node:worker_threads';
import { dataFaultOf } from '../db/faults';
import { makeBackup, restoreBackup, type Manifest } from './make';

const told = ({ madeAt, counts, bytes }: Manifest): string =>
  `as of ${madeAt}: ${counts.cluster} clusters, ${counts.rehearsal} rehearsals with ${counts.action} actions, ${counts.draft} drafts; ${(bytes / 2 ** 20).toFixed(1)} MiB`;

/** `backup FILE` and `restore FILE`, from the command line. */
async function run(): Promise<void> {
  const { values, positionals } = parseArgs({
    allowPositionals: true,
    options: { data: { type: 'string', default: process.env.ROOT_BARN_DATA ?? 'data' }, over: { type: 'boolean', default: false } }
  });
  const [what, file] = positionals;
  if (!file || (what !== 'backup' && what !== 'restore')) {
    console.error('Usage: npm run backup -- FILE [--data DIR], npm run restore -- FILE [--data DIR] [--over]');
    process.exit(2);
  }
  if (what === 'backup') console.log(`${file} holds ${values.data}, ${told(await makeBackup(values.data, file))}.`);
  else
    console.log(
      `${values.data} holds ${file}, ${told(await restoreBackup(file, values.data, values.over))}. Start Root Barn with --data ${values.data}.`
    );
}

const asked = workerData as { folder: string; out: string } | null;
if (parentPort && asked?.folder) {
  const port = parentPort;
  makeBackup(asked.folder, asked.out).then(
    (manifest) => port.postMessage({ manifest }),
    (error: unknown) =>
      port.postMessage({ failed: error instanceof Error ? error.message : String(error), code: (error as { code?: string }).code })
  );
} else
  run().catch((error: Error) => {
    const fault = dataFaultOf(error);
    console.error(fault ? `${fault.message} ${fault.remedy}` : error);
    process.exit(1);
  });
