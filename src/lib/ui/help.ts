import { Marked } from 'marked';

// Our own texts, shipped with the application and readable without it.
const files = import.meta.glob<string>('../../../docs/help/*.md', { query: '?raw', import: 'default', eager: true });
const marked = new Marked();

/** One page of help: what a sheet shows, what to do, the words. */
export interface HelpPage {
  readonly id: string;
  readonly title: string;
  readonly text: string;
}

const order = [
  'estate',
  'wrong',
  'ground',
  'supply',
  'claims',
  'members',
  'proofs',
  'root-line',
  'drafts',
  'drills',
  'links',
  'backups',
  'sizing',
  'handover',
  'tape'
];

export const helpPages: readonly HelpPage[] = Object.entries(files)
  .map(([path, text]) => ({ id: /([^/]+)\.md$/.exec(path)![1]!, title: /^# (.+)$/m.exec(text)?.[1] ?? '', text }))
  .sort((a, b) => order.indexOf(a.id) - order.indexOf(b.id));

/** A page as HTML, without its title. */
export const helpHtml = ({ text }: HelpPage): string => marked.parse(text.replace(/^# .+\n/, ''), { async: false });

/** The page for an address; the estate's where none fits better. */
export function helpFor(pathname: string): HelpPage {
  const part = pathname.startsWith('/r/') ? (pathname.split('/')[3] ?? 'members') : 'estate';
  const id =
    { blueprints: 'members', operators: 'members', dump: 'wrong', compare: 'wrong', rehearse: 'estate', move: 'links' }[part] ?? part;
  return helpPages.find((one) => one.id === id) ?? helpPages[0]!;
}

/** Pages in which a text stands, those first that have it in their titles. */
export function findHelp(wanted: string): HelpPage[] {
  if (wanted.length < 2) return [];
  const titled = helpPages.filter((one) => one.title.toLowerCase().includes(wanted));
  return [...titled, ...helpPages.filter((one) => one.text.toLowerCase().includes(wanted) && !titled.includes(one))];
}
