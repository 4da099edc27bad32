import { error } from '@sveltejs/kit';
import { helpHtml, helpPages } from '$ui/help';
import type { PageLoad } from './$types';

export const load: PageLoad = ({ params }) => {
  const found = helpPages.find((one) => one.id === params.page);
  if (!found) error(404, `There is no help page ${params.page}.`);
  return { title: found.title, html: helpHtml(found), pages: helpPages.map(({ id, title }) => ({ id, title })) };
};
