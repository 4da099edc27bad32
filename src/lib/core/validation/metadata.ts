import type { At } from './at';
import { label, labelValue, prefixed, qualified, sizeOf, subdomain } from './words';

/** Bytes that all annotations of an object may have together. Source: the cluster API's "Annotations". */
const mostAnnotations = 256 * 1024;
const oldFinalizers = ['orphan', 'foregroundDeletion', 'kubernetes'];

const keyHelp = 'Write a name such as app or example.com/app.';
const valueHelp = 'Write up to 63 letters, digits, "-", "_" and ".", e.g. "events-1".';

/** A map of labels: what is on objects, and what selectors of pairs ask for. Source: "Labels and Selectors: Syntax and character set". */
export function labels(at: At): void {
  for (const [key, value] of at.entries) {
    const fault = qualified(key);
    if (fault) value.refuse(`has the key "${key.slice(0, 80)}", which ${fault}`, keyHelp);
    value.follows(labelValue, valueHelp);
  }
}

function annotations(at: At): void {
  let bytes = 0;
  for (const [key, value] of at.entries) {
    const fault = qualified(key.toLowerCase());
    if (fault) value.refuse(`has the key "${key.slice(0, 80)}", which ${fault}`, keyHelp);
    bytes += sizeOf(key) + sizeOf(value.text ?? '');
  }
  if (bytes > mostAnnotations)
    at.refuse(`holds ${bytes.toLocaleString('en')} bytes; at most 262,144 are allowed together`, 'Keep large texts in a ConfigMap.');
}

function owners(at: At): void {
  let controllers = 0;
  for (const owner of at.items) {
    for (const field of ['apiVersion', 'kind', 'name', 'uid']) owner.of(field).need('what the owner has');
    if (owner.of('controller').isTrue && (controllers += 1) > 1)
      owner.of('controller').refuse('is true for a second owner; an object has one controller', 'Leave controller out of all but one.');
  }
}

/** Source: ObjectMeta v1 meta. */
export function metadata(at: At): void {
  labels(at.of('labels'));
  annotations(at.of('annotations'));
  owners(at.of('ownerReferences'));
  at.of('finalizers').items.forEach((one) => {
    if (one.text !== undefined && !oldFinalizers.includes(one.text))
      one.follows(prefixed, 'Write it with a prefix, e.g. example.com/keep.');
  });
  const generate = at.of('generateName');
  if (generate.text)
    generate.follows((text) => subdomain(text.replace(/-+$/, 'a')), 'Write the beginning of a name, e.g. load-.', 'bad-name');
}

/** Metadata of a template: they have no name of their own to hold to a rule. */
export function templateMetadata(at: At): void {
  labels(at.of('labels'));
  annotations(at.of('annotations'));
}

function expressions(at: At): void {
  for (const one of at.items) {
    one.of('key').follows(qualified, keyHelp);
    const [operator, values] = [one.of('operator').text, one.of('values')];
    one.of('operator').oneOf(['In', 'NotIn', 'Exists', 'DoesNotExist']);
    if (operator === 'In' || operator === 'NotIn') {
      if (!values.items.length) values.refuse(`is empty; ${operator} asks for values`, 'Name at least one value.', 'missing-field');
    } else if (values.items.length) values.refuse(`stands beside ${operator}, which takes no values`, 'Leave values out.');
    for (const value of values.items) value.follows(labelValue, valueHelp);
  }
}

/** Source: LabelSelector v1 meta. */
export function selector(at: At): void {
  labels(at.of('matchLabels'));
  expressions(at.of('matchExpressions'));
}

export const namespaceName = (at: At): void => void at.follows(label, 'Write the name of a namespace.', 'bad-name');
