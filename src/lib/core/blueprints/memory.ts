import { bytesOf } from '../shared';
import { databaseShare, operatorNamed, operatorObjects } from '../standin';
import type { ApiObject } from '../model';
import { choice, classQuestion, count, countQuestion, nameQuestion, objectsIn, sizeQuestion, sizeWords, spaceQuestion } from './parts';
import type { Blueprint } from './types';

/** What the operator of in-memory stores needs once per cluster. */
export const memoryOperatorObjects = (watches: readonly string[], cpu?: string, memory?: string): ApiObject[] =>
  operatorObjects(operatorNamed('memory-operator')!, watches, { ...(cpu ? { cpu } : {}), ...(memory ? { memory } : {}) });

/** An in-memory store that an operator looks after. */
export const memoryStore: Blueprint = {
  id: 'memory-store',
  title: 'in-memory store',
  says: 'An operator expands a cluster of nodes; databases with shards and replicas are laid over them.',
  questions: [
    nameQuestion('fares'),
    spaceQuestion('pricing'),
    countQuestion('nodes', 'Nodes', 3, [1, 9]),
    { id: 'cpu', label: 'CPU of each node', kind: 'text', start: '3' },
    sizeQuestion('13Gi', 'Memory of each node'),
    { id: 'disk', label: 'Volume of each node', kind: 'size', start: '45Gi' },
    classQuestion,
    { id: 'database', label: 'First database', kind: 'name', start: 'fare-table' },
    { id: 'limit', label: 'Its memory', kind: 'size', start: '6Gi' },
    countQuestion('shards', 'Shards', 2, [1, 12]),
    countQuestion('replicas', 'Replicas of each shard', 1, [0, 3]),
    choice('takes', 'Taken away with it', 'set', [
      ['nothing', 'nothing'],
      ['set', 'its nodes, not their claims'],
      ['claims', 'its nodes and their claims'],
      ['all', 'nodes, claims and secrets']
    ]),
    choice('operator', 'The operator', 'with', [
      ['with', 'comes along, watching this namespace'],
      ['all', 'comes along, watching all namespaces'],
      ['there', 'is there already']
    ])
  ],
  sentence:
    'An in-memory store named {name} in {namespace} with {nodes} nodes of {cpu} CPU and {size}, each with a volume of {disk} from class {class}. Its first database is {database}: {limit} in {shards} shards, each with {replicas} replicas. When the resource is taken away, it takes along {takes}. The operator {operator}.',
  faults(answers) {
    const [n, r] = [count(answers, 'nodes'), count(answers, 'replicas')];
    if (r + 1 > n) return [{ question: 'replicas', message: `A primary and ${r} replicas need ${r + 1} nodes; there are ${n}.` }];
    const most = bytesOf(answers.size!) * n * databaseShare;
    const asked = bytesOf(answers.limit!) * (r + 1);
    return asked > most
      ? [
          {
            question: 'limit',
            message: `${answers.limit} kept ${r + 1} times is ${sizeWords(asked)}; ${n} nodes have ${sizeWords(most)} for databases.`
          }
        ]
      : [];
  },
  objects(answers) {
    const { name, namespace } = answers;
    const operator = answers.operator === 'there' ? [] : memoryOperatorObjects(answers.operator === 'all' ? [] : [namespace!]);
    return [
      ...operator,
      ...objectsIn(`
apiVersion: v1
kind: Namespace
metadata: {name: ${namespace}}
---
apiVersion: engines.standin.example/v1
kind: MemoryCluster
metadata: {name: ${name}, namespace: ${namespace}}
spec:
  nodes: ${answers.nodes}
  cpu: "${answers.cpu}"
  memory: ${answers.size}
  volume: {size: ${answers.disk}, storageClassName: ${answers.class}}
  takesAlong: ${answers.takes}
---
apiVersion: engines.standin.example/v1
kind: MemoryDatabase
metadata: {name: ${answers.database}, namespace: ${namespace}}
spec: {cluster: ${name}, memory: ${answers.limit}, shards: ${answers.shards}, replicas: ${answers.replicas}}
`)
    ];
  },
  figures(answers) {
    const [n, r] = [count(answers, 'nodes'), count(answers, 'replicas')];
    return [
      { label: 'volumes', value: String(n), note: `${answers.disk} each` },
      {
        label: 'memory for databases',
        value: sizeWords(bytesOf(answers.size ?? '0') * n * databaseShare),
        note: `${Math.round(databaseShare * 100)} % of the nodes`
      },
      { label: 'asked for', value: sizeWords(bytesOf(answers.limit ?? '0') * (r + 1)), note: `kept ${r + 1} times` },
      { label: 'may be lost', value: `${r} ${r === 1 ? 'node' : 'nodes'}`, note: 'as to the data of one shard' }
    ];
  },
  drawn(answers) {
    const [n, s, r] = [count(answers, 'nodes'), count(answers, 'shards'), count(answers, 'replicas')];
    return Array.from({ length: n }, (_, i) => ({
      name: `${answers.name}-${i}`,
      parts: Array.from({ length: s }, (__, k) => k)
        .filter((k) => (i - (k % n) + n) % n <= r)
        .map((k) =>
          (i - (k % n) + n) % n === 0 ? { word: `shard ${k}`, kind: 'data' as const } : { word: `replica ${k}`, kind: 'parity' as const }
        )
    }));
  }
};
