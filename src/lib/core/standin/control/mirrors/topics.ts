import { hash32 } from '../../../shared';
import { namedIn, placedKey, readJson, textOfNamed } from '../../engines/copies';
import { z } from 'zod';
import { promotedFrom } from './facts';
import { Following, type Carried, type Status } from './following';

const endsKey = placedKey('ends', '');
const endsShape = z.record(z.string(), z.number());
const keptShape = z.array(z.tuple([z.number(), z.string()]));
/** Beyond any message: whoever asks from there gets none, and is told where each partition ends. */
const beyond = 2 ** 52;

/** What news of topics say: how many messages of which partitions, and up to where each was read. */
function newsIn(text: string) {
  const rows = namedIn(text) ?? [];
  const ends = readJson(endsShape, rows.find(([name]) => name === endsKey)?.[1] ?? '') ?? {};
  const left = rows.filter(([name]) => name !== endsKey);
  const messages = left.reduce((sum, [, value]) => sum + (readJson(keptShape, value) ?? []).reduce((more, [n]) => more + n, 0), 0);
  return { ends, left, messages };
}

const topicOf = (key: string): string => key.slice(0, key.lastIndexOf('/'));

/** A broker takes over another one's messages, partition by partition, in their order; its offsets are its own. */
export class FollowingTopics extends Following {
  private ask(step: string, since: Readonly<Record<string, number>>, far: boolean) {
    const { only } = this.one.spec;
    const op = { do: 'news', value: JSON.stringify(since), ...(only === undefined ? {} : { place: only }) };
    return far ? this.there(step, op) : this.here(step, op);
  }

  protected look() {
    const { from } = this.one.spec;
    if (!this.status.unshared && !this.begins()) return undefined;
    const { offsets = {} } = this.status;
    const since = Object.fromEntries(Object.entries(offsets).map(([key, one]) => [key, one.there]));
    const got = this.ask(`news-${hash32(JSON.stringify(since))}`, since, true);
    if (!got) return undefined;
    const text = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || text === undefined)
      return this.refused(`${from.workload} of ${from.cluster} handed out nothing`, got);
    const { ends, left, messages } = newsIn(text);
    const back = Object.entries(since).find(([key, at]) => ends[key] !== undefined && ends[key] < at);
    if (back)
      return this.behindHere(
        `${back[0]} over there ends at ${ends[back[0]]}, and ${back[1]} messages were taken from it: it was made anew, or lost its newest`,
        'Where it was made anew, drop the topic here and make the mirror again.'
      );
    if (!left.length) return got.answeredMs ?? this.world.nowMs;
    const value = textOfNamed(left);
    const known = Object.keys(offsets).map(topicOf);
    const op = (topics: readonly string[]) => ({ do: 'take', value, key: JSON.stringify([...new Set(topics)]) });
    return {
      op: op(known),
      again: op([...known, ...Object.keys(ends).map(topicOf)]),
      step: `take-${hash32(JSON.stringify(since))}-${hash32(value)}`,
      bytes: Math.max(got.bytes ?? 0, messages ? 1 : 0),
      momentMs: got.answeredMs ?? this.world.nowMs,
      then: {
        offsets: Object.fromEntries(Object.entries(ends).map(([key, there]) => [key, { there, here: offsets[key]?.here ?? 0 }])),
        places: [...new Set(Object.keys(ends).map(topicOf))].sort()
      }
    };
  }

  /** Where the other one had followed this, it goes on where that ended; what it never got stays here and is counted. */
  private begins(): boolean {
    const its = promotedFrom(this.world.store, this.one)?.status?.offsets ?? {};
    const theirs = Object.fromEntries(Object.entries(its).map(([key, one]) => [key, { there: one.here, here: one.there }]));
    const before = this.status.offsets ?? theirs;
    const mine = Object.fromEntries(Object.entries(before).map(([key, one]) => [key, one.here]));
    if (!Object.keys(mine).length) {
      this.note({ offsets: {}, unshared: this.unshared([], true) });
      return true;
    }
    const got = this.ask('own', mine, false);
    if (!got) return false;
    const text = got.rows?.[0]?.[1];
    if (got.outcome !== 'acknowledged' || text === undefined) {
      this.refused(`${this.one.spec.workload} doesn't tell what it holds`, got);
      return false;
    }
    const { ends } = newsIn(text);
    const beyondIt = Object.entries(mine).flatMap(([key, at]) => {
      const count = (ends[key] ?? at) - at;
      return count > 0 ? [{ what: key, value: `${count} from ${at} on`, count }] : [];
    });
    const listed = beyondIt.map(({ what, value }) => ({ what, value }));
    const count = beyondIt.reduce((sum, one) => sum + one.count, 0);
    const offsets = Object.fromEntries(Object.entries(before).map(([key, one]) => [key, { ...one, here: ends[key] ?? one.here }]));
    this.note({ offsets, unshared: this.unshared(listed, true, count) });
    return true;
  }

  /** Where the last message of each partition came to lie. */
  protected after({ then, step }: Carried): Partial<Status> | undefined {
    const keys = Object.keys(then.offsets ?? {});
    const got = this.ask(`here-${step}`, Object.fromEntries(keys.map((key) => [key, beyond])), false);
    if (!got) return undefined;
    const { ends } = newsIn(got.rows?.[0]?.[1] ?? '[]');
    const offsets = Object.fromEntries(keys.map((key) => [key, { ...then.offsets![key]!, here: ends[key] ?? then.offsets![key]!.here }]));
    return { offsets };
  }
}
