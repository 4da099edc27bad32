import { rule, hit } from '../rule';

export default rule({
  id: 'tls-no-authority',
  level: 'warning',
  title: 'A TLS secret without the authority',
  why: 'Members that check each other need the certificate of the authority that signed them: ca.crt.',
  bad: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-tls}\ntype: kubernetes.io/tls\ndata: {tls.crt: Y2VydA==, tls.key: a2V5}\n',
  good: 'apiVersion: v1\nkind: Secret\nmetadata: {name: store-tls}\ntype: kubernetes.io/tls\ndata: {tls.crt: Y2VydA==, tls.key: a2V5, ca.crt: Y2VydA==}\n',
  check: ({ written }) =>
    written('Secret').flatMap((on) => {
      const keys = [...Object.keys(on.object.data ?? {}), ...Object.keys(on.object.stringData ?? {})];
      return on.object.type === 'kubernetes.io/tls' &&
        !keys.includes('ca.crt') &&
        !written('Issuer').some((one) => one.object.spec.authority === on.object.metadata.name)
        ? [hit(on, ['data'], `${on.object.metadata.name} carries no ca.crt.`, "Add the authority's certificate as ca.crt.")]
        : [];
    })
});
