import { pod } from '../examples';
import { containerPlaces } from '../pods';
import { rule, change, hit } from '../rule';

const secretName = /(pass(word|wd|phrase)?|secret|token|api_?key|access_?key|private_?key)s?$/i;

export default rule({
  id: 'password-in-env',
  level: 'warning',
  title: 'A password in plain text',
  why: 'Whoever may read the manifest, or look at the pod, reads the password. Put it into a secret, generated, and refer to it.',
  bad: pod({ container: 'env: [{name: DB_PASSWORD, value: sunshine}]' }),
  good: pod({ container: 'env: [{name: DB_PASSWORD, valueFrom: {secretKeyRef: {name: tool-access, key: password, optional: true}}}]' }),
  check: (context) => [
    ...containerPlaces(context).flatMap(({ on, container, at }) =>
      (container.env ?? []).flatMap((one, i) => {
        if (one.value === undefined || one.value === '' || !secretName.test(one.name) || one.value.startsWith('$(')) return [];
        const name = `${on.object.metadata.name}-access`;
        const key = one.name.toLowerCase().replace(/_/g, '-');
        return [
          hit(
            on,
            [...at, 'env', i, 'value'],
            `${one.name} is written out.`,
            `Put it into a secret and refer to it.`,
            change(`Refer to the secret ${name}`, on, {
              set: [...at, 'env', i],
              value: { name: one.name, valueFrom: { secretKeyRef: { name, key } } }
            })
          )
        ];
      })
    ),
    ...context
      .written('ConfigMap')
      .flatMap((on) =>
        Object.entries(on.object.data ?? {}).flatMap(([key, text]) =>
          /^\s*[\w.-]*(password|passwd|secret|token)[\w.-]*\s*[:=]\s*[^\s${<]{3,}/im.test(text)
            ? [hit(on, ['data', key], `${key} carries a password.`, 'Config maps are open to all: move it into a secret.')]
            : []
        )
      )
  ]
});
