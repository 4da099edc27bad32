import { bytesOf } from '../shared';
import {
  budget,
  certificateFor,
  choice,
  classQuestion,
  count,
  countQuestion,
  cpuQuestion,
  domainQuestion,
  footing,
  frontService,
  memberSet,
  memoryQuestion,
  nameQuestion,
  objectsIn,
  reachQuestion,
  sizeQuestion,
  sizeWords,
  spaceQuestion,
  takesQuestion,
  takesSentence,
  tlsOutside,
  tolerates
} from './parts';
import type { Blueprint } from './types';

/** A log broker: brokers with or without coordinators beside them, and its helper. */
export const logBroker: Blueprint = {
  id: 'log-broker',
  title: 'log broker',
  says: 'Topics of partitions on brokers; coordinators first, then brokers, then a helper for topics.',
  questions: [
    nameQuestion('boarding'),
    spaceQuestion('events'),
    countQuestion('brokers', 'Brokers', 3, [1, 9]),
    choice('coordinators', 'Who decides', '3', [
      ['3', 'three coordinators'],
      ['5', 'five coordinators'],
      ['0', 'the brokers themselves']
    ]),
    countQuestion('disks', 'Disks a broker', 1, [1, 4]),
    sizeQuestion('140Gi', 'Size of each disk'),
    classQuestion,
    cpuQuestion('500m'),
    memoryQuestion('2Gi'),
    { id: 'topic', label: 'First topic', kind: 'name', start: 'gate-scans' },
    countQuestion('partitions', 'Partitions', 6, [1, 64]),
    countQuestion('copies', 'Copies of each', 3, [1, 5]),
    { id: 'account', label: 'Account', kind: 'name', start: 'gates' },
    reachQuestion,
    tlsOutside,
    domainQuestion('boarding.ferries.example'),
    takesQuestion
  ],
  sentence:
    'A log broker named {name} in {namespace}: {brokers} brokers, and {coordinators} decide who leads. Each broker has {disks} disks of {size} from class {class} and asks for {cpu} CPU and {memory}. Its first topic is {topic} with {partitions} partitions, each kept {copies} times; the account {account} may write and read it. It is reached from {reach}; clients, and coordinators and brokers among themselves, talk {tls}[reach=outside:, and from outside call it by names in {domain}]. ' +
    takesSentence,
  faults: (answers) =>
    count(answers, 'copies') > count(answers, 'brokers')
      ? [{ question: 'copies', message: `${answers.copies} copies need ${answers.copies} brokers; there are ${answers.brokers}.` }]
      : [],
  objects(answers, secret) {
    const name = answers.name!;
    const coordinators = count(answers, 'coordinators');
    const coord = `${name}-coord`;
    const shared = { blueprint: 'log-broker', workload: name, namespace: answers.namespace!, cpu: answers.cpu! };
    const outside = answers.reach === 'outside';
    const tls = answers.tls === 'on';
    const brokers = count(answers, 'brokers');
    const data = tls ? { name: 'data-tls', port: 7142 } : { name: 'data', port: 7140 };
    const called = (label: string): string => (tls ? `${label}.${answers.domain}` : '');
    const docs = [
      footing(answers, { secrets: [`${name}-access`] }, secret),
      ...(coordinators
        ? [
            memberSet({
              ...shared,
              part: 'coordinator',
              name: coord,
              members: coordinators,
              ports: [
                { name: 'clients', port: 7130 },
                { name: 'peers', port: 7131 }
              ],
              memory: '1Gi',
              claims: [{ name: 'log', size: '8Gi', class: answers.class!, path: '/var/lib/coordinator' }],
              takes: answers.takes,
              ...(tls ? { env: [['TLS', 'on'] as const], tls: `${coord}-tls` } : {})
            }),
            budget(answers, coord)
          ]
        : []),
      memberSet({
        ...shared,
        part: 'broker',
        name,
        members: brokers,
        ports: [{ name: 'data', port: 7140 }, { name: 'peers', port: 7141 }, ...(tls ? [data] : [])],
        memory: answers.memory!,
        claims: Array.from({ length: count(answers, 'disks') }, (_, i) => ({
          name: `disk-${i}`,
          size: answers.size!,
          class: answers.class!,
          path: `/var/lib/log/${i}`
        })),
        secret: `${name}-access`,
        takes: answers.takes,
        env: [...(coordinators ? [['COORDINATORS', `${coord}:7130`] as const] : []), ...(tls ? [['TLS', 'on'] as const] : [])],
        ...(tls ? { tls: `${name}-tls` } : {})
      }),
      ...(tls
        ? [
            certificateFor(answers, name, brokers, [
              `${name}-inside.${answers.namespace}.svc.cluster.local`,
              ...(outside ? [called('front'), ...Array.from({ length: brokers }, (_, i) => called(`broker-${i}`))] : [])
            ]),
            ...(coordinators ? [certificateFor(answers, coord, coordinators, [], coord)] : [])
          ]
        : []),
      frontService(answers, `${name}-inside`, name, [data], false),
      budget(answers, name),
      `
apiVersion: engines.standin.example/v1
kind: Topic
metadata: {name: ${answers.topic}, namespace: ${answers.namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec: {workload: ${name}, partitions: ${answers.partitions}, copies: ${answers.copies}, least: ${Math.max(1, count(answers, 'copies') - 1)}}
`,
      `
apiVersion: engines.standin.example/v1
kind: Account
metadata: {name: ${answers.account}, namespace: ${answers.namespace}, labels: {app.kubernetes.io/part-of: ${name}}}
spec: {workload: ${name}, secret: ${name}-${answers.account}, write: [${answers.topic}], read: [${answers.topic}]}
`,
      `
apiVersion: apps/v1
kind: Deployment
metadata:
  name: ${name}-helper
  namespace: ${answers.namespace}
  labels: {app: ${name}-helper, app.kubernetes.io/part-of: ${name}}
spec:
  replicas: 1
  selector: {matchLabels: {app: ${name}-helper}}
  template:
    metadata: {labels: {app: ${name}-helper, app.kubernetes.io/part-of: ${name}}}
    spec:
      serviceAccountName: ${name}
      containers:
      - name: helper
        image: shelf.standin.example/engines/log-helper:r3
        ports: [{name: http, containerPort: 7150}]
        resources: {requests: {cpu: 100m, memory: 128Mi}}
`
    ];
    if (outside) {
      docs.push(frontService(answers, `${name}-front`, name, [data], true, '', called('front')));
      for (let i = 0; i < brokers; i += 1)
        docs.push(
          frontService(
            answers,
            `${name}-outside-${i}`,
            name,
            [data],
            true,
            `, statefulset.kubernetes.io/pod-name: ${name}-${i}`,
            called(`broker-${i}`)
          )
        );
    }
    return objectsIn(docs.join('---\n'));
  },
  figures(answers) {
    const [n, d, c] = [count(answers, 'brokers'), count(answers, 'disks'), count(answers, 'copies')];
    const raw = n * d * bytesOf(answers.size ?? '0');
    return [
      {
        label: 'volumes',
        value: String(n * d + count(answers, 'coordinators')),
        note: `${d} a broker${count(answers, 'coordinators') ? ', 1 a coordinator' : ''}`
      },
      { label: 'raw', value: sizeWords(raw) },
      { label: 'room for messages', value: sizeWords(raw / Math.max(1, c)), note: `kept ${c} times` },
      {
        label: 'may be lost',
        value: `${Math.max(0, c - 1)} ${c === 2 ? 'broker' : 'brokers'}`,
        note: `1 while all acknowledgements are asked for${count(answers, 'coordinators') ? `; ${tolerates(count(answers, 'coordinators'))} of the coordinators` : ''}`
      }
    ];
  },
  drawn: (answers) => [
    ...Array.from({ length: count(answers, 'coordinators') }, (_, i) => ({
      name: `${answers.name}-coord-${i}`,
      parts: [{ word: 'starts first', kind: 'first' as const }]
    })),
    ...Array.from({ length: count(answers, 'brokers') }, (_, i) => ({
      name: `${answers.name}-${i}`,
      parts: Array.from({ length: count(answers, 'disks') }, (__, k) => ({ word: `disk ${k}`, kind: 'data' as const }))
    })),
    { name: `${answers.name}-helper`, parts: [{ word: 'topics, at last', kind: 'member' as const }] }
  ]
};
