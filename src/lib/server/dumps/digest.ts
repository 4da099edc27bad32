import { gzipSync } from 'node:zlib';
import { keepValue, latestIn, latestInOther, parseJsonText, parseYamlCut, spreadOut, type Cut, type OtherObject } from '$core/dumps';
import type { ApiObject } from '$core/model';
import type { Problem } from '$core/shared';

/** A group of documents that is to be read. */
export interface Group extends Cut {
  readonly json: boolean;
  readonly name?: string | undefined;
}

/** What a group of documents came to. */
export interface Digest {
  /** Objects in parts: gzip of a JSON list each. */
  readonly parts: readonly { readonly bytes: Uint8Array; readonly count: number }[];
  /** `Kind/namespace/name` of each object. */
  readonly ids: readonly string[];
  readonly others: readonly OtherObject[];
  readonly problems: readonly Problem[];
  /** Kinds for which a typed list was there, also an empty one. */
  readonly lists: readonly string[];
  /** The latest moment that an object tells of (ms of the calendar). */
  readonly latestMs: number;
}

/** Objects are handed on in parts of so many. */
const partLength = 250;

/** Reads a group of documents and packs what is kept of it. */
export function digestOf({ json, name, ...cut }: Group, secrets: boolean): Digest {
  const { values, problems: faults } = json ? parseJsonText(cut.text, name) : parseYamlCut(cut, name);
  const problems = [...faults];
  const others: OtherObject[] = [];
  const ids: string[] = [];
  const lists = new Set<string>();
  const parts: { bytes: Uint8Array; count: number }[] = [];
  let latestMs = 0;
  let part: ApiObject[] = [];
  const flush = () => {
    if (part.length) parts.push({ bytes: gzipSync(JSON.stringify(part), { level: 1 }), count: part.length });
    part = [];
  };
  for (const value of values) {
    const list = /^(\w+)List$/.exec(String((value as { kind?: unknown } | null)?.kind ?? ''))?.[1];
    if (list) lists.add(list);
    for (const one of spreadOut(value)) {
      const kept = keepValue(one, secrets);
      if ('problem' in kept && kept.problem) problems.push(kept.problem);
      if ('other' in kept) {
        others.push(kept.other);
        latestMs = Math.max(latestMs, latestInOther(kept.other));
      }
      if (!('object' in kept)) continue;
      const { object } = kept;
      ids.push(`${object.kind}/${object.metadata.namespace ?? ''}/${object.metadata.name}`);
      latestMs = Math.max(latestMs, latestIn(object));
      part.push(object);
      if (part.length >= partLength) flush();
    }
  }
  flush();
  return { parts, ids, others, problems, lists: [...lists], latestMs };
}
