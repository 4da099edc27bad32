import { stampOf, plural } from '../../shared';
import { expiryOf } from '../cert';
import { rule, change, hit } from '../rule';

export default rule({
  id: 'cert-expires',
  level: 'warning',
  title: 'The certificate ends soon',
  threshold: { usual: 30, unit: 'days', range: [1, 365] },
  why: 'When it ends, members refuse each other, all at the same moment. Renew it in time.',
  bad: 'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, days: 20, names: [store.default.svc]}\n',
  good: 'apiVersion: engines.standin.example/v1\nkind: Certificate\nmetadata: {name: store}\nspec: {secret: store-tls, issuer: {name: own}, days: 365, names: [store.default.svc]}\n',
  check: ({ written, target }, bound) => [
    ...written('Certificate').flatMap((on) =>
      (on.object.spec.days ?? 365) > bound
        ? []
        : [
            hit(
              on,
              ['spec', 'days'],
              `It is valid for ${plural(on.object.spec.days ?? 0, 'day')}.`,
              'Write 365.',
              change('Write 365', on, { set: ['spec', 'days'], value: 365 })
            )
          ]
    ),
    ...written('Secret').flatMap((on) => {
      const ends = expiryOf(on.object);
      const now = target ? Date.parse(stampOf(target.nowMs)) : undefined;
      if (ends === undefined || now === undefined || ends - now > bound * 86_400_000) return [];
      const days = Math.floor((ends - now) / 86_400_000);
      return [
        hit(on, ['data', 'tls.crt'], days < 0 ? `It ended ${plural(-days, 'day')} ago.` : `It ends in ${plural(days, 'day')}.`, 'Renew it.')
      ];
    })
  ]
});
