import { error } from '@sveltejs/kit';
import { check, ruleOf } from '$core/checker';
import type { PageServerLoad } from './$types';

export const load: PageServerLoad = ({ params }) => {
  const rule = ruleOf(params.code);
  if (!rule) error(404, 'The checker has no such rule.');
  const { id, level, title, why, bad, good, against } = rule;
  const found = against ? undefined : check([{ text: bad }]).find((one) => one.code === id);
  return {
    rule: { id, level, title, why, bad, good, against },
    ...(found ? { found: { message: found.message, remedy: found.remedy, line: found.at.line ?? 1, mend: found.mend?.says } } : {})
  };
};
