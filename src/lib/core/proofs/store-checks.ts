import { pairsMatch, zoneOf } from '../model';
import { storeLayoutOf } from '../standin';
import type { Check, EngineRule } from './types';
import { Client, partsIn, podsIn, type Reply } from './workload';

const check = (asked: string, expected: string, got: Reply, ok: boolean): Check => ({
  asked,
  expected,
  got: `${got.outcome}: ${got.says}`,
  ok
});
const figure = (n: number | undefined): string => (n === undefined ? 'nothing' : n.toLocaleString('en'));

/** How many messages a proof sends, unless somebody says otherwise, and how long each is. */
export const provedMessages = 1_000_000;
const messageBytes = 100;

/** As many messages are consumed from the beginning as were produced: count, order within a partition, checksum. Also from outside. */
export const produced: EngineRule = {
  id: 'produced',
  title: 'Produced and consumed',
  engines: ['log-broker'],
  checks({ facts, workload, fork, messages = provedMessages }) {
    const client = new Client(fork(), workload);
    const brokers = partsIn(facts, workload, 'broker');
    const copies = Math.min(3, brokers.length);
    const made = client.ask({
      do: 'make-topic',
      place: 'proof',
      count: 12,
      value: JSON.stringify({ replicas: copies, least: Math.max(1, copies - 1) })
    });
    const sent = client.ask({ do: 'produce', place: 'proof', count: messages, bytes: messageBytes, acks: 'all' });
    const got = client.ask({ do: 'consume', place: 'proof', from: 'beginning' });
    const checks: Check[] = [
      check(`a topic of 12 partitions, kept ${copies} times`, 'made', made, made.outcome === 'acknowledged'),
      check(
        `produce ${figure(messages)} messages of ${messageBytes} bytes, acknowledged by all caught-up replicas`,
        figure(messages),
        sent,
        sent.count === messages
      ),
      check(
        'consume from the beginning',
        `${figure(sent.count)}, in order within each partition`,
        got,
        got.count === sent.count && got.says.includes('in order')
      ),
      {
        asked: 'checksum over all of them',
        expected: sent.checksum ?? 'one',
        got: got.checksum ?? 'none',
        ok: got.checksum !== undefined && got.checksum === sent.checksum
      },
      {
        asked: 'time on the clock',
        expected: 'known',
        got: `produced in ${(sent.tookMs / 1_000).toFixed(1)} s, consumed in ${(got.tookMs / 1_000).toFixed(1)} s`,
        ok: true
      }
    ];
    const outside = facts
      .list('Service', workload.namespace)
      .some((one) => one.spec.type === 'LoadBalancer' && brokers.some((pod) => pairsMatch(one.spec.selector, pod.metadata.labels)));
    if (outside) {
      const out = client.ask({ do: 'consume', place: 'proof', from: 'beginning' }, { way: 'outside' });
      checks.push(check('consume from outside, through the balancer', figure(sent.count), out, out.count === sent.count));
    }
    return {
      checks,
      says: () =>
        got.count === sent.count && got.count !== undefined
          ? `${figure(got.count)} of ${figure(messages)} come back in order`
          : `${figure(got.count)} of ${figure(messages)} come back`
    };
  }
};

/** A broker's node goes dark: everything acknowledged can still be read, and writing goes on. */
export const brokerLost: EngineRule = {
  id: 'broker-lost',
  title: 'Survives one broker',
  engines: ['log-broker'],
  applies: ({ facts, workload }) => partsIn(facts, workload, 'broker').length > 2,
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const brokers = partsIn(facts, workload, 'broker');
    client.ask({ do: 'make-topic', place: 'proof', count: 6, value: JSON.stringify({ replicas: 3, least: 2 }) });
    const before = client.ask({ do: 'produce', place: 'proof', count: 6_000, bytes: messageBytes, acks: 'all' });
    const lost = brokers[brokers.length - 1]!;
    client.dark([lost.spec.nodeName ?? '']);
    client.run(40_000);
    const other = brokers[0]!.metadata.name;
    const read = client.ask({ do: 'consume', place: 'proof', from: 'beginning' }, { member: other });
    const after = client.ask({ do: 'produce', place: 'proof', count: 600, bytes: messageBytes, acks: 'all' }, { member: other });
    client.dark([]);
    client.run(300_000);
    const all = client.ask({ do: 'consume', place: 'proof', from: 'beginning' });
    const checks = [
      check('produce 6,000 with all there', '6,000', before, before.count === 6_000),
      check(
        `consume with ${lost.metadata.name} away`,
        '6,000, the same checksum',
        read,
        read.count === 6_000 && read.checksum === before.checksum
      ),
      check('produce 600 more meanwhile', '600', after, after.count === 600),
      check(`consume with ${lost.metadata.name} back`, '6,600', all, all.count === 6_600)
    ];
    return { checks, says: (ok) => `${ok} of ${checks.length} as expected` };
  }
};

