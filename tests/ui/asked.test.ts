import { expect, test } from 'vitest';
import { engineCards } from '$core/standin';
import { askedText } from '$ui/workloads/asked';

test('what was asked is told with the words of its form: each figure says what it counts, and texts are theirs', () => {
  const broker = engineCards['log-broker'].forms;
  const store = engineCards['memory-store'].forms;
  const told: [Parameters<typeof askedText>[0], typeof broker | typeof store, string][] = [
    [
      { do: 'make-topic', place: 'gate-scans', count: 6, value: '{"replicas":3,"least":2}' },
      broker,
      'make-topic gate-scans, 6 partitions, 3 replicas, at least 2 of them caught up'
    ],
    [{ do: 'make-topic', place: 't', count: 1 }, broker, 'make-topic t, 1 partition'],
    [{ do: 'make-topic', place: 't', value: 'three' }, broker, 'make-topic t “three”'],
    [{ do: 'produce', place: 't', value: 'gate 4', acks: 'leader' }, broker, 'produce t “gate 4”, acknowledged by leader'],
    [{ do: 'consume', place: 't', from: 'last', group: 'signs' }, broker, 'consume t, from the last, for the group signs'],
    [
      { do: 'make-database', place: 'fares', bytes: 1_024, count: 2, value: '1' },
      store,
      'make-database fares, 2 shards, 1,024 bytes, 1 replica'
    ],
    [{ do: 'write', place: 'fares', key: 'k1', value: '1' }, store, 'write fares k1 “1”'],
    [{ do: 'elect', count: 3 }, store, 'elect, 3'],
    [{ do: 'write', key: 'k', value: 'x'.repeat(41) }, store, `write k “${'x'.repeat(39)}…”`]
  ];
  for (const [op, forms, text] of told) expect(askedText(op, forms)).toBe(text);
});
