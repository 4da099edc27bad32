import { entriesIn } from '../../engines/copies';
import { promotedFrom } from './facts';
import { Following, namesApart, type Carried, type Status } from './following';

/** What a write of a log came to, in words. */
function written(op: Record<string, unknown>): { what: string; value: string } {
  const text = (of: unknown) => (typeof of === 'string' ? of : '');
  const place = text(op.place) || 'main';
  const what = op.key === undefined ? `${text(op.do)} ${place}` : `${place}/${text(op.key)}`;
  return { what, value: op.do === 'write' ? text(op.value) : text(op.do) };
}

/** A group that keeps tables follows another one's log; where that doesn't reach back, it takes all of it first. */
export class FollowingTables extends Following {
  protected look() {
    const { position } = this.status;
    return position === undefined ? this.whole() : this.news(position);
  }

  /** All that the other one holds, once it is known what this one has to give up for it. */
  private whole() {
    const given = this.givenUp();
    if (!given) return undefined;
    const { from } = this.one.spec;
    const got = this.there('whole', { do: 'copy' });
    if (!got) return undefined;
    const text = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || text === undefined)
      return this.refused(`${from.workload} of ${from.cluster} handed out nothing`, got);
    const known = this.world.memory<string>('mirrorOwn');
    const mine = known.get(this.key);
    known.delete(this.key);
    const apart = mine === undefined || mine === '' ? given.list : namesApart(mine, text);
    const unshared = this.status.unshared ?? this.unshared(apart, false);
    return {
      op: { do: 'put-back', value: text, count: 1 },
      step: 'whole',
      bytes: text.length,
      momentMs: got.answeredMs ?? this.world.nowMs,
      then: { position: got.version ?? 0, unshared },
      checksum: got.checksum
    };
  }

  /** What was written here since the two last held the same, by its log; where that is gone, all of it is compared instead. */
  private givenUp(): { readonly list: { what: string; value: string }[] } | undefined {
    const known = this.world.memory<string>('mirrorOwn');
    if (this.status.unshared || known.get(this.key)) return { list: [] };
    const since = this.status.own ?? promotedFrom(this.world.store, this.one)?.status?.position ?? 0;
    if (known.get(this.key) === undefined) {
      const log = this.here('own-log', { do: 'log', version: since });
      if (!log) return undefined;
      if (log.outcome === 'acknowledged') {
        const entries = entriesIn(JSON.stringify(log.rows ?? [])) ?? [];
        return { list: entries.flatMap(({ op }) => (op ? [written(op)] : [])) };
      }
      if (log.version === undefined) return this.refused(`${this.one.spec.workload} doesn't tell what it holds`, log);
      known.set(this.key, '');
    }
    const own = this.here('own-copy', { do: 'copy' });
    if (!own) return undefined;
    const text = own.rows?.[0]?.[1];
    if (text === undefined) return this.refused(`${this.one.spec.workload} doesn't tell what it holds`, own);
    known.set(this.key, text);
    return { list: [] };
  }

  private news(position: number) {
    const { from } = this.one.spec;
    const got = this.there(`log-${position}`, { do: 'log', version: position });
    if (!got) return undefined;
    const [rows, head] = [got.rows ?? [], got.version ?? 0];
    if (got.outcome !== 'acknowledged')
      return got.version === undefined
        ? this.refused(`${from.workload} of ${from.cluster} handed out nothing`, got)
        : this.anew(`its log there begins after position ${got.version}, and this one has it to ${position}`);
    if (head < position) return this.anew(`over there the log went back from position ${position} to ${head}`);
    if (!rows.some(([, entry]) => entry.includes('"op"'))) {
      if (head > position) this.note({ position: head });
      return got.answeredMs ?? this.world.nowMs;
    }
    const value = JSON.stringify(rows);
    return {
      op: { do: 'take', value },
      step: `take-${position}-${head}`,
      bytes: value.length,
      momentMs: got.answeredMs ?? this.world.nowMs,
      then: { position: head },
      checksum: got.checksum
    };
  }

  /** Where it can't go on from where it stands it takes all of it again. */
  private anew(why: string): undefined {
    this.world.event(this.one, 'MirrorAnew', `It takes all of it again: ${why}.`, 'Warning');
    const { position: _, own: __, same: ___, ...rest } = this.status;
    this.one = this.world.put({ ...this.one, status: { ...rest, says: `takes all of it again: ${why}` } });
    this.world.after(1, this.key);
  }

  /** Both have to hold the same then; what is asked for is its sum. */
  protected after({ taken, checksum, then }: Carried): Partial<Status> | undefined {
    const version = taken?.version ?? 0;
    const got = this.here(`sum-${version}`, { do: 'log', version });
    if (!got) return undefined;
    const told = got.outcome === 'acknowledged' && got.version === version && checksum !== undefined;
    if (told && got.checksum !== checksum) {
      this.hands.delete(this.key);
      return this.anew(`at position ${then.position ?? 0} the two don't hold the same`);
    }
    return { own: version, same: told };
  }
}
