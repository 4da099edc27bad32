// npm run texts: every text that a reader may meet, one a line, with its file. Interface, errors, findings, root lines, logs.
import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { pathToFileURL } from 'node:url';
import { parse } from 'svelte/compiler';
import ts from 'typescript';

const files = (folder) =>
  readdirSync(folder, { withFileTypes: true }).flatMap((one) =>
    one.isDirectory() ? files(join(folder, one.name)) : /\.(svelte|ts)$/.test(one.name) ? [join(folder, one.name)] : []
  );
/** Whether a text is read by people: words with a space between, and no piece of code or of a manifest. */
const isSaid = (text) =>
  /[a-z]{2,},? [a-z…]/i.test(text) &&
  !/[{}<>]|=>|^\s*[\w.-]+:\s|\n\s+[\w-]+:|^(M|\d)[\d. ]/.test(text) &&
  !/(^|\s)(px-|mt-|mb-|flex|grid|border-|text-\[)/.test(text);
const tidy = (text) =>
  text
    .replace(/\s+/g, ' ')
    .replace(/… (?=[,;.:!?])/g, '…')
    .replace(/^…[,;.:] /, '… ')
    .trim();

function ofScript(source, name) {
  const found = [];
  const tree = ts.createSourceFile(name, source, ts.ScriptTarget.Latest, true);
  const visit = (node) => {
    if (ts.isImportDeclaration(node) || ts.isExportDeclaration(node)) return;
    if (ts.isStringLiteral(node) || ts.isNoSubstitutionTemplateLiteral(node)) found.push(node.text);
    else if (ts.isTemplateExpression(node)) {
      found.push(node.head.text + node.templateSpans.map((one) => `…${one.literal.text}`).join(''));
      for (const one of node.templateSpans) visit(one.expression);
      return;
    }
    ts.forEachChild(node, visit);
  };
  visit(tree);
  return found;
}

function ofMarkup(source) {
  const found = [];
  const walk = (node) => {
    if (!node || typeof node !== 'object') return;
    if (node.type === 'Fragment') {
      // Text goes on over expressions and over elements within a line.
      let run = '';
      for (const one of node.nodes) {
        if (one.type === 'Text') run += one.data;
        else if (one.type === 'ExpressionTag') run += '…';
        else if (one.type === 'RegularElement' && ['span', 'b', 'a', 'button', 'code'].includes(one.name)) run += ' … ';
        else {
          found.push(run);
          run = '';
        }
      }
      found.push(run);
    }
    if (
      node.type === 'Attribute' &&
      ['title', 'aria-label', 'placeholder', 'aria-description'].includes(node.name) &&
      Array.isArray(node.value)
    )
      found.push(node.value.map((one) => (one.type === 'Text' ? one.data : '…')).join(''));
    for (const [key, value] of Object.entries(node)) {
      if (key === 'instance' || key === 'module' || key === 'css') continue;
      if (Array.isArray(value)) value.forEach(walk);
      else if (value && typeof value === 'object' && typeof value.type === 'string') walk(value);
    }
  };
  walk(parse(source, { modern: true }).fragment);
  return found;
}

/** All texts of the sources, each once for a file. */
export function allTexts(root = 'src') {
  return files(root)
    .filter((one) => !/api-fields|meanings|scenario\//.test(one))
    .flatMap((file) => {
      const source = readFileSync(file, 'utf8');
      const script = file.endsWith('.svelte')
        ? [...source.matchAll(/<script[^>]*>([^]*?)<\/script>/g)].map((one) => one[1]).join('\n')
        : source;
      const markup = file.endsWith('.svelte') ? ofMarkup(source) : [];
      // Expressions in the markup hold texts too.
      const inline = file.endsWith('.svelte')
        ? [...source.replace(/<script[^]*?<\/script>|<style[^]*?<\/style>/g, '').matchAll(/'((?:[^'\\\n]|\\.)*)'|`([^`]*)`/g)].map((one) =>
            (one[1] ?? one[2].replace(/\$\{[^}]*\}/g, '…')).replace(/\\'/g, "'")
          )
        : [];
      return [...new Set([...ofScript(script, file), ...markup, ...inline].map(tidy))].filter(isSaid).map((text) => ({ file, text }));
    });
}

if (process.argv[1] && import.meta.url === pathToFileURL(process.argv[1]).href)
  for (const { file, text } of allTexts()) console.log(`${file}\t${text}`);
