import { expressionFault } from '../expressions';
import { exampleFault } from '../house';
import { rule, hit, nearest } from '../rule';
import type { Rule } from '../types';

/** All rules; set once they are known. */
let all: readonly Rule[] = [];
/** Tells which rules there are, so that a misspelt one is found. */
export const knowRules = (rules: readonly Rule[]): void => void (all = rules);

const settings = (spec: string): string => `apiVersion: standin.example/v1\nkind: CheckSettings\nmetadata: {name: house}\nspec:\n${spec}`;

export default rule({
  id: 'house-rules',
  level: 'error',
  title: 'House rules that can not act',
  why: 'A level for a rule that there is not, an expression that can not be read, or an example that shows the contrary: what was meant is not looked after.',
  bad: settings('  levels: {claim-smal: off}\n'),
  good: settings(
    '  rules:\n  - {id: three-members, kinds: [StatefulSet], expression: object.spec.replicas >= 3, message: A set has three members here., level: warning}\n'
  ),
  check: ({ written }) =>
    written('CheckSettings').flatMap((on) => {
      const { levels = {}, thresholds = {}, accepted = [], rules: own = [] } = on.object.spec;
      const known = new Set([...all.map((one) => one.id), ...own.map((one) => `own:${one.id}`)]);
      const strange = (id: string, path: (string | number)[]) => {
        if (known.has(id)) return [];
        const near = nearest(id, [...known]);
        return [hit(on, path, `There is no rule ${id}.`, near ? `Write ${near}, say.` : 'See all rules under /findings.')];
      };
      const unfit = (id: string, value: number, path: (string | number)[]) => {
        const one = all.find((two) => two.id === id);
        if (!one) return strange(id, path);
        if (!one.threshold) {
          const having = all.flatMap((two) => (two.threshold ? two.id : []));
          return [hit(on, path, `The rule ${id} has no threshold.`, `These have one: ${having.join(', ')}.`)];
        }
        const { range, unit, usual } = one.threshold;
        return value >= range[0] && value <= range[1]
          ? []
          : [
              hit(
                on,
                path,
                `${value} is no threshold of ${id}.`,
                `Write ${range[0]} to ${range[1]} ${unit}; it is ${usual} where nothing is said.`
              )
            ];
      };
      return [
        ...Object.keys(levels).flatMap((id) => strange(id, ['spec', 'levels', id])),
        ...Object.entries(thresholds).flatMap(([id, value]) => unfit(id, value, ['spec', 'thresholds', id])),
        ...accepted.flatMap((one, i) => strange(one.rule, ['spec', 'accepted', i, 'rule'])),
        ...own.flatMap((one, i) => {
          const fault = expressionFault(one.expression);
          if (fault !== undefined)
            return [hit(on, ['spec', 'rules', i, 'expression'], `The expression of ${one.id} can't be read: ${fault}.`, 'Correct it.')];
          const example = exampleFault(one);
          return example === undefined
            ? []
            : [hit(on, ['spec', 'rules', i], `The rule ${one.id}: ${example}.`, 'Correct the rule or its example.')];
        })
      ];
    })
});
