import { scopeIn } from '$core/exports';
import { bytesOf, milliCpuOf } from '$core/shared';
import { keyOf, type ApiObject, type Facts, type Ref } from '$core/model';
import type { RootLine } from '$core/rootline';

/** Values that a path of evidence leads to: `[]` is any item, `[x]` the field x, or the item whose name, type or key is x. */
function leaves(value: unknown, path: string): unknown[] {
  const step = /^\.?(?:([^.[\]]+)|\[([^\]]*)\])/.exec(path);
  if (!step) return path === '' ? [value] : [];
  const [whole, field, inside] = step;
  const rest = path.slice(whole.length);
  if (value === undefined || value === null) return [];
  if (Array.isArray(value)) {
    if (field !== undefined) return value.flatMap((one) => leaves(one, path));
    if (inside === '') return value.flatMap((one) => leaves(one, rest));
    const named = value.filter((one: Record<string, unknown>, i) => [one.name, one.type, one.key, String(i)].includes(inside));
    return named.flatMap((one) => leaves(one, rest));
  }
  if (typeof value !== 'object') return [];
  return leaves((value as Record<string, unknown>)[field ?? inside!], rest);
}

const texts = (value: unknown): string[] =>
  typeof value === 'object' && value !== null ? Object.values(value).flatMap(texts) : value === undefined ? [] : [String(value)];

/** Evidence of a root line that doesn't stand on the object that it names, each in one line. */
export function unfounded(facts: Facts, line: RootLine): string[] {
  return line.joints.flatMap((joint) =>
    joint.evidence.flatMap(({ object: ref, field, value, event }) => {
      const told = `${joint.joint} ${joint.state}: ${keyOf(ref)} ${field ?? ''} ${value ?? event?.reason ?? ''}`;
      if (ref.name === '(all)') {
        const all = new Set((facts.list(ref.kind) as ApiObject[]).flatMap((one) => leaves(one, field ?? '').map(String)));
        return value === 'none' || value === 'there are none'
          ? all.size
            ? [told]
            : []
          : (value ?? '').split(', ').every((one) => all.has(one))
            ? []
            : [told];
      }
      const known = facts.get(ref.kind, ref.namespace, ref.name) as ApiObject | undefined;
      const other = scopeIn(facts).others.find((one) => keyOf(one as unknown as Ref) === keyOf(ref));
      const object = known ?? (other && { metadata: other, status: { conditions: other.conditions, ...other.tells } });
      if (event) {
        const found = facts.eventsOf(ref).find((one) => one.reason === event.reason && (one.message ?? '') === event.message);
        return found ? [] : [`${told}: no such event: ${event.message}`];
      }
      if (field === undefined) return [];
      const said = value ?? '';
      // What nobody is: no object of the kind names it.
      const nobody = /^none names (\S+)$/.exec(said);
      if (ref.name === '(any)' && nobody)
        return (facts.list(ref.kind) as ApiObject[]).some((one) => leaves(one, field ?? '').includes(nobody[1])) ? [told] : [];
      if (!object && field === 'host') return ref.name === said ? [] : [told];
      if (!object) return /no such object|does(n't| not) exist|not in the export/.test(said) ? [] : [`${told}: no such object`];
      const found = leaves(object, field);
      if (said === 'not set') return found.every((one) => one === undefined || one === null || one === '') ? [] : [told];
      // What would be right, beside what is: the two differ.
      if (said.startsWith('wanted: ')) return found.includes(said.slice('wanted: '.length)) ? [told] : [];
      // Why a node takes it not, worked out from the whole of the node.
      if (ref.kind === 'Node' && field === 'status') return /^[a-z-]+$/.test(said) ? [] : [told];
      const room = /^([\d,]+) (MiB|m) (?:in all|left)/.exec(said);
      if (room) {
        const amount = Number(room[1]!.replaceAll(',', ''));
        const whole = room[2] === 'MiB' ? bytesOf(String(found[0])) / 2 ** 20 : milliCpuOf(String(found[0]));
        return (said.includes('in all') ? amount === Math.floor(whole) : amount <= whole) ? [] : [`${told}: it is ${String(found[0])}`];
      }
      if (found.some((one) => texts(one).some((text) => said.includes(text) || (text.length > 20 && text.includes(said))))) return [];
      return [`${told}: it is ${JSON.stringify(found).slice(0, 120)}`];
    })
  );
}