const objectSizes: readonly (readonly [string, number])[] = [
  ['1 KiB', 2 ** 10],
  ['1 MiB', 2 ** 20],
  ['16 MiB', 2 ** 24],
  ['64 MiB', 2 ** 26]
];

/** Objects of 1 KiB to 64 MiB come back after as many members are lost as the parity allows; beyond that everything is refused. */
export const objects: EngineRule = {
  id: 'objects',
  title: 'Objects survive losses',
  engines: ['object-store'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const pods = partsIn(facts, workload, 'member');
    const layout = storeLayoutOf(facts, workload);
    const last = pods[pods.length - 1]?.metadata.name ?? '';
    const made = client.ask({ do: 'make-bucket', place: 'proof' });
    const puts = objectSizes.map(([words, bytes]) => ({ words, reply: client.ask({ do: 'put', place: 'proof', key: words, bytes }) }));
    const checks: Check[] = [
      check('a bucket', 'made', made, made.outcome === 'acknowledged'),
      ...puts.map(({ words, reply }) => check(`put ${words}`, 'acknowledged', reply, reply.outcome === 'acknowledged'))
    ];
    const lost = layout.losableMembers;
    const dark = (n: number) => {
      client.dark(pods.slice(0, n).map((pod) => pod.spec.nodeName ?? ''));
      client.run(2_000);
    };
    if (lost) {
      dark(lost);
      for (const { words, reply } of puts) {
        const got = client.ask({ do: 'get', place: 'proof', key: words }, { member: last });
        checks.push(
          check(
            `get ${words} with ${lost} of ${pods.length} members lost`,
            `SHA-256 ${reply.checksum?.slice(0, 12)}…`,
            got,
            got.checksum !== undefined && got.checksum === reply.checksum
          )
        );
      }
    }
    dark(lost + 1);
    const beyond = client.ask({ do: 'get', place: 'proof', key: '1 KiB' }, { member: last });
    checks.push(check(`get with ${lost + 1} lost`, 'refused', beyond, beyond.outcome === 'refused'));
    const write = client.ask({ do: 'put', place: 'proof', key: 'late', value: 'x' }, { member: last });
    checks.push(check(`put with ${lost + 1} lost`, 'refused', write, write.outcome === 'refused'));
    return {
      checks,
      says: (ok) =>
        ok === checks.length
          ? `${puts.length} objects come back with ${lost} of ${pods.length} members lost; beyond that everything is refused`
          : `${ok} of ${checks.length} as expected`
    };
  }
};

