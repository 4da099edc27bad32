import { join, pod } from '../examples';
import { containerPlaces, podPlaces } from '../pods';
import { rule, change, hit, nearest } from '../rule';
import type { DraftContext, Hit } from '../types';

const map = 'apiVersion: v1\nkind: ConfigMap\nmetadata: {name: settings}\ndata: {engine.conf: "a=1"}\n';
const mounted = (key: string): string =>
  pod({ spec: `volumes: [{name: c, configMap: {name: settings, items: [{key: ${key}, path: engine.conf}]}}]` });

/** The keys of a config map; undefined where it isn't there, or there is none of this name. */
function keysOf(context: DraftContext, namespace: string, name: string | undefined): string[] | undefined {
  const found = name === undefined ? undefined : context.find('ConfigMap', namespace, name);
  return found && [...Object.keys(found.data ?? {}), ...Object.keys(found.binaryData ?? {})];
}

function told(on: Hit['on'], path: Hit['path'], name: string, key: string, keys: readonly string[]): Hit {
  const near = nearest(key, keys);
  return hit(
    on,
    path,
    `The config map ${name} has no key ${key}.`,
    near ? `Write ${near}.` : `It has ${keys.join(', ') || 'none'}.`,
    near ? change(`Write ${near}`, on, { set: path, value: near }) : undefined
  );
}

export default rule({
  id: 'map-key-missing',
  level: 'error',
  title: 'A key that the config map does not have',
  why: 'A key that is mounted, or read into a variable, and is not there holds the container back for ever, unless it is called optional. The reason stands in an event of each pod only.',
  bad: join(map, mounted('engine.cnf')),
  good: join(map, mounted('engine.conf')),
  check: (context) => [
    ...podPlaces(context).flatMap(({ on, spec, path, namespace }) =>
      (spec.volumes ?? []).flatMap(({ configMap }, i) => {
        const keys = configMap?.optional ? undefined : keysOf(context, namespace, configMap?.name);
        const items = (configMap?.items ?? []) as readonly { key: string }[];
        return items.flatMap(({ key }, k) =>
          keys && !keys.includes(key)
            ? [told(on, [...path, 'volumes', i, 'configMap', 'items', k, 'key'], configMap!.name!, key, keys)]
            : []
        );
      })
    ),
    ...containerPlaces(context).flatMap(({ on, container, at, namespace }) =>
      (container.env ?? []).flatMap(({ valueFrom }, i) => {
        const ref = valueFrom?.configMapKeyRef;
        const keys = ref && !ref.optional ? keysOf(context, namespace, ref.name) : undefined;
        return keys && !keys.includes(ref!.key)
          ? [told(on, [...at, 'env', i, 'valueFrom', 'configMapKeyRef', 'key'], ref!.name ?? '', ref!.key, keys)]
          : [];
      })
    )
  ]
});
