import { plainText } from '../../shared';
import { kindEntry, kindEntries } from '../../model';
import { join, service, set } from '../examples';
import { rule, nearest } from '../rule';

export default rule({
  id: 'unknown-kind',
  level: 'error',
  title: 'Nobody here knows this kind',
  why: 'A kind is known by its name, spelled exactly, together with its API version. A kind that the cluster does not know is refused.',
  bad: 'apiVersion: apps/v1\nkind: Statefulset\nmetadata: {name: store}\n',
  good: join(service(), set()),
  repair({ written, path }) {
    const kind = plainText(written.value.kind);
    const entry =
      kindEntry(kind) ??
      kindEntry(
        nearest(
          kind,
          kindEntries.map((one) => one.kind)
        ) ?? ''
      );
    if (!entry || written.value.kind === undefined) return undefined;
    return path[0] === 'apiVersion'
      ? { says: `Write ${entry.apiVersion}`, own: [{ set: ['apiVersion'], value: entry.apiVersion }] }
      : {
          says: `Write ${entry.kind}`,
          own: [
            { set: ['kind'], value: entry.kind },
            { set: ['apiVersion'], value: entry.apiVersion }
          ]
        };
  }
});
