/** So many pieces of work at a time; the others wait for their turn, in the order in which they came. */
export class Permits {
  private readonly waiting: (() => void)[] = [];
  private free: number;

  constructor(atOnce: number) {
    this.free = atOnce;
  }

  async with<T>(work: () => Promise<T>): Promise<T> {
    if (this.free > 0) this.free -= 1;
    else await new Promise<void>((go) => this.waiting.push(go));
    try {
      return await work();
    } finally {
      const next = this.waiting.shift();
      if (next) next();
      else this.free += 1;
    }
  }
}