/** Every member sees the same files; what two of them write, all see; after a node's restart it is mounted again. */
export const files: EngineRule = {
  id: 'files',
  title: 'Same files everywhere',
  engines: ['shared-files'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const members = podsIn(facts, workload);
    const names = members.map((pod) => pod.metadata.name);
    const where = (name: string) => {
      const node = members.find((pod) => pod.metadata.name === name)?.spec.nodeName ?? '';
      return `${name} (${node}${zoneOf(facts.get('Node', '', node)) ? `, zone ${zoneOf(facts.get('Node', '', node))}` : ''})`;
    };
    const checks: Check[] = names.slice(0, 2).map((writer) => {
      const wrote = client.ask({ do: 'write', key: `proof/${writer}.txt`, value: `written by ${writer}` }, { member: writer });
      return check(`${where(writer)} writes proof/${writer}.txt`, 'written', wrote, wrote.outcome === 'acknowledged');
    });
    const wanted = names.slice(0, 2).map((one) => `proof/${one}.txt`);
    const sees = (reader: string, words = ''): Check => {
      const list = client.ask({ do: 'list', place: 'proof/' }, { member: reader });
      const read = client.ask({ do: 'read', key: wanted[0]! }, { member: reader });
      const all = wanted.every((one) => list.rows.some(([name]) => name === one)) && read.rows[0]?.[1] === `written by ${names[0]}`;
      return {
        asked: `${where(reader)} lists and reads${words}`,
        expected: wanted.join(', '),
        got: list.outcome === 'acknowledged' ? list.rows.map(([name]) => name).join(', ') || 'no files' : list.says,
        ok: all
      };
    };
    for (const reader of names) checks.push(sees(reader));
    const node = members[0]?.spec.nodeName ?? '';
    client.dark([node]);
    client.run(20_000);
    client.dark([]);
    client.run(120_000);
    if (names[0] !== undefined) checks.push(sees(names[0], ` after ${node} was restarted`));
    return { checks, says: (ok) => `${ok} of ${checks.length}: the same files from every node` };
  }
};

/** Rows lie on all store members and are read through the front member; not reachable from outside but by a tunnel, while it stands. */
export const series: EngineRule = {
  id: 'series',
  title: 'Rows over store members',
  engines: ['time-series'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const nodes = partsIn(facts, workload, 'store').map((pod) => pod.metadata.name);
    client.ask({ do: 'make-table', place: 'proof' });
    const sent = client.ask({ do: 'insert', place: 'proof', count: 1_440 });
    const read = client.ask({ do: 'query', place: 'proof' });
    const others = new Set(read.rows.map(([node]) => node));
    return {
      checks: [
        check('insert 1,440 rows of a day', '1,440', sent, sent.count === 1_440),
        check('query through the front member', '1,440 rows', read, read.count === 1_440),
        {
          asked: 'store members that the rows came from',
          expected: nodes.join(', '),
          got: [...others].sort().join(', '),
          ok: nodes.every((one) => others.has(one))
        }
      ],
      says: () => `${figure(read.count)} rows from ${others.size} of ${nodes.length} store members`
    };
  }
};

/** An inside-only workload is reached from outside by a tunnel while it stands, and neither before nor after. */
export const tunnel: EngineRule = {
  id: 'tunnel',
  title: 'Tunnel',
  engines: ['time-series'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const pod = partsIn(facts, workload, 'front')[0];
    const service = facts
      .list('Service', workload.namespace)
      .find(
        (one) =>
          one.spec.clusterIP !== 'None' &&
          Object.entries(one.spec.selector ?? { none: '' }).every(([key, value]) => pod?.metadata.labels?.[key] === value)
      );
    client.ask({ do: 'make-table', place: 'proof' });
    const ask = (way: 'outside' | 'tunnel') => client.ask({ do: 'query', place: 'proof' }, { way });
    const ref = { kind: 'Tunnel' as const, namespace: workload.namespace, name: 'proof' };
    const [outside, before] = [ask('outside'), ask('tunnel')];
    client.world.act({
      type: 'send',
      objects: [
        {
          apiVersion: 'standin.example/v1',
          kind: 'Tunnel',
          metadata: { name: 'proof', namespace: workload.namespace },
          spec: { service: service?.metadata.name ?? '' }
        }
      ]
    });
    const during = ask('tunnel');
    client.world.act({ type: 'remove', ref });
    const after = ask('tunnel');
    const checks = [
      check('from outside', 'not reached', outside, outside.outcome === 'refused'),
      check('by a tunnel that nobody opened', 'not reached', before, before.outcome === 'refused'),
      check(`by a tunnel to ${service?.metadata.name ?? 'its service'}`, 'reached', during, during.outcome === 'acknowledged'),
      check('when it is closed again', 'not reached', after, after.outcome === 'refused')
    ];
    return { checks, says: (ok) => `${ok} of ${checks.length}: reached only while a tunnel stands` };
  }
};

