import type { ApiObject } from '$core/model';

const emptied = <T>(map: Readonly<Record<string, T>> | undefined): Record<string, string> =>
  Object.fromEntries(Object.keys(map ?? {}).map((key) => [key, '']));

/** An object as it may leave unasked: the values of secrets, and passwords of registries, are taken out; their keys stay. */
export function covered(one: ApiObject): ApiObject {
  if (one.kind === 'Secret') {
    const { stringData } = one as { stringData?: Record<string, string> };
    return { ...one, data: emptied(one.data), ...(stringData ? { stringData: emptied(stringData) } : {}) };
  }
  if (one.kind === 'Held') return { ...one, spec: { ...one.spec, object: covered(one.spec.object as unknown as ApiObject) } } as ApiObject;
  if (one.kind === 'Registry' && one.spec.logins)
    return { ...one, spec: { ...one.spec, logins: one.spec.logins.map((login) => ({ ...login, password: '' })) } };
  if (one.kind === 'Ground' && one.spec.registries)
    return {
      ...one,
      spec: {
        ...one.spec,
        registries: one.spec.registries.map((two) =>
          two.logins ? { ...two, logins: two.logins.map((login) => ({ ...login, password: '' })) } : two
        )
      }
    };
  return one;
}
