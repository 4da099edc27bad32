/** What a reader has chosen for this browser: cover, theme, single keys, tape. Kept between visits. */
class Prefs {
  /** Addresses and secrets are covered from the start: people share screens. */
  covered = $state(true);
  singleKeys = $state(true);
  /** Open or folded as the reader chose; until then each sheet has its own habit. */
  tapeChosen = $state<boolean | null>(null);
  theme = $state<'paper' | 'night'>('paper');
  speed = $state(10);
  /** Clusters that this reader has confirmed as the ones meant. */
  confirmed = $state<readonly string[]>([]);

  load(): void {
    const read = (key: string) => {
      try {
        return localStorage.getItem(`root-barn.${key}`);
      } catch {
        return null;
      }
    };
    this.covered = read('covered') !== 'no';
    this.singleKeys = read('keys') !== 'no';
    this.confirmed = (read('confirmed') ?? '').split(' ').filter(Boolean);
    const tape = read('tape');
    this.tapeChosen = tape === null ? null : tape === 'yes';
    this.speed = Number(read('speed') ?? 10) || 10;
    const theme = read('theme') ?? (matchMedia('(prefers-color-scheme: dark)').matches ? 'night' : 'paper');
    this.setTheme(theme === 'night' ? 'night' : 'paper');
  }

  private write(key: string, value: string): void {
    try {
      localStorage.setItem(`root-barn.${key}`, value);
    } catch {
      // A browser that keeps nothing still works; the choice lasts as long as the page.
    }
  }

  setCovered(on: boolean): void {
    this.covered = on;
    this.write('covered', on ? 'yes' : 'no');
  }
  confirm(cluster: string): void {
    this.confirmed = [...new Set([...this.confirmed, cluster])];
    this.write('confirmed', this.confirmed.join(' '));
  }
  setKeys(on: boolean): void {
    this.singleKeys = on;
    this.write('keys', on ? 'yes' : 'no');
  }
  setTape(open: boolean): void {
    this.tapeChosen = open;
    this.write('tape', open ? 'yes' : 'no');
  }
  setSpeed(speed: number): void {
    this.speed = speed;
    this.write('speed', String(speed));
  }
  setTheme(theme: 'paper' | 'night'): void {
    this.theme = theme;
    document.documentElement.dataset.theme = theme;
    this.write('theme', theme);
  }
}

export const prefs = new Prefs();

/** An address as it is shown: covered but for its first part, unless uncovered. */
export const addressShown = (address: string): string =>
  prefs.covered && address ? address.replace(/^(\d+)\..*/, '$1.··.··.··') : address;

/** A sentence with every address in it covered like all others. */
export const sentenceShown = (text: string): string => text.replace(/\b\d{1,3}(\.\d{1,3}){3}\b/g, (address) => addressShown(address));
