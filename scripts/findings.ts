// Makes docs/findings.md from the checker's rules; with --check it compares instead.
import { readFileSync, writeFileSync } from 'node:fs';
import { rules } from '../src/lib/core/checker';
import { phrases, rows } from '../src/lib/core/exports';
import { gatedFields, notPlayedValues, playedFields } from '../src/lib/core/standin';

const levels = { error: 'Errors: it will not work', warning: 'Warnings: it works until it hurts', note: 'Notes: worth knowing' } as const;
const parts = (Object.keys(levels) as (keyof typeof levels)[]).map((level) => {
  const mine = rules.filter((one) => one.level === level);
  const text = mine.map((one) => {
    const against = one.against
      ? `\nSeen only against the cluster that a draft is meant for (the example: the demo's ${one.against}).\n`
      : '';
    const bound = one.threshold
      ? `\nThreshold: ${one.threshold.usual} ${one.threshold.unit}, or what the house says (${one.threshold.range.join(' to ')}).\n`
      : '';
    return `### ${one.title}\n\n\`${one.id}\`. ${one.why}\n${bound}${against}\n\`\`\`yaml\n${one.bad.trimEnd().slice(0, 1_500)}\n\`\`\`\n`;
  });
  return `## ${levels[level]} (${mine.length})\n\n${text.join('\n')}`;
});
const out = `# What the checker finds

Made from the ${rules.length} rules in \`src/lib/core/checker/rules\` by \`npm run findings\`; don't edit by hand. Each example breaks its rule; what is right
stands on the rule's page in the application, \`/findings/<id>\`.

${parts.join('\n')}`;
// The tables of docs/model.md that are made from the program's own.
const cell = (text: string) => text.replaceAll('|', '\\|');
const told = ['| While | Said, by meaning | Joint | Source |', '| --- | --- | --- | --- |'].concat(
  rows.map((one) => `| ${one.doing.join(', ')} | \`${cell(one.says.source)}\` | ${one.joint} | ${cell(one.source)} |`)
);
const verdicts = ['| Meaning | Phrase |', '| --- | --- |'].concat(phrases.map(([kind, one]) => `| ${kind} | \`${cell(one.source)}\` |`));
// Fields of one part from which the same follows stand in one line.
const silent = ['| Part | Fields | Instead |', '| --- | --- | --- |'].concat(
  Object.entries(playedFields).flatMap(([part, { not = {} }]) => {
    const bySaid = new Map<string, string[]>();
    for (const [field, says] of Object.entries(not))
      bySaid.set(says, [...(bySaid.get(says) ?? []), field === '*' ? 'all' : `\`${field}\``]);
    return [...bySaid].map(([says, fields]) => `| ${part} | ${fields.join(', ')} | ${says} |`);
  }),
  Object.entries(gatedFields).map(
    ([place, gate]) => `| ${place.replace('.', ' | `')}\` | nothing follows from it where the gate ${gate} is shut |`
  ),
  Object.entries(notPlayedValues).flatMap(([place, one]) =>
    Object.entries(one).map(([value, says]) => `| ${place.replace('.', ' | `')}: ${value}\` | ${says} |`)
  )
);
const between = (text: string, mark: string, lines: readonly string[]) =>
  text.replace(
    new RegExp(`(<!-- ${mark} by npm run findings -->\\n)[\\s\\S]*?(<!-- end -->)`),
    (_, from: string, to: string) => `${from}\n<!-- oxfmt-ignore-start -->\n${lines.join('\n')}\n<!-- oxfmt-ignore-end -->\n\n${to}`
  );
const model = between(between(between(readFileSync('docs/model.md', 'utf8'), 'told', told), 'phrases', verdicts), 'fields', silent);
if (process.argv.includes('--check')) {
  if (readFileSync('docs/model.md', 'utf8') !== model) {
    console.error('the tables of docs/model.md are not what the program says: run npm run findings.');
    process.exit(1);
  }
  if (readFileSync('docs/findings.md', 'utf8') !== out) {
    console.error('docs/findings.md is not what the rules say: run npm run findings.');
    process.exit(1);
  }
} else {
  writeFileSync('docs/findings.md', out);
  writeFileSync('docs/model.md', model);
}
console.log(`${rules.length} rules`);
