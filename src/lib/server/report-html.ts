import { Marked } from 'marked';

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

// What stands in a report comes from manifests: nothing of it is taken for markup, and nothing leads anywhere.
const marked = new Marked({
  renderer: {
    html: ({ text }) => escaped(text),
    link: ({ text }) => escaped(text),
    image: ({ text }) => escaped(text)
  }
});

/** How it looks: on screen, and on A4. */
const style = `
:root { color-scheme: light; }
body { margin: 0 auto; padding: 2rem 1.5rem; max-width: 46rem; font: 10.5pt/1.5 system-ui, sans-serif; color: #1f1b16; background: #fffdf8; }
h1 { font-size: 1.6rem; margin: 0 0 .3rem; border-top: 8px double #3d5a9a; padding-top: .8rem; }
h2 { font-size: 1.15rem; margin: 2rem 0 .5rem; border-bottom: 1px solid #1f1b16; padding-bottom: .2rem; break-after: avoid; }
h3 { font-size: 1rem; margin: 1.2rem 0 .3rem; break-after: avoid; }
h1 + p { color: #6b6257; margin-top: 0; }
h1 + p + p { font-size: 1.1rem; }
table { border-collapse: collapse; width: 100%; margin: .4rem 0 1rem; break-inside: auto; }
thead:not(:has(th:not(:empty))) { display: none; }
th { text-align: left; font-weight: 400; color: #6b6257; }
td, th { border-bottom: 1px solid #ddd5c5; padding: .3rem .8rem .3rem 0; vertical-align: top; overflow-wrap: break-word; }
tr { break-inside: avoid; }
thead:not(:has(th:not(:empty))) + tbody td:first-child { width: 6.5rem; font-weight: 600; }
code { font-size: .92em; }
@page { size: A4; margin: 18mm 16mm; }
@media print { body { padding: 0; max-width: none; background: none; } }
`;

/** A report as a page that has everything inside: it reads on screen, and prints on A4. */
export const reportHtml = (title: string, text: string): string =>
  `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)}</title>
<style>${style}</style>
</head>
<body>
${marked.parse(text, { async: false })}</body>
</html>
`;
