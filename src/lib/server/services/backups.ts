import { existsSync, mkdirSync, readdirSync, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { makeBackup, type Manifest } from '../backup/make';
import type { Data } from '../db/connection';
import { dataFaultOf } from '../db/faults';
import { log } from '../log';
import type { Settings } from '../settings';
import { done, refused, type Answer } from './answer';

export interface Backup {
  readonly file: string;
  readonly bytes: number;
  readonly madeAt: string;
}

const nameRule = /^root-barn-\d{8}-\d{6}\.tar$/;
/** After a failure the next try by schedule comes after so long. */
const againMs = 15 * 60_000;

/** Backups of the whole application, asked for or by schedule. */
export class BackupService {
  private busy: Promise<Answer<Backup & { manifest: Manifest }>> | undefined;
  private lastTryMs = 0;

  constructor(
    private readonly file: Pick<Data, 'folder'>,
    private readonly settings: Pick<Settings, 'backup-to' | 'backup-every' | 'backup-keep'>
  ) {}

  private get folder(): string {
    return this.settings['backup-to'] ?? join(this.file.folder, 'backups');
  }

  /** What is there, newest first. */
  list(): Backup[] {
    if (this.file.folder === ':memory:' || !existsSync(this.folder)) return [];
    return readdirSync(this.folder)
      .filter((name) => nameRule.test(name))
      .sort()
      .reverse()
      .map((name) => {
        const { size, mtime } = statSync(join(this.folder, name));
        return { file: name, bytes: size, madeAt: mtime.toISOString() };
      });
  }

  /** Makes one now, in a thread of its own; those beyond the number that is kept go, oldest first. */
  make(): Promise<Answer<Backup & { manifest: Manifest }>> {
    this.busy ??= this.made().finally(() => (this.busy = undefined));
    return this.busy;
  }

  private async made(): Promise<Answer<Backup & { manifest: Manifest }>> {
    if (this.file.folder === ':memory:')
      return refused({
        code: 'nothing-kept',
        status: 409,
        title: 'There is no file',
        detail: 'These data are in memory only.',
        remedy: 'Start Root Barn with --data.'
      });
    const stamp = new Date().toISOString().replace(/[-:]/g, '').replace('T', '-').slice(0, 15);
    const name = `root-barn-${stamp}.tar`;
    const out = join(this.folder, name);
    mkdirSync(this.folder, { recursive: true, mode: 0o700 });
    try {
      const manifest = await this.apart(out);
      for (const old of this.list().slice(this.settings['backup-keep'])) rmSync(join(this.folder, old.file), { force: true });
      return done({ file: name, bytes: statSync(out).size, madeAt: manifest.madeAt, manifest });
    } catch (error) {
      const fault = dataFaultOf(error);
      if (!fault) throw error;
      return refused({
        code: `data-${fault.code}`,
        status: 507,
        title: 'The backup was not made',
        detail: fault.message,
        remedy: fault.remedy
      });
    }
  }

  private async apart(out: string): Promise<Manifest> {
    const bundled = join(process.env.ROOT_BARN_ROOT ?? '', 'build/worker/backup.js');
    if (!process.env.ROOT_BARN_ROOT || !existsSync(bundled)) return makeBackup(this.file.folder, out);
    const worker = new Worker(bundled, { workerData: { folder: this.file.folder, out } });
    return new Promise((resolve, reject) => {
      worker.on('message', (message: { manifest?: Manifest; failed?: string; code?: string }) => {
        if (message.manifest) resolve(message.manifest);
        else reject(Object.assign(new Error(message.failed), { code: message.code }));
      });
      worker.on('error', reject);
      worker.on('exit', () => reject(new Error('the backup has ended')));
    });
  }

  /** Makes one where the schedule asks for it. */
  async tend(now: number): Promise<void> {
    if (this.settings['backup-to'] === undefined || now - this.lastTryMs < againMs) return;
    const [latest] = this.list();
    if (latest && now - Date.parse(latest.madeAt) < this.settings['backup-every'] * 3_600_000) return;
    this.lastTryMs = now;
    const made = await this.make();
    if (!made.ok) log.error({ code: made.refusal.code }, 'the backup by schedule was not made');
    else log.info({ file: made.value.file }, 'backup made');
  }
}
