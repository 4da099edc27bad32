import { join, service, set } from '../examples';
import { rule, change, hit, nearest, listed } from '../rule';

export default rule({
  id: 'cert-secret-apart',
  level: 'warning',
  title: 'Nobody mounts the secret that the certificate goes into',
  why: 'The certificate is put into a secret of a certain name. When the members mount another name they start without it, or not at all.',
  bad: join(
    service(),
    set({
      pod: 'volumes: [{name: tls, secret: {secretName: store-tls, optional: true}}]',
      mounts: '[{name: data, mountPath: /data}, {name: tls, mountPath: /tls}]'
    }),
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-cert, issuer: {name: own}, set: store, names: ["*.store.default.svc.cluster.local"]}\n'
  ),
  good: join(
    service(),
    set({
      pod: 'volumes: [{name: tls, secret: {secretName: store-tls}}]',
      mounts: '[{name: data, mountPath: /data}, {name: tls, mountPath: /tls}]'
    }),
    'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, set: store, names: ["*.store.default.svc.cluster.local"]}\n'
  ),
  check: ({ written, find }) =>
    written('Certificate').flatMap((on) => {
      const found = find('StatefulSet', on.object.metadata.namespace ?? 'default', on.object.spec.set ?? '');
      if (!found) return [];
      const mounted = (found.spec.template.spec.volumes ?? []).flatMap((one) => (one.secret?.secretName ? [one.secret.secretName] : []));
      if (mounted.includes(on.object.spec.secret)) return [];
      const near = nearest(on.object.spec.secret, mounted) ?? (mounted.length === 1 ? mounted[0] : undefined);
      return [
        hit(
          on,
          ['spec', 'secret'],
          `${found.metadata.name} mounts ${mounted.length ? listed(mounted) : 'no secret'}, not ${on.object.spec.secret}.`,
          near ? `Write ${near}.` : 'Mount it where the members look for it.',
          near ? change(`Write ${near}`, on, { set: ['spec', 'secret'], value: near }) : undefined
        )
      ];
    })
});
