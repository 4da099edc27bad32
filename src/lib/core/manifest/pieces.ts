/** A part of a text that is read by itself: whole documents. */
export interface Piece {
  readonly text: string;
  readonly linesBefore: number;
  readonly offsetBefore: number;
}

/** Texts longer than this are read in larger pieces, and their pieces aren't remembered. */
export const longText = 1_048_576;
const pieceLength = 65_536;

const linesIn = (text: string): number => {
  let count = 0;
  for (let at = text.indexOf('\n'); at >= 0; at = text.indexOf('\n', at + 1)) count += 1;
  return count;
};

/**
 * Cuts a text at its document marks. A line of three dashes begins a document wherever it stands (YAML 1.2.2, 9.1.2). A text with
 * directives is left whole: they belong to the document after them.
 */
export function piecesOf(text: string): Piece[] {
  if (/^%/m.test(text)) return [{ text, linesBefore: 0, offsetBefore: 0 }];
  const least = text.length > longText ? pieceLength : 1;
  const pieces: Piece[] = [];
  let start = 0;
  let lines = 0;
  const cut = (end: number) => {
    const part = text.slice(start, end);
    pieces.push({ text: part, linesBefore: lines, offsetBefore: start });
    lines += linesIn(part);
    start = end;
  };
  for (const { index } of text.matchAll(/^---(?=[ \t\r\n]|$)/gm)) if (index - start >= least) cut(index);
  cut(text.length);
  return pieces;
}
