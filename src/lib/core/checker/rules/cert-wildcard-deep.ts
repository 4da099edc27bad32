import { clusterDomain } from '../../model';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'cert-wildcard-deep',
  level: 'error',
  title: 'A wildcard that is meant to cover two labels',
  why: 'A wildcard covers exactly one label, the leftmost (RFC 9525): *.store.tickets.svc covers store-0.store.tickets.svc, and neither a.store-0.store.tickets.svc nor store.tickets.svc.',
  bad: 'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, names: ["*.*.default.svc.cluster.local"]}\n',
  good: 'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, names: ["*.store.default.svc.cluster.local"]}\n',
  check: ({ written, find, target }) =>
    written('Certificate').flatMap((on) =>
      on.object.spec.names.flatMap((one, i) => {
        if (!one.slice(1).includes('*') && !(one.includes('*') && !one.startsWith('*.'))) return [];
        const found = find('StatefulSet', on.object.metadata.namespace ?? 'default', on.object.spec.set ?? '');
        const better = found?.spec.serviceName
          ? `*.${found.spec.serviceName}.${found.metadata.namespace ?? 'default'}.svc.${clusterDomain(target)}`
          : undefined;
        return [
          hit(
            on,
            ['spec', 'names', i],
            `"${one}": only the leftmost label may be a wildcard, and it covers one label.`,
            better ? `Write ${better}.` : 'Write one wildcard for each service, leftmost.',
            better ? change(`Write ${better}`, on, { set: ['spec', 'names', i], value: better }) : undefined
          )
        ];
      })
    )
});
