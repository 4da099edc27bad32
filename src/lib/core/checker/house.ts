import { judge } from '../manifest';
import type { CheckSettings } from '../model';
import { parse } from 'yaml';
import { holds } from './expressions';
import type { Accepted, DraftContext, Finding, Level, Rule, WrittenOf } from './types';

type Own = NonNullable<CheckSettings['spec']['rules']>[number];

/** Annotations of an object by which one finding of it is let be: the rule's id follows, the reason is the value. */
export const acceptedMark = 'standin.example/accepted.';

/** The code under which rules of one's own are told. */
export const ownCode = (id: string): string => `own:${id}`;

const settingsOf = (context: DraftContext): CheckSettings[] => context.all('CheckSettings');

/** `*` stands for any part of a name. Each part is looked for once, from left to right. */
function fits(pattern: string, object: string): boolean {
  const parts = pattern.split('*');
  const [first, last] = [parts.shift()!, parts.pop()];
  if (last === undefined) return pattern === object;
  if (!object.startsWith(first) || !object.endsWith(last) || object.length < first.length + last.length) return false;
  let at = first.length;
  for (const part of parts) {
    const found = object.indexOf(part, at);
    if (found < 0) return false;
    at = found + part.length;
  }
  return at <= object.length - last.length;
}

/** `reason; until 2027-03-31` */
function fromText(text: string): Accepted {
  const match = /^(.*?);?\s*until (\d{4}-\d{2}-\d{2})$/s.exec(text.trim());
  return match ? { reason: match[1]!.trim() || 'no reason given', until: match[2]! } : { reason: text.trim() || 'no reason given' };
}

/** The bound by which a rule looks: the house's, where it sets one that is within its range. */
export function boundOf(context: DraftContext, { id, threshold }: Rule): number {
  if (!threshold) return 0;
  const [least, most] = threshold.range;
  const set = settingsOf(context)
    .map(({ spec }) => spec.thresholds?.[id])
    .findLast((one) => one !== undefined);
  return set !== undefined && set >= least && set <= most ? set : threshold.usual;
}

/** What rules of one's own find. */
export function ownFindings(context: DraftContext): Finding[] {
  const found: Finding[] = [];
  for (const { spec } of settingsOf(context))
    for (const rule of spec.rules ?? [])
      for (const on of rule.kinds.flatMap((kind) => context.written(kind as 'Pod')) as WrittenOf<'Pod'>[]) {
        const said = holds(rule.expression, on.object);
        if (said === true) continue;
        found.push({
          code: ownCode(rule.id),
          severity: rule.level,
          at: { ...on.writing.place([]), ...(on.at.object ? { object: on.at.object } : {}) },
          message: said === false ? rule.message : `The rule ${rule.id} can't be told of it: ${said.fault}.`,
          remedy: said === false ? rule.remedy : 'Ask with has() for what may lack.'
        });
      }
  return found;
}

/** Why the examples of a rule of one's own don't show what they should; undefined when they do. */
export function exampleFault(rule: Own): string | undefined {
  for (const [field, wanted] of [
    ['good', true],
    ['bad', false]
  ] as const) {
    const text = rule[field];
    if (text === undefined) continue;
    let object: unknown;
    try {
      object = judge(parse(text)).object;
    } catch {
      object = undefined;
    }
    if (!object) return `its example "${field}" is no manifest that is taken`;
    if (holds(rule.expression, object) !== wanted) return `its example "${field}" is ${wanted ? 'found all the same' : 'not found'}`;
  }
  return undefined;
}

/**
 * Findings as the house has them: levels of its own, rules that are off, and what is accepted until a day.
 * @param today the day, e.g. 2026-11-28; without one no acceptance ends
 */
export function asTheHouseHas(found: readonly Finding[], context: DraftContext, today: string | undefined): Finding[] {
  const settings = settingsOf(context);
  const levels = new Map<string, Level | 'off'>(settings.flatMap(({ spec }) => Object.entries(spec.levels ?? {})));
  const marks = new Map(context.written(...context.kinds).map((one) => [one.at.object, one.object.metadata.annotations ?? {}]));
  const acceptance = ({ code, at }: Finding): Accepted | undefined => {
    const mark = marks.get(at.object)?.[`${acceptedMark}${code}`];
    if (mark !== undefined) return fromText(mark);
    for (const { spec } of settings)
      for (const { rule, object, reason, until } of spec.accepted ?? [])
        if (rule === code && fits(object, at.object ?? '')) return { reason, ...(until === undefined ? {} : { until }) };
    return undefined;
  };
  return found.flatMap((one) => {
    const level = levels.get(one.code) ?? one.severity;
    if (level === 'off') return [];
    const accepted = acceptance(one);
    const over = accepted?.until !== undefined && today !== undefined && accepted.until < today;
    const message = over ? `${one.message} It was accepted until ${accepted.until} (${accepted.reason}).` : one.message;
    return [{ ...one, severity: level, message, ...(accepted && !over ? { accepted } : {}) }];
  });
}
