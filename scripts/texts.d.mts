/** All texts of the sources that a reader may meet, each once for a file. */
export function allTexts(root?: string): { file: string; text: string }[];
