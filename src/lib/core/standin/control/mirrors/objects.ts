import { hash32 } from '../../../shared';
import { Following, type Status } from './following';

/** So many objects are taken over at once; made up. */
const mostAtOnce = 200;

/** What lies in a store by name, with what tells one content from another; and the sum of all of it. */
interface Names {
  readonly sum: string;
  readonly names: readonly (readonly [name: string, sum: string])[];
}

/** What is to be carried: some of what has changed over there, and what has gone. */
interface Wanted {
  readonly over: Names;
  readonly changed: readonly string[];
  readonly gone: readonly string[];
  readonly more: boolean;
}

/** An object store takes over what has changed in another one's buckets. */
export class FollowingObjects extends Following {
  /** What it has taken over so far, by mirror. */
  private get known(): Map<string, Names> {
    return this.world.memory<Names>('mirrorNames');
  }
  private get wanted(): Map<string, Wanted> {
    return this.world.memory<Wanted>('mirrorWanted');
  }

  private get place() {
    const { only } = this.one.spec;
    return only === undefined ? {} : { place: only };
  }

  protected look() {
    const wanted = this.wanted.get(this.key) ?? this.compare();
    if (wanted === undefined || typeof wanted === 'number') return wanted;
    const { over, changed, gone, more } = wanted;
    const value = JSON.stringify(changed);
    const got = changed.length ? this.there(`copy-${hash32(value)}`, { do: 'copy', value }) : undefined;
    if (changed.length && !got) return undefined;
    this.wanted.delete(this.key);
    const { from, deletes, versions } = this.one.spec;
    const text = got ? got.rows?.[0]?.[1] : '[]';
    if ((got && got.outcome !== 'acknowledged') || text === undefined)
      return this.refused(`${from.workload} of ${from.cluster} handed out nothing`, got!);
    const away = JSON.stringify(deletes ? gone : []);
    return {
      op: { do: 'take', value: text, key: away, count: versions === 'kept' ? 1 : 0 },
      step: `take-${hash32(text + away + over.sum)}`,
      bytes: Math.max(got?.bytes ?? 0, 1),
      momentMs: got?.answeredMs ?? this.world.nowMs,
      then: { places: over.names.flatMap(([name]) => bucketIn(name)) },
      more
    };
  }

  /** What of the other store's names is new, another, or gone since the last time. */
  private compare(): Wanted | number | undefined {
    const { from, deletes } = this.one.spec;
    const before = this.known.get(this.key) ?? this.own();
    if (!before) return undefined;
    const got = this.there('news', { do: 'news', key: before.sum, ...this.place });
    if (!got) return undefined;
    if (got.outcome !== 'acknowledged') return this.refused(`${from.workload} of ${from.cluster} handed out nothing`, got);
    const atMs = got.answeredMs ?? this.world.nowMs;
    if (!got.rows) return atMs;
    const [had, has] = [new Map(before.names), new Map(got.rows)];
    const gone = [...had.keys()].filter((name) => !has.has(name));
    // Buckets before what lies in them.
    const changed = [...has.keys()]
      .filter((name) => had.get(name) !== has.get(name))
      .sort((a, b) => bucketIn(b).length - bucketIn(a).length || (a < b ? -1 : 1));
    if (!this.status.unshared) {
      const apart = [...had.keys()].filter((name) => had.get(name) !== has.get(name));
      const listed = apart.map((name) => ({ what: name, value: has.has(name) ? 'is another over there' : 'is not over there' }));
      this.note({ unshared: this.unshared(listed, !deletes) });
    }
    const part = changed.slice(0, mostAtOnce);
    const more = part.length < changed.length;
    // What is not carried yet stays as it was known, and is found again.
    const left = new Set(changed.slice(mostAtOnce));
    const names = [...has].flatMap(([name, sum]) =>
      left.has(name) ? (had.has(name) ? [[name, had.get(name)!] as const] : []) : [[name, sum] as const]
    );
    const wanted = { over: { sum: more ? '' : (got.checksum ?? ''), names }, changed: part, gone, more };
    if (!part.length && (!gone.length || !deletes)) {
      this.known.set(this.key, wanted.over);
      return atMs;
    }
    this.wanted.set(this.key, wanted);
    this.known.set(`${this.key} next`, wanted.over);
    return wanted;
  }

  /** What lies here when it begins: what is the same over there needn't be carried. */
  private own(): Names | undefined {
    const got = this.here('own', { do: 'news', ...this.place });
    if (!got) return undefined;
    if (got.outcome !== 'acknowledged') return this.refused(`${this.one.spec.workload} doesn't tell what it holds`, got);
    const old = (name: string) => this.one.spec.versions === 'kept' && /@\d+"\]$/.test(name);
    const found = { sum: '', names: (got.rows ?? []).filter(([name]) => !old(name)) };
    this.known.set(this.key, found);
    return found;
  }

  protected after(): Partial<Status> {
    const next = `${this.key} next`;
    this.known.set(this.key, this.known.get(next)!);
    this.known.delete(next);
    return {};
  }
}

/** The bucket that a name is of, where it is a bucket's own name. */
function bucketIn(name: string): string[] {
  const [what, bucket] = JSON.parse(name) as readonly [string, string];
  return what === 'bucket' ? [bucket] : [];
}
