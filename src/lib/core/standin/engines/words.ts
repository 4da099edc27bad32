/** `1 row`, `2,000 rows`. */
export const counted = (n: number, one: string, many = `${one}s`): string => `${n.toLocaleString('en')} ${n === 1 ? one : many}`;
