import type { ApiObject } from '../model';
import { At, type FieldFault } from './at';
import { strictVariable } from './words';

/** From this minor version on names of variables may hold more. Source: "Define Environment Variables for a Container"; from memory. */
const looseVariables = 32;

function specOf(at: At): At {
  if (at.value && (at.value as ApiObject).kind === 'Pod') return at.of('spec');
  return at.of('spec', 'template', 'spec');
}

/** What a version of the cluster API refuses, and a later one takes. `minor`: 32 for 1.32. */
export function versionFaults(object: ApiObject, minor: number): FieldFault[] {
  const found: FieldFault[] = [];
  if (minor >= looseVariables) return found;
  const spec = specOf(new At(object, [], found));
  for (const list of ['containers', 'initContainers'])
    for (const container of spec.of(list).items)
      for (const one of container.of('env').items)
        one.of('name').follows(strictVariable, `Write letters, digits and "_"; more is taken from 1.${looseVariables} on.`);
  return found;
}
