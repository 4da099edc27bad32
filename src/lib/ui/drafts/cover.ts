/** Spans of a text in which the values of secrets stand, so that they can be covered on the screen. */
export function secretSpans(text: string): { from: number; to: number }[] {
  const spans: { from: number; to: number }[] = [];
  let start = 0;
  for (const document of text.split(/^(?=---)/m)) {
    if (/^kind:[ \t]*["']?Secret\b/m.test(document))
      spans.push(...within(document).map(({ from, to }) => ({ from: from + start, to: to + start })));
    start += document.length;
  }
  return spans;
}

function within(document: string): { from: number; to: number }[] {
  const spans: { from: number; to: number }[] = [];
  let under = -1;
  let offset = 0;
  for (const line of document.split('\n')) {
    const indent = /^ */.exec(line)![0].length;
    const head = /^( *)(stringData|data):[ \t]*(\{.*)?$/.exec(line);
    if (head) {
      under = head[3] ? -1 : indent;
      if (head[3])
        for (const found of head[3].matchAll(/:\s*("[^"]*"|'[^']*'|[^,}]+)/g)) {
          const at = offset + line.length - head[3].length + found.index + found[0].length - found[1]!.length;
          spans.push({ from: at, to: at + found[1]!.trimEnd().length });
        }
    } else if (under >= 0 && line.trim()) {
      if (indent <= under) under = -1;
      else {
        const pair = /^( *)([^\s:#][^:]*:)[ \t]+(\S.*)$/.exec(line);
        const from = offset + (pair ? line.length - pair[3]!.length : indent);
        // A key without a value yet, or the mark of a block text, is no secret; the lines of a block text are.
        const bare = /^( *)[^\s:#][^:]*:[ \t]*$/.test(line) || (pair && /^[|>][+-]?$/.test(pair[3]!));
        if (!bare) spans.push({ from, to: offset + line.trimEnd().length });
      }
    }
    offset += line.length + 1;
  }
  return spans.filter((one) => one.to > one.from);
}
