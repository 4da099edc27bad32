import { bytesOf, type Problem } from '../shared';
import { boundFaults } from './bounds';
import { nameFault, ordinalsOf, selectorMatches, type ApiObject, type LabelSelector, type PodSpec, type PodTemplate } from '../model';

/** A fault that no schema shows, with its place in the object. */
export interface Fault {
  readonly field: readonly (string | number)[];
  readonly code: Problem['code'];
  readonly message: string;
  readonly remedy: string;
}

function sizeFault(size: string | number, field: Fault['field']): Fault[] {
  if (bytesOf(size) > 0) return [];
  return [{ field, code: 'bad-quantity', message: `A claim of ${size} asks for nothing.`, remedy: 'Ask for more than 0, e.g. 40Gi.' }];
}

/** Source: the cluster API's IntOrString where it stands for a share: a whole number from 0 on, or a percentage such as "25%". */
function shareFault(value: string | number | undefined, field: Fault['field']): Fault[] {
  if (value === undefined || (typeof value === 'number' ? value >= 0 : /^\d+%$/.test(value))) return [];
  return [
    {
      field,
      code: 'bad-value',
      message: `"${value}" is neither a whole number from 0 on nor a percentage.`,
      remedy: 'Write a number such as 1, or a percentage such as "25%".'
    }
  ];
}

function templateFaults(selector: LabelSelector, template: PodTemplate): Fault[] {
  const faults = podFaults(template.spec, ['spec', 'template', 'spec']);
  const empty = !Object.keys(selector.matchLabels ?? {}).length && !selector.matchExpressions?.length;
  if (empty)
    faults.push({
      field: ['spec', 'selector'],
      code: 'selector-labels',
      message: 'The selector is empty.',
      remedy: 'Name the labels of the template under matchLabels.'
    });
  else if (!selectorMatches(selector, template.metadata?.labels))
    faults.push({
      field: ['spec', 'selector'],
      code: 'selector-labels',
      message: 'The selector does not match the labels of the template, so it would never find its own pods.',
      remedy: 'Give spec.template.metadata.labels every pair that spec.selector.matchLabels names.'
    });
  return faults;
}

function podFaults(spec: PodSpec, field: Fault['field'], provided: ReadonlySet<string> = new Set()): Fault[] {
  const faults: Fault[] = [];
  const volumes = new Set([...(spec.volumes ?? []).map((one) => one.name), ...provided]);
  const names = new Set<string>();
  spec.containers.forEach((container, i) => {
    const at = [...field, 'containers', i];
    const fault = nameFault(container.name, 'label');
    if (fault)
      faults.push({
        field: [...at, 'name'],
        code: 'bad-name',
        message: `The container's name "${container.name}" ${fault}.`,
        remedy: 'Choose another name.'
      });
    if (names.has(container.name))
      faults.push({
        field: [...at, 'name'],
        code: 'bad-name',
        message: `Two containers are called "${container.name}".`,
        remedy: 'Give each its own name.'
      });
    names.add(container.name);
    if (container.image.trim() === '')
      faults.push({ field: [...at, 'image'], code: 'bad-value', message: 'The image is empty.', remedy: 'Name an image.' });
    container.volumeMounts?.forEach((mount, k) => {
      if (volumes.has(mount.name)) return;
      faults.push({
        field: [...at, 'volumeMounts', k, 'name'],
        code: 'mount-without-volume',
        message: `The mount "${mount.name}" names no volume of this pod.`,
        remedy: `Write one of: ${[...volumes].join(', ') || '(the pod has no volumes)'}.`
      });
    });
  });
  return faults;
}

/**
 * What the cluster API refuses beyond types: selectors that miss their own template, claims of nothing, mounts without a volume,
 * base64 that isn't. Sources: the API's validation as described in its reference of each kind.
 */
export function extraFaults(object: ApiObject): Fault[] {
  // What is too much isn't counted through to find more.
  const bound = boundFaults(object);
  return bound.length ? bound : ownFaults(object);
}

function ownFaults(object: ApiObject): Fault[] {
  switch (object.kind) {
    case 'PersistentVolumeClaim':
      return sizeFault(object.spec.resources.requests.storage, ['spec', 'resources', 'requests', 'storage']);
    case 'PersistentVolume':
      return sizeFault(object.spec.capacity.storage, ['spec', 'capacity', 'storage']);
    case 'Pod':
      return podFaults(object.spec, ['spec']);
    case 'PodDisruptionBudget':
      return (['minAvailable', 'maxUnavailable'] as const).flatMap((field) => shareFault(object.spec[field], ['spec', field]));
    case 'Deployment':
      return [
        ...templateFaults(object.spec.selector, object.spec.template),
        ...(['maxSurge', 'maxUnavailable'] as const).flatMap((field) =>
          shareFault(object.spec.strategy?.rollingUpdate?.[field], ['spec', 'strategy', 'rollingUpdate', field])
        )
      ];
    case 'DaemonSet':
      return templateFaults(object.spec.selector, object.spec.template);
    case 'StatefulSet': {
      const templates = object.spec.volumeClaimTemplates ?? [];
      const provided = new Set(templates.map((one) => one.metadata.name));
      const own = templateFaults(object.spec.selector, { ...object.spec.template, spec: { ...object.spec.template.spec, containers: [] } });
      const longest = `${object.metadata.name}-${ordinalsOf(object).at(-1) ?? 0}`;
      const tooLong: Fault[] = nameFault(longest, 'label')
        ? [
            {
              field: ['metadata', 'name'],
              code: 'bad-name',
              message: `The member "${longest}" would not be a valid host name.`,
              remedy: 'Shorten the name: with its ordinal it may have 63 characters and no dots.'
            }
          ]
        : [];
      return [
        ...own,
        ...tooLong,
        ...podFaults(object.spec.template.spec, ['spec', 'template', 'spec'], provided),
        ...templates.flatMap((one, i) =>
          sizeFault(one.spec.resources.requests.storage, ['spec', 'volumeClaimTemplates', i, 'spec', 'resources', 'requests', 'storage'])
        )
      ];
    }
    case 'Secret':
      return Object.entries(object.data ?? {}).flatMap(([key, value]) =>
        /^(?:[A-Za-z0-9+/]{4})*(?:[A-Za-z0-9+/]{2}==|[A-Za-z0-9+/]{3}=)?$/.test(value.replace(/\s/g, ''))
          ? []
          : [
              {
                field: ['data', key],
                code: 'bad-value' as const,
                message: `data.${key} is not base64.`,
                remedy: 'Put plain text under stringData instead.'
              }
            ]
      );
    default:
      return [];
  }
}
