/** Failures before sign-in is slowed, by account and by address. */
const free = { account: 5, address: 20 };
const firstWaitMs = 2_000;
const longestWaitMs = 15 * 60_000;
const forgottenAfterMs = 60 * 60_000;
const mostRemembered = 20_000;

interface Tries {
  count: number;
  lastMs: number;
}

/** Slows whoever guesses: after some failures each further one doubles the wait, for the account and for the address. */
export class Attempts {
  private readonly tries = new Map<string, Tries>();

  constructor(private readonly now: () => number = Date.now) {}

  private keys(account: string, address: string): [key: string, free: number][] {
    return [
      [`account ${account.toLowerCase()}`, free.account],
      [`address ${address}`, free.address]
    ];
  }

  /** How long somebody has to wait before the next try, in ms; 0 when it may be made now. */
  waitMs(account: string, address: string): number {
    const now = this.now();
    return Math.max(
      0,
      ...this.keys(account, address).map(([key, most]) => {
        const one = this.tries.get(key);
        if (!one || one.count < most || now - one.lastMs > forgottenAfterMs) return 0;
        return one.lastMs + Math.min(longestWaitMs, firstWaitMs * 2 ** (one.count - most)) - now;
      })
    );
  }

  /** An attempt is made. It counts as a failure until it has succeeded, so that many at once don't get past. */
  begun(account: string, address: string): void {
    const now = this.now();
    for (const [key] of this.keys(account, address)) {
      const one = this.tries.get(key);
      const count = one && now - one.lastMs <= forgottenAfterMs ? one.count + 1 : 1;
      this.tries.delete(key);
      this.tries.set(key, { count, lastMs: now });
    }
    for (const key of this.tries.keys()) {
      if (this.tries.size <= mostRemembered) break;
      this.tries.delete(key);
    }
  }

  /** It was wrong: the wait counts from now on, however long it took to find out. */
  failed(account: string, address: string): void {
    const now = this.now();
    for (const [key] of this.keys(account, address)) {
      const one = this.tries.get(key);
      if (one) one.lastMs = now;
    }
  }

  /** It was right: nothing is held against the account any more, and this one not against the address. */
  succeeded(account: string, address: string): void {
    const [[own], [from]] = this.keys(account, address) as [[string, number], [string, number]];
    this.tries.delete(own);
    const one = this.tries.get(from);
    if (one) one.count -= 1;
  }
}
