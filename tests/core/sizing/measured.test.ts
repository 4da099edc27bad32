/* A benchmark beside the speed sheet: its table read as it comes, its columns named by hand, each line held against what is reckoned. */
import { expect, test } from 'vitest';
import { measuredBeside, readTable, type Measured, type Table } from '$core/sizing';

const table = (text: string): Table => {
  const found = readTable(text);
  if (typeof found === 'string') throw new Error(found);
  return found;
};
const beside = (text: string, columns = { operations: 0, time: { column: 1, seconds: 0.001 } }, written: Record<string, string> = {}) =>
  measuredBeside(table(text), columns, { latency: '1 ms', flight: '4', base: '2000', perGib: '0', most: '2000', ...written }) as Measured;

test('tables are read as they come: quotes, semicolons, tabs, empty lines, a mark at the front; what is none is said', () => {
  expect(table('\uFEFFiops,"mean, ms"\r\n"1,200",1.5\r\n\r\n')).toEqual({ heads: ['iops', 'mean, ms'], rows: [['1,200', '1.5']] });
  expect(table('iops;ms\n900;1,2\n').rows).toEqual([['900', '1,2']]);
  expect(table('a\tb\tc\n1\t2\t3').heads).toEqual(['a', 'b', 'c']);
  expect(table('a,,c\n1,2,3').heads).toEqual(['a', 'column 2', 'c']);
  expect(readTable('alone\n1\n')).toMatch(/^a table has a line with the names/);
  expect(readTable('a,b\n')).toMatch(/^a table has a line/);
  expect(readTable('a,b\n1,"2\n3,4')).toMatch(/^line \d+: a quotation mark is not closed/);
  expect(readTable(`a,b\n${'1,2\n'.repeat(5_001)}`)).toBe('it has 5,001 lines, and 5,000 are read at most');
  expect(readTable(Array(61).fill('a').join(',') + '\n1')).toBe('it has 61 columns, and 60 are read at most');
});

test('by hand: shares of the ceiling, times beside Erlang’s, lines that can not be read', () => {
  // Ceiling 2,000/s, one takes 1 ms: two served side by side. At 1,000/s half is used: C(2, 1) = 1/3, wait 1/3 x 1 ms / (2 - 1).
  const found = beside('iops,ms\n1000,1.4\n1500,9\n2000,30\n"1,900",2\nfast,1\n500,0\n');
  expect(found.points.map(({ line, operations, share }) => [line, operations, share])).toEqual([
    [2, 1_000, 0.5],
    [3, 1_500, 0.75],
    [4, 2_000, 1],
    [5, 1_900, 0.95]
  ]);
  expect(beside('ns,iops\n"1,400,000.5",1000', { operations: 1, time: { column: 0, seconds: 1e-9 } }).points[0]!.time).toBeCloseTo(
    0.0014000005,
    12
  );
  expect(found.points[0]!.time).toBeCloseTo(0.0014, 9);
  expect(found.points[0]!.reckoned).toBeCloseTo(0.001 + 0.001 / 3, 9);
  expect(found.points[2]!.reckoned).toBe(Infinity);
  expect(found.left).toEqual(['line 6: iops is no number above 0', 'line 7: ms is no number above 0']);
  expect(found.says[0]).toBe("2,000/s were done at most, 100 % of the sheet's first ceiling of 2,000/s.");
});

test('a measurement above the ceiling doubts the card; times that are off by more than a quarter say so; without times nothing of them', () => {
  expect(beside('iops,ms\n2600,1.1\n').says).toEqual([
    expect.stringMatching(/^2,600\/s were done, and the sheet's first ceiling is 2,000\/s: the volume gives more/)
  ]);
  expect(beside('iops,ms\n1000,1.4\n').says[1]).toBe('Times are as reckoned: in the middle 1.05 times what the sheet says.');
  expect(beside('iops,ms\n1000,2.8\n').says[1]).toMatch(/^One operation took 2\.1 times what the sheet says/);
  expect(beside('iops,ms\n1000,2.8\n', { operations: 0 } as never).says).toHaveLength(1);
  expect(beside('iops,ms\n0,1\n').says).toEqual(['Nothing in it could be read.']);
  expect(beside(`iops,ms\n${'x,1\n'.repeat(20)}`).left).toHaveLength(9);
  expect(beside('ns,iops\n1400000,1000', { operations: 1, time: { column: 0, seconds: 1e-9 } }).points[0]).toMatchObject({
    operations: 1_000,
    time: expect.closeTo(0.0014, 9)
  });
  expect(measuredBeside(table('a,b\n1,2'), { operations: 0 }, { latency: 'long' })).toMatchObject({
    faults: { latency: expect.any(String) }
  });
});