/** Keys on all shards are read back; a primary's node goes dark and they still are; what exceeds the memory limit is refused. */
export const shards: EngineRule = {
  id: 'shards',
  title: 'Shards, failover, memory limit',
  engines: ['memory-store'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const nodes = partsIn(facts, workload, 'node');
    const made = client.ask({ do: 'make-database', place: 'proof', bytes: 8_000, count: 2, value: nodes.length > 1 ? '1' : '0' });
    const keys = Array.from({ length: 12 }, (_, i) => `key-${i}`);
    const wrote = keys.map((key) => client.ask({ do: 'write', place: 'proof', key, value: 'v' }));
    const layout = client.ask({ do: 'shards' });
    const mine = layout.rows.filter(([name]) => name.startsWith('proof/'));
    const big = client.ask({ do: 'write', place: 'proof', key: 'big', value: 'x'.repeat(9_000) });
    const primary = /primary (\S+),/.exec(mine[0]?.[1] ?? '')?.[1];
    const pod = nodes.find((one) => one.metadata.name === primary);
    const checks: Check[] = [
      check('a database of 2 shards with a replica each', 'made', made, made.outcome === 'acknowledged'),
      {
        asked: 'write 12 keys',
        expected: '12 acknowledged',
        got: `${wrote.filter((one) => one.outcome === 'acknowledged').length} acknowledged`,
        ok: wrote.every((one) => one.outcome === 'acknowledged')
      },
      {
        asked: 'where they lie',
        expected: 'keys on every shard',
        got: mine.map(([name, says]) => `${name}: ${says}`).join('; '),
        ok: mine.length === 2 && mine.every(([, says]) => !says.includes(' 0 keys'))
      },
      check('write 9,000 bytes over the limit', 'refused', big, big.outcome === 'refused')
    ];
    if (pod && nodes.length > 2) {
      client.dark([pod.spec.nodeName ?? '']);
      client.run(30_000);
      const other = nodes.find((one) => one !== pod)!.metadata.name;
      const read = keys.map((key) => client.ask({ do: 'read', place: 'proof', key }, { member: other }));
      const found = read.filter((one) => one.rows.length).length;
      checks.push({ asked: `read them with ${primary} away`, expected: '12 found', got: `${found} found`, ok: found === keys.length });
    }
    return { checks, says: (ok) => `${ok} of ${checks.length} as expected` };
  }
};

/** What is pushed is pulled with the same digest, and, where it lies on a claim, by the next pod too. */
export const images: EngineRule = {
  id: 'images',
  title: 'Images pushed and pulled',
  engines: ['image-shelf'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const pushed = client.ask({ do: 'push', key: 'proof/image:1.0', bytes: 200_000 });
    const pulled = client.ask({ do: 'pull', key: 'proof/image:1.0' });
    const pod = podsIn(facts, workload)[0];
    const kept = pod?.spec.volumes?.some((one) => one.persistentVolumeClaim) ?? false;
    if (pod) client.world.act({ type: 'remove', ref: { kind: 'Pod', namespace: workload.namespace, name: pod.metadata.name } });
    client.run(120_000);
    const after = client.ask({ do: 'pull', key: 'proof/image:1.0' });
    const checks = [
      check('push an image', 'acknowledged', pushed, pushed.outcome === 'acknowledged'),
      check(
        'pull it',
        `digest ${pushed.checksum?.slice(0, 19)}…`,
        pulled,
        pulled.checksum !== undefined && pulled.checksum === pushed.checksum
      ),
      check('pull it from the next pod', 'the same digest', after, after.checksum === pushed.checksum)
    ];
    return {
      checks,
      says: (ok) =>
        ok === checks.length
          ? 'pushed, pulled, and kept when its pod is replaced'
          : kept
            ? `${ok} of ${checks.length} as expected`
            : 'what is pushed goes with its pod: it lies in an ephemeral directory'
    };
  }
};
