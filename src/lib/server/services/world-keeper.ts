import type { HostClient } from '../rehearsals/client';
import type { Clock } from '../rehearsals/clock';
import type { RehearsalRepository } from '../repositories/rehearsals';
import type { Refusal } from './answer';
import { worldsFull } from './rehearsal-refusals';

/** How long after the last move a world is put into the cache. */
const snapshotDelayMs = 3_000;
const leastChangesForSnapshot = 300;
/** A snapshot waits so many times as long as the last one took, so that large worlds aren't saved all the time. */
const savingShare = 20;
/** A world that nobody has asked for in so long is put to rest: it is saved, and stands up again when it is asked for. */
const restAfterMs = 10 * 60_000;
/** From this share of the memory on, worlds are put to rest sooner, and nothing new is begun. */
const memoryShare = 0.8;

interface Parts {
  readonly host: HostClient;
  readonly store: RehearsalRepository;
  readonly unkept?: (error: unknown, id: string) => void;
}

/** What the keeper has to know of the rehearsals that are held. */
interface Held {
  /** Whether it is stood up, and whole. */
  holds(id: string): boolean;
  inTurn<T>(id: string, work: () => Promise<T>): Promise<T>;
  letGo(id: string): Promise<void>;
}

/** Keeps worlds: in the cache, so that they stand up quickly; in memory, as long as there is room and somebody looks. */
export class WorldKeeper {
  private readonly saving = new Map<string, NodeJS.Timeout>();
  private readonly savedAt = new Map<string, { changes: number; actions: number; tookMs: number; atMs: number }>();

  constructor(
    private readonly parts: Parts,
    private readonly of: Held
  ) {}

  /** Nothing is to be saved any more at all. */
  stop(): void {
    for (const id of [...this.saving.keys()]) this.forget(id);
  }

  /** Nothing is to be saved any more of a world that is let go. */
  forget(id: string): void {
    clearTimeout(this.saving.get(id));
    this.saving.delete(id);
  }

  /** Puts a world into the cache a little later, unless little has happened since the last time. */
  saveSoon(id: string, clock: Clock): void {
    if (clock.running || this.saving.has(id)) return;
    const last = this.savedAt.get(id);
    const news = clock.changes + 4 * clock.actions - (last ? last.changes + 4 * last.actions : 0);
    if (Math.abs(news) < leastChangesForSnapshot) return;
    const waitMs = Math.max(snapshotDelayMs, last ? last.atMs + savingShare * last.tookMs - Date.now() : 0);
    const timer = setTimeout(() => {
      this.saving.delete(id);
      this.keepSnapshot(id).catch((error: unknown) => this.parts.unkept?.(error, id));
    }, waitMs);
    timer.unref();
    this.saving.set(id, timer);
  }

  private async keepSnapshot(id: string): Promise<void> {
    await this.of.inTurn(id, () => this.saved(id));
  }

  private async saved(id: string): Promise<void> {
    if (!this.of.holds(id) || !(await this.parts.store.find(id))) return;
    const began = Date.now();
    for (const { id: one, ...saved } of await this.parts.host.save(id)) {
      const { changes, actions } = await this.parts.host.status(one);
      await this.parts.store.keepSnapshot(one, { ...saved, bytes: Buffer.from(saved.bytes) });
      this.savedAt.set(one, { changes, actions, tookMs: Date.now() - began, atMs: Date.now() });
    }
  }

  /** Being put to rest just now. */
  readonly resting = new Set<string>();

  /**
   * Puts worlds to rest that nobody looks at, and more of them where memory gets short: each is saved and let go.
   * @param mostBytes what all worlds together may take
   * @returns whether there is still too little room
   */
  async rest(mostBytes: number | undefined, now = Date.now()): Promise<boolean> {
    const { host } = this.parts;
    const short = async () => {
      const { heapBytes, heapLimitBytes } = await host.stats();
      return heapBytes > memoryShare * Math.min(mostBytes ?? Infinity, heapLimitBytes);
    };
    let tight = await short();
    for (const one of await host.unused(now - restAfterMs)) await this.putToRest(one);
    if (tight)
      for (const one of await host.unused(now - 5_000)) {
        if (!(await short())) break;
        await this.putToRest(one);
      }
    tight = tight && (await short());
    this.tight = tight;
    return tight;
  }
  /** All worlds together take nearly what they may. */
  private tight = false;

  private putToRest({ id, saves }: { id: string; saves: boolean }): Promise<void> {
    this.resting.add(id);
    return this.of.inTurn(id, async () => {
      try {
        if (this.of.holds(id)) {
          const last = this.savedAt.get(id);
          const clock = await this.parts.host.status(id);
          if (saves && (!last || last.changes !== clock.changes || last.actions !== clock.actions)) await this.saved(id);
          await this.of.letGo(id);
        }
      } catch (error) {
        this.parts.unkept?.(error, id);
      } finally {
        this.resting.delete(id);
      }
    });
  }

  /** Why nothing new can be begun, where memory is short. */
  async noRoom(): Promise<Refusal | undefined> {
    if (!this.tight) return undefined;
    const { heapBytes, heapLimitBytes } = await this.parts.host.stats();
    const mib = (bytes: number) => `${Math.round(bytes / 2 ** 20).toLocaleString('en')} MiB`;
    return worldsFull(mib(heapBytes), mib(heapLimitBytes));
  }
}
