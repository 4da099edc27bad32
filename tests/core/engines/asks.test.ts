import fc from 'fast-check';
import { expect, test } from 'vitest';
import { blueprints } from '$core/blueprints';
import { World, type Action } from '$core/standin';
import { answered, roomy } from '../roomy';

type Op = Extract<Action, { type: 'ask' }>['ask']['op'];

/** What clients may ask of any engine, and two words that nobody knows. */
const words =
  'write read delete insert query make-table make-account make-topic make-bucket make-database set-replicas elect produce consume topics list put get health shards push pull open close matrix part caught-up config'.split(
    ' '
  );
const text = fc.constantFrom(
  '',
  'x',
  '{}',
  '[]',
  'null',
  '{"replicas":-1}',
  '{"replicas":"many","least":null}',
  '-1',
  '1e99',
  '../..',
  '0'
);
const figure = fc.constantFrom(0, 1, 7, 2_000_000);
const op = fc.record(
  {
    do: fc.constantFrom(...words),
    place: fc.constantFrom('', 'a', 'proof', '__proto__', 'constructor'),
    key: text,
    value: text,
    count: figure,
    member: fc.nat(2),
    bytes: fc.constantFrom(0, 1, 65_536, 2 ** 40),
    from: fc.constantFrom('beginning', 'last', 'end'),
    acks: fc.constantFrom('none', 'leader', 'all'),
    version: fc.constantFrom(0, 3)
  },
  { requiredKeys: ['do'] }
);

test.each(blueprints)('$id answers whatever it is asked, and goes on', ({ id }) => {
  const start = roomy();
  expect(start.act({ type: 'send', objects: answered(id) })).toEqual([]);
  start.runSettled();
  const running = start.store.list('Process');
  const members = running.map((one) => one.metadata.name);
  const { namespace } = running[0]!.metadata;
  const { workload } = running[0]!.spec;
  const saved = start.save();
  fc.assert(
    fc.property(fc.array(op, { minLength: 1, maxLength: 6 }), (ops) => {
      const world = World.restore(start.seed, saved);
      for (const [i, one] of ops.entries()) {
        const { member, ...what } = one;
        const to = member === undefined ? undefined : members[member % members.length]!;
        const ask = { workload, way: 'inside', login: 'right', op: what as Op, ...(to ? { member: to } : {}) } as const;
        const refusals = world.act({ type: 'ask', namespace: namespace!, id: `odd-${i}`, ask });
        // Names that every object of the language has can't be kept, and are refused before anything is written down.
        expect(refusals.map((two) => two.code)).toEqual(one.place !== undefined && one.place in {} ? ['cannot-ask'] : []);
        if (refusals.length) continue;
        world.runUntil(world.nowMs + 60_000);
        expect(world.store.get('Ask', namespace!, `odd-${i}`)?.status?.outcome, JSON.stringify(one)).toMatch(
          /acknowledged|refused|unknown/
        );
      }
    }),
    { seed: 1, numRuns: 40 }
  );
});
