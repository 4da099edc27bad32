import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { parseArgs } from 'node:util';
import { makeBackup, restoreBackup } from '../backup/make';
import { dataFaultOf } from '../db/faults';
import { reportHtml } from '../report-html';
import { createApp, type App } from '../services/app';
import type { Refusal } from '../services/answer';
import { zipOf } from './zip';

const usage = `Usage: npm run report -- --cluster NAME --out FILE [--data DIR] [--workload NAMESPACE/NAME] [--namespace NAME]

--cluster    a cluster, or a fork of it: north-quay, north-quay~try
--out        where it goes: .zip a bundle of everything; .html or .md the report of one workload
--workload   whose report; needed for .html and .md
--namespace  a bundle of one namespace alone
--data       the data folder; data without it. A server may be running on it.

Exit code 2: what was asked can't be, 1: it failed.`;

/** What was asked can't be: said in a line or two, without a trace. */
class Asked extends Error {}
const orRefuse = <T>(answer: { ok: true; value: T } | { ok: false; refusal: Refusal }): T => {
  if (!answer.ok) throw new Asked(`${answer.refusal.title}: ${answer.refusal.detail} ${answer.refusal.remedy}`);
  return answer.value;
};

async function made(app: App, id: string, out: string, of: { workload?: string | undefined; namespace?: string | undefined }) {
  if (out.endsWith('.zip')) return zipOf(orRefuse(await app.bundle(id, of.namespace)));
  const [namespace = '', workload = ''] = of.workload?.split('/') ?? [];
  if (!namespace || !workload) throw new Asked('A report is about one workload: --workload NAMESPACE/NAME.');
  const { text } = orRefuse(await app.report(id, { namespace, workload }));
  return out.endsWith('.md') ? text : reportHtml(`${workload} on ${id}`, text);
}

/** `npm run report`: a bundle or a report without a browser, from a copy of the data as of now. */
async function run(): Promise<void> {
  const { values } = parseArgs({
    options: {
      data: { type: 'string', default: process.env.ROOT_BARN_DATA ?? 'data' },
      cluster: { type: 'string' },
      out: { type: 'string' },
      workload: { type: 'string' },
      namespace: { type: 'string' },
      help: { type: 'boolean', default: false }
    }
  });
  if (values.help) return console.log(usage);
  const { data, cluster, out } = values;
  if (!cluster || !out) throw new Asked(usage);
  if (!/\.(zip|html|md)$/.test(out)) throw new Asked(`${out}: it has to end in .zip, .html or .md.`);
  // A copy: whoever serves the folder goes on, and nothing in it is altered.
  const folder = mkdtempSync(join(tmpdir(), 'report-'));
  try {
    await makeBackup(data, join(folder, 'copy'));
    await restoreBackup(join(folder, 'copy'), join(folder, 'data'), false);
    const app = await createApp({ data: join(folder, 'data'), empty: true });
    try {
      const bytes = await made(app, cluster, out, values);
      writeFileSync(out, bytes);
      console.log(
        `${out} holds ${values.workload ?? values.namespace ?? 'everything'} of ${cluster}, ${(bytes.length / 1024).toFixed(0)} KiB.`
      );
    } finally {
      await app.close();
    }
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

run().catch((error: Error & { code?: string }) => {
  const fault = dataFaultOf(error);
  const said = error instanceof Asked || error.code?.startsWith('ERR_PARSE_ARGS');
  console.error(fault ? `${fault.message} ${fault.remedy}` : said ? error.message : error);
  process.exit(said ? 2 : 1);
});
