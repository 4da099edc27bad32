import { ordinalsOf, memberName } from '../../model';
import { join, service, set } from '../examples';
import { containerPlaces, textsOf } from '../pods';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'bare-member-name',
  level: 'warning',
  title: 'A member is called by its bare name',
  why: 'A member answers to <pod>.<service> in its own namespace, and to <pod>.<service>.<namespace> from any. Its bare name does not resolve.',
  bad: join(
    service('clusterIP: None, publishNotReadyAddresses: true, selector: {app: store}, ports: [{port: 7110}]'),
    set({ spec: 'replicas: 3', container: 'args: [--join, "store-0:7110"]' })
  ),
  good: join(
    service('clusterIP: None, publishNotReadyAddresses: true, selector: {app: store}, ports: [{port: 7110}]'),
    set({ spec: 'replicas: 3', container: 'args: [--join, "store-0.store:7110"]' })
  ),
  check: (context) => {
    const sets = context.all('StatefulSet');
    return containerPlaces(context).flatMap(({ on, container, at, namespace }) =>
      textsOf(container, at).flatMap(({ text, path }) =>
        sets.flatMap((set) => {
          const names = ordinalsOf(set).map((one) => memberName(set, one));
          const found = names.find((name) => new RegExp(`(^|[^\\w.-])${name}(?![\\w.-])`).test(text));
          if (!found || !set.spec.serviceName) return [];
          const space = set.metadata.namespace ?? 'default';
          const tail = `.${set.spec.serviceName}${space === namespace ? '' : `.${space}`}`;
          const better = names.reduce(
            (all, name) => all.replace(new RegExp(`(^|[^\\w.-])${name}(?![\\w.-])`, 'g'), `$1${name}${tail}`),
            text
          );
          return [
            hit(
              on,
              path,
              `"${found}" does not resolve; ${found}${tail} does.`,
              `Write ${found}${tail}.`,
              change(`Write ${found}${tail}`, on, { set: path, value: better })
            )
          ];
        })
      )
    );
  }
});
