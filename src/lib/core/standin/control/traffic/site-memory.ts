import { CoreError } from '../../../shared';
import type { ClusterAccess } from '../loop';
import { isClient, type Kept } from './site-types';

/** What a workload's engine keeps beside its members' volumes: what they have in mind, texts, and who has met whom. */
export abstract class SiteMemory {
  constructor(
    protected readonly world: ClusterAccess,
    protected readonly namespace: string
  ) {}

  private get minds() {
    return this.world.memory<Kept<unknown>>('minds');
  }

  /** What the program that runs in a member now has in mind, or a client. */
  protected mindOf(id: string, process: string | undefined): unknown {
    const kept = this.minds.get(`${this.namespace}/${id}`);
    return kept && (isClient(id) || kept.process === process) ? kept.data : undefined;
  }

  protected keepMind(id: string, process: string | undefined, data: unknown): void {
    this.minds.set(`${this.namespace}/${id}`, { process: process ?? '', data });
  }

  protected forget(id: string): void {
    this.minds.delete(`${this.namespace}/${id}`);
  }

  store(bytes: Uint8Array): string {
    const kept = this.world.memory<Uint8Array>('bytes');
    const name = `bytes-${kept.size}`;
    kept.set(name, bytes);
    return name;
  }
  bytes(name: string): Uint8Array {
    const bytes = this.world.memory<Uint8Array>('bytes').get(name);
    if (!bytes) throw new CoreError('Site.bytes', 'only what was kept can be read', name);
    return bytes;
  }

  private get acquaintances() {
    return this.world.memory<Readonly<Record<string, string>>>('met');
  }

  /** Whether a program knows the one that runs in a member now. Members that have met keep each other's address for as long as both run. */
  protected knows(program: string | undefined, member: string, theirs: string | undefined): boolean {
    const known = this.acquaintances.get(program ?? '');
    return known !== undefined && known[member] === theirs;
  }

  protected keepsInMind(program: string, member: string, theirs: string): void {
    this.acquaintances.set(program, { ...this.acquaintances.get(program), [member]: theirs });
  }
}
