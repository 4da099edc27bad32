import { kindEntries } from '../../model';
import { join, claim } from '../examples';
import { rule, hit } from '../rule';

export default rule({
  id: 'same-but-namespace',
  level: 'warning',
  title: 'Two objects differ only in the namespace "default"',
  why: 'An object without a namespace goes to "default". Beside one of the same name in the namespace that was meant, it is nearly always a copy that lost its namespace.',
  bad: join(claim(undefined, 'name: ledger, namespace: tickets'), claim()),
  good: join(claim(undefined, 'name: ledger, namespace: tickets'), claim(undefined, 'name: journal, namespace: tickets')),
  check: ({ written }) => {
    const all = written(...kindEntries.filter((one) => one.namespaced).map((one) => one.kind));
    const nameOf = ({ object }: (typeof all)[number]) => `${object.kind} ${object.metadata.name}`;
    const elsewhere = new Map<string, (typeof all)[number]>();
    for (const one of all) if (one.object.metadata.namespace !== 'default' && !elsewhere.has(nameOf(one))) elsewhere.set(nameOf(one), one);
    return all
      .filter((one) => (one.value.metadata as { namespace?: string } | undefined)?.namespace === undefined)
      .flatMap((on) => {
        const twin = elsewhere.get(nameOf(on));
        if (!twin) return [];
        const space = twin.object.metadata.namespace!;
        return [
          hit(
            on,
            ['metadata', 'name'],
            `${on.object.kind} ${on.object.metadata.name} goes to "default"; one of the same name stands in "${space}".`,
            `Write its namespace, or leave it out.`,
            { says: 'Leave it out', out: [on] }
          )
        ];
      });
  }
});
