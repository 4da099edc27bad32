import { expect, test } from 'vitest';
import { selectorMatches, termsMatch, type LabelSelector } from '$core/model';

/* Source: the cluster API's "Labels and Selectors"; Gt and Lt: NodeSelectorRequirement v1 core ("interpreted as an integer"). */
test.each<[string, string[] | undefined, string | undefined, boolean]>([
  ['In', ['a', 'b'], 'b', true],
  ['In', ['a', 'b'], 'c', false],
  ['In', ['a', 'b'], undefined, false],
  ['NotIn', ['a', 'b'], 'b', false],
  ['NotIn', ['a', 'b'], 'c', true],
  ['NotIn', ['a', 'b'], undefined, true],
  ['Exists', undefined, '', true],
  ['Exists', undefined, undefined, false],
  ['DoesNotExist', undefined, '', false],
  ['DoesNotExist', undefined, undefined, true],
  ['Gt', ['7'], '8', true],
  ['Gt', ['7'], '7', false],
  ['Gt', ['7'], '10', true],
  ['Gt', ['-1'], '', false],
  ['Gt', ['7'], 'many', false],
  ['Gt', ['7'], '8.5', false],
  ['Gt', ['7'], undefined, false],
  ['Lt', ['7'], '6', true],
  ['Lt', ['7'], '7', false],
  ['Lt', ['7'], '', false],
  ['Lt', ['7'], undefined, false]
])('the expression %s %j answers to the label %j: %s', (operator, values, label, holds) => {
  const labels = { ...(label === undefined ? {} : { key: label }), other: 'x' };
  expect(termsMatch([{ matchExpressions: [{ key: 'key', operator, ...(values ? { values } : {}) }] }], labels)).toBe(holds);
  if (operator !== 'Gt' && operator !== 'Lt')
    expect(selectorMatches({ matchExpressions: [{ key: 'key', operator, ...(values ? { values } : {}) }] } as LabelSelector, labels)).toBe(
      holds
    );
});
