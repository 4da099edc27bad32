import { rule, change, hit, listed } from '../rule';

export default rule({
  id: 'tls-secret-shape',
  level: 'error',
  title: 'A TLS secret of the wrong type or without a key',
  why: 'A TLS secret has the type kubernetes.io/tls and carries tls.crt and tls.key; whoever checks the other side needs ca.crt too.',
  bad: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-tls}\ntype: Opaque\ndata: {tls.crt: Y2VydA==, tls.key: a2V5, ca.crt: Y2VydA==}\n',
  good: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-tls}\ntype: kubernetes.io/tls\ndata: {tls.crt: Y2VydA==, tls.key: a2V5, ca.crt: Y2VydA==}\n',
  check: ({ written }) =>
    written('Secret').flatMap((on) => {
      const keys = [...Object.keys(on.object.data ?? {}), ...Object.keys(on.object.stringData ?? {})];
      const tls = on.object.type === 'kubernetes.io/tls';
      if (!tls && !keys.includes('tls.crt')) return [];
      const lacks = ['tls.crt', 'tls.key'].filter((key) => !keys.includes(key));
      if (lacks.length)
        return [hit(on, ['data'], `${on.object.metadata.name} carries no ${listed(lacks)}.`, 'A TLS secret needs tls.crt and tls.key.')];
      if (!tls)
        return [
          hit(
            on,
            on.object.type ? ['type'] : ['metadata', 'name'],
            `${on.object.metadata.name} has the type ${on.object.type ?? 'Opaque'}.`,
            'Write type: kubernetes.io/tls.',
            change('Write kubernetes.io/tls', on, { set: ['type'], value: 'kubernetes.io/tls' })
          )
        ];
      return [];
    })
});
