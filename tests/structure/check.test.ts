import { execFileSync, spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, expect, test } from 'vitest';
import { exported } from '../core/check-export';

const folder = mkdtempSync(join(tmpdir(), 'check-'));
afterAll(() => rmSync(folder, { recursive: true }));
beforeAll(() => {
  execFileSync('npx', ['--no-install', 'vite', 'build', '--config', 'vite.worker.config.ts', '--logLevel', 'error'], {
    env: { ...process.env, ENTRY: 'scripts/check-files.ts', OUT: join(folder, 'built') }
  });
  const claim = (name: string, size: string) =>
    `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${name}, namespace: tickets}\nspec: {accessModes: [ReadWriteOnce], storageClassName: steady-block, resources: {requests: {storage: ${size}}}}\n`;
  writeFileSync(join(folder, 'fine.yaml'), claim('ledger', '40Gi'));
  writeFileSync(join(folder, 'light.yaml'), claim('ledger', '40G'));
  writeFileSync(join(folder, 'wrong.yaml'), claim('ledger', 'ten'));
  writeFileSync(
    join(folder, 'house.yaml'),
    'apiVersion: standin.example/v1\nkind: CheckSettings\nmetadata: {name: house}\nspec: {accepted: [{rule: size-decimal, object: "*", reason: as bought}]}\n'
  );
  writeFileSync(join(folder, 'cluster.json'), JSON.stringify(exported()));
}, 120_000);

const run = (...args: string[]) => {
  const { status, stdout, stderr } = spawnSync('node', [join(folder, 'built/check-files.js'), ...args], { cwd: folder, encoding: 'utf8' });
  return { status, stdout, stderr };
};

test('a pipeline learns by the exit code whether something is as grave as it asked for', () => {
  expect(run('fine.yaml')).toMatchObject({ status: 0, stdout: expect.stringContaining('0 errors') });
  expect(run('light.yaml').status).toBe(0);
  expect(run('light.yaml', '--fail', 'warning').status).toBe(1);
  expect(run('light.yaml', 'house.yaml', '--fail', 'warning')).toMatchObject({
    status: 0,
    stdout: expect.stringContaining('accepted size-decimal: as bought')
  });
  const wrong = run('wrong.yaml');
  expect([wrong.status, wrong.stdout.split('\n')[0]]).toEqual([
    1,
    'wrong.yaml:4:93 error bad-quantity: spec.resources.requests.storage is "ten", which is no quantity. Write a number with a suffix, e.g. 40Gi, 500Mi or 250m.'
  ]);
  expect(run('wrong.yaml', '--fail', 'never').status).toBe(0);
});

test('against an export it finds what the cluster lacks; a SARIF log names file, line and what is accepted', () => {
  expect(run('fine.yaml').stdout).not.toContain('no driver');
  expect(run('fine.yaml', '--against', 'cluster.json')).toMatchObject({
    status: 1,
    stdout: expect.stringContaining('no driver of that name')
  });
  const log = JSON.parse(run('light.yaml', 'house.yaml', '--format', 'sarif').stdout) as {
    version: string;
    runs: {
      results: { ruleId: string; suppressions?: object[]; locations: { physicalLocation: { artifactLocation: { uri: string } } }[] }[];
    }[];
  };
  const [result] = log.runs[0]!.results.filter((one) => one.ruleId === 'size-decimal');
  expect([log.version, result!.suppressions?.length, result!.locations[0]!.physicalLocation.artifactLocation.uri]).toEqual([
    '2.1.0',
    1,
    'light.yaml'
  ]);
});

test('what can not be told is told apart: files that are not there, exports that are none, options that there are not', () => {
  for (const args of [['none.yaml'], [], ['fine.yaml', '--against', 'fine.yml'], ['fine.yaml', '--format', 'xml'], ['--what', 'fine.yaml']])
    expect(run(...args), args.join(' ')).toMatchObject({ status: 2, stdout: '', stderr: expect.stringMatching(/\S/) });
});
