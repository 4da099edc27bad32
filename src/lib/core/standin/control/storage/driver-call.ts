import { backoffMs, backoffs } from '../../clock/steps';
import { classOf, type Claim, type Facts } from '../../../model';
import type { ClusterAccess } from '../loop';

/** The driver of a claim's volume, or of the one that its class will make. */
export const driverOfClaim = (facts: Facts, claim: Claim): string | undefined =>
  facts.get('PersistentVolume', '', claim.spec.volumeName ?? '')?.spec.csi?.driver ?? classOf(facts, claim.spec)?.provisioner;

/** How a call of a driver stands. Plain data: part of snapshots. Times are virtual ms. */
export interface DriverCall {
  /** The driver works on it until then. */
  readonly dueMs?: number;
  /** It failed, and is tried again then. */
  readonly retryMs?: number;
  /** How often it failed so far. */
  readonly failures: number;
}

/** The calls that one loop makes of drivers, each under a key of that loop. */
export class DriverCalls<T extends DriverCall = DriverCall> {
  /** @param name which memory of the world they are kept in */
  constructor(private readonly name: string) {}

  private all(world: ClusterAccess): Map<string, DriverCall> {
    return world.memory<DriverCall>(this.name);
  }

  of(world: ClusterAccess, key: string): T | undefined {
    return this.all(world).get(key) as T | undefined;
  }

  /** The driver works on it for so long; then the loop is called again. What is known besides stays with it until it ends. */
  begin(world: ClusterAccess, key: string, waitMs: number, more: Partial<T> = {}): void {
    this.all(world).set(key, { failures: this.of(world, key)?.failures ?? 0, ...more, dueMs: world.nowMs + waitMs });
    world.after(waitMs, key);
  }

  /** It failed: the loop is called again after a wait, which grows with every failure unless it is given. */
  failed(world: ClusterAccess, key: string, waitMs?: number): void {
    const failures = this.of(world, key)?.failures ?? 0;
    const again = waitMs ?? backoffMs(backoffs.provider, failures);
    this.all(world).set(key, { failures: failures + 1, retryMs: world.nowMs + again });
    world.after(again, key, true);
  }

  /** Done, or given up. */
  end(world: ClusterAccess, key: string): void {
    this.all(world).delete(key);
  }
}
