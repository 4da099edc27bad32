import { bytesOf } from '../shared';
import type { Facts } from '../model';
import { membersApart, operatorNamed, operatorObjects } from '../standin';
import {
  budget,
  certificateFor,
  choice,
  classQuestion,
  count,
  countQuestion,
  cpuQuestion,
  footing,
  frontService,
  memberSet,
  members,
  memoryQuestion,
  nameQuestion,
  objectsIn,
  reachQuestion,
  sizeQuestion,
  sizeWords,
  spaceQuestion,
  issuerFaults,
  domainQuestion,
  takesQuestion,
  takesSentence,
  tlsQuestion,
  tlsQuestions,
  tlsSentence,
  tolerates,
  type Port
} from './parts';
import type { AnswerFault, Answers, Blueprint, DrawnRow, Figure } from './types';

const rows = (answers: Answers, first: string, others: string): DrawnRow[] =>
  Array.from({ length: Math.min(9, count(answers, 'members')) }, (_, i) => ({
    name: `${answers.name}-${i}`,
    parts: [{ word: i === 0 ? first : others, kind: i === 0 ? ('first' as const) : ('member' as const) }]
  }));

const common = (answers: Answers, may: number): Figure[] => {
  const n = count(answers, 'members');
  return [
    { label: 'volumes', value: String(n), note: `${answers.size} each` },
    { label: 'data asked for', value: sizeWords(n * bytesOf(answers.size ?? '0')) },
    {
      label: 'memory asked for',
      value: sizeWords(n * bytesOf(answers.memory ?? '0')),
      note: `${answers.memory} a member, one member a node`
    },
    { label: 'may be lost', value: members(may), note: may ? 'and writes go on' : 'losing one stops writes' }
  ];
};

const user = 1001;
const peers = (answers: Answers): string =>
  Array.from({ length: count(answers, 'members') }, (_, i) => `${answers.name}-${i}.${answers.name}`).join(',');

/** Members with a volume each, what they stand on, and what they may do without: the same for all three. */
function dataMembers(
  answers: Answers,
  secret: Parameters<Blueprint['objects']>[1],
  own: { blueprint: string; config: string; ports: Port[]; tls?: string; env?: readonly (readonly [string, string])[] },
  more: readonly string[] = []
): ReturnType<Blueprint['objects']> {
  const name = answers.name!;
  const access = `${name}-access`;
  return objectsIn(
    [
      footing(answers, { config: own.config, secrets: [access] }, secret),
      memberSet({
        ...own,
        part: 'member',
        name,
        workload: name,
        namespace: answers.namespace!,
        members: count(answers, 'members'),
        cpu: answers.cpu!,
        memory: answers.memory!,
        claims: [{ name: 'data', size: answers.size!, class: answers.class!, path: '/var/lib/engine' }],
        secret: access,
        user,
        takes: answers.takes
      }),
      ...more,
      budget(answers, name)
    ].join('---\n')
  );
}

/** SQL members with what they serve at: with certificates at one port alone, or in plain. */
function sqlMembers(
  answers: Answers,
  secret: Parameters<Blueprint['objects']>[1],
  own: { blueprint: string; config: string; plain: number; safe: number; others: Port[] }
): ReturnType<Blueprint['objects']> {
  const { blueprint, config, plain, safe, others } = own;
  const name = answers.name!;
  const tls = answers.tls !== 'off';
  const served = tls ? { name: 'sql-tls', port: safe } : { name: 'sql', port: plain };
  const front = `${name}-sql`;
  const called = [
    `${front}.${answers.namespace}.svc.cluster.local`,
    ...(answers.reach === 'outside' ? [`${front}.${answers.domain}`] : [])
  ];
  return dataMembers(
    answers,
    secret,
    { blueprint, config, ports: [served, ...others], ...(tls ? { tls: `${name}-tls`, env: [['TLS', 'on']] } : {}) },
    [
      frontService(answers, front, name, [served], answers.reach === 'outside', '', tls && answers.reach === 'outside' ? called[1] : ''),
      ...(tls ? [certificateFor(answers, name, count(answers, 'members'), called)] : [])
    ]
  );
}

/** SQL whose members all take writes and agree by majority. */
export const multiPrimarySql: Blueprint = {
  id: 'multi-primary-sql',
  title: 'multi-primary SQL',
  says: 'Every member takes writes; they agree on one order, and a minority refuses.',
  questions: [
    nameQuestion('bookings'),
    spaceQuestion('tickets'),
    countQuestion('members', 'Members', 3, [1, 9]),
    sizeQuestion('40Gi'),
    classQuestion,
    cpuQuestion('500m'),
    memoryQuestion('2Gi'),
    reachQuestion,
    choice('flush', 'Written to disk', 'each-commit', [
      ['each-commit', 'at each commit'],
      ['each-second', 'once a second']
    ]),
    ...tlsQuestions,
    domainQuestion('bookings.ferries.example'),
    takesQuestion
  ],
  sentence:
    'A multi-primary SQL cluster named {name} in {namespace}. It has {members} members, at most one on a node, each with a volume of {size} from class {class}. Members ask for {cpu} CPU and {memory}. Commits go to disk {flush}. It is reached from {reach}[reach=outside:, there under {domain}]. ' +
    `${tlsSentence} ${takesSentence}`,
  faults: issuerFaults,
  objects(answers, secret) {
    const config = `cluster_name = ${answers.name}\npeers = ${peers(answers)}\nflush = ${answers.flush}\n`;
    const others: Port[] = [
      { name: 'peers', port: 7111 },
      { name: 'gossip', port: 7112, protocol: 'UDP' }
    ];
    return sqlMembers(answers, secret, { blueprint: 'multi-primary-sql', config, plain: 7110, safe: 7113, others });
  },
  figures: (answers) => common(answers, tolerates(count(answers, 'members'))),
  drawn: (answers) => rows(answers, 'founds the cluster', 'joins')
};

/** SQL with one primary and standbys that follow it. */
export const primaryStandbySql: Blueprint = {
  id: 'primary-standby-sql',
  title: 'primary-standby SQL',
  says: 'One primary takes writes; a commit waits for as many standbys as asked.',
  questions: [
    nameQuestion('timetable'),
    spaceQuestion('plans'),
    countQuestion('members', 'Members', 3, [1, 7]),
    countQuestion('synchronous', 'Standbys that a commit waits for', 1, [0, 3]),
    sizeQuestion('40Gi'),
    classQuestion,
    cpuQuestion('500m'),
    memoryQuestion('2Gi'),
    reachQuestion,
    ...tlsQuestions,
    domainQuestion('timetable.ferries.example'),
    takesQuestion
  ],
  sentence:
    'A primary-standby SQL database named {name} in {namespace}: {members} members, and a commit waits for {synchronous} standbys. Each member has a volume of {size} from class {class} and asks for {cpu} CPU and {memory}. It is reached from {reach}[reach=outside:, there under {domain}]. ' +
    `${tlsSentence} ${takesSentence}`,
  faults: (answers, facts) =>
    count(answers, 'synchronous') >= count(answers, 'members')
      ? [
          {
            question: 'synchronous',
            message: `With ${members(count(answers, 'members'))} there are ${count(answers, 'members') - 1} standbys; commits would wait for ever for ${answers.synchronous}.`
          }
        ]
      : issuerFaults(answers, facts),
  objects(answers, secret) {
    const config = `synchronous = ${answers.synchronous}\npeers = ${peers(answers)}\n`;
    const others: Port[] = [{ name: 'standbys', port: 7121 }];
    return sqlMembers(answers, secret, { blueprint: 'primary-standby-sql', config, plain: 7120, safe: 7122, others });
  },
  figures(answers) {
    const [n, k] = [count(answers, 'members'), count(answers, 'synchronous')];
    const found = common(answers, k > 0 ? Math.min(k, tolerates(n), n - Math.max(Math.floor(n / 2) + 1, n - k)) : 0);
    return found.map((one) =>
      one.label !== 'may be lost'
        ? one
        : { ...one, note: k ? 'without losing a commit' : 'commits that no standby has yet go with the primary' }
    );
  },
  drawn: (answers) =>
    Array.from({ length: Math.min(9, count(answers, 'members')) }, (_, i) => ({
      name: `${answers.name}-${i}`,
      parts: [
        {
          word: i === 0 ? 'primary' : i <= count(answers, 'synchronous') ? 'standby, waited for' : 'standby',
          kind: i === 0 ? ('first' as const) : ('member' as const)
        }
      ]
    }))
};

/** `north-quay 2, harbour 1` as clusters with their members; what isn't so is left out. */
const overIn = (answers: Answers): { readonly cluster: string; readonly members: number }[] =>
  (answers.over ?? '').split(',').flatMap((one) => {
    const found = /^\s*([a-z0-9-]+)[\s:]+(\d+)\s*$/.exec(one);
    return found ? [{ cluster: found[1]!, members: Number(found[2]) }] : [];
  });

/** What is wrong with the clusters that somebody wants members in. */
function overFaults(answers: Answers, facts: Facts): AnswerFault[] {
  const fault = (message: string): AnswerFault[] => [{ question: 'over', message: `Clusters and members: ${message}` }];
  if (answers.by === 'hand')
    return [{ question: 'by', message: 'Over several clusters it is made as one resource, which its operator expands in each of them.' }];
  const found = overIn(answers);
  if (found.length !== (answers.over ?? '').split(',').length)
    return fault(`write a cluster and a number each, as in "north-quay 2, harbour 1"`);
  if (new Set(found.map((one) => one.cluster)).size !== found.length) return fault('a cluster is named twice');
  const odd = found.find((one) => one.members < 1 || one.members > 9);
  if (odd) return fault(`${odd.cluster} can have 1 to 9 members, not ${odd.members}`);
  const sum = found.reduce((all, one) => all + one.members, 0);
  if (sum > 9) return fault(`${sum} members are too many for one set; 9 at most`);
  const linked = facts.elsewhere?.clusters ?? [];
  const stranger = found.find((one) => !linked.includes(one.cluster));
  return stranger
    ? fault(
        `${stranger.cluster} isn't linked with this cluster; link it first (${linked.length ? `linked are ${linked.join(', ')}` : 'none is yet'})`
      )
    : [];
}

/** A set of documents that elects its primary. */
export const documentSet: Blueprint = {
  id: 'document-set',
  title: 'document replica set',
  says: 'A majority elects a primary, the most favoured that has everything.',
  questions: [
    nameQuestion('crew'),
    spaceQuestion('people'),
    countQuestion('members', 'Members', 3, [1, 7]),
    choice('where', 'Stands in', 'here', [
      ['here', 'this cluster'],
      ['several', 'several clusters']
    ]),
    { id: 'over', label: 'Clusters and members', kind: 'text', start: 'first-one 2, second-one 2, third-one 1' },
    sizeQuestion('20Gi'),
    classQuestion,
    cpuQuestion('500m'),
    memoryQuestion('2Gi'),
    choice('favours', 'Favoured as primary', 'first', [
      ['first', 'member 0'],
      ['nobody', 'nobody']
    ]),
    tlsQuestion,
    choice('by', 'Made', 'hand', [
      ['hand', 'as a set, services and a certificate'],
      ['operator', 'as one resource, which its operator expands'],
      ['there', 'as one resource, whose operator is there already']
    ]),
    takesQuestion
  ],
  sentence:
    'A document replica set named {name} in {namespace}[where=here: with {members} members], in {where}[where=several:: {over}], each member on its own node with a volume of {size} from class {class}, {cpu} CPU and {memory}. As primary it favours {favours}. Members talk {tls}. It is made {by}. ' +
    takesSentence,
  faults: (answers, facts) => [
    ...(answers.by !== 'hand' && answers.favours === 'nobody'
      ? [{ question: 'favours', message: 'The operator always favours member 0; made as a set it may favour nobody.' }]
      : []),
    ...(answers.where === 'several' ? overFaults(answers, facts) : [])
  ],
  objects(answers, secret) {
    if (answers.by !== 'hand')
      return [
        ...(answers.by === 'operator' ? operatorObjects(operatorNamed('document-operator')!, [answers.namespace!]) : []),
        ...objectsIn(`
apiVersion: v1
kind: Namespace
metadata: {name: ${answers.namespace}}
---
apiVersion: engines.standin.example/v1
kind: DocumentSet
metadata: {name: ${answers.name}, namespace: ${answers.namespace}}
spec:
  members: ${answers.where === 'several' ? overIn(answers).reduce((sum, one) => sum + one.members, 0) : answers.members}
  cpu: "${answers.cpu}"
  memory: ${answers.memory}
  volume: {size: ${answers.size}, storageClassName: ${answers.class}}
  tls: ${answers.tls === 'on'}
  takesAlong: ${answers.takes === 'claims' || answers.takes === 'all' ? answers.takes : 'set'}
${
  answers.where === 'several'
    ? `  clusters: [${overIn(answers)
        .map((one) => `{cluster: ${one.cluster}, members: ${one.members}}`)
        .join(', ')}]
`
    : ''
}`)
      ];
    const n = count(answers, 'members');
    const priorities = Array.from({ length: n }, (_, i) => `${answers.name}-${i}=${answers.favours === 'first' && i === 0 ? 3 : 1}`).join(
      ', '
    );
    const tls = answers.tls === 'on';
    const config = `set_name = ${answers.name}\npriorities = ${priorities}\ntls = ${answers.tls}\n`;
    const name = answers.name!;
    return dataMembers(
      answers,
      secret,
      { blueprint: 'document-set', config, ports: [{ name: 'documents', port: 7170 }], ...(tls ? { tls: `${name}-tls` } : {}) },
      tls ? [certificateFor(answers, name, n)] : []
    );
  },
  figures(answers) {
    const n = answers.where === 'several' ? overIn(answers).reduce((sum, one) => sum + one.members, 0) : count(answers, 'members');
    return common({ ...answers, members: String(n) }, tolerates(n));
  },
  drawn: (answers) =>
    answers.where === 'several'
      ? overIn(answers).flatMap(({ cluster, members: n }, nth) =>
          Array.from({ length: Math.min(n, 9) }, (_, i) => ({
            name: `${answers.name}-${nth * membersApart + i}`,
            parts: [
              {
                word: nth === 0 && i === 0 ? `${cluster}, favoured` : cluster,
                kind: nth === 0 && i === 0 ? ('first' as const) : ('member' as const)
              }
            ]
          }))
        )
      : rows(answers, answers.favours === 'first' ? 'favoured' : 'member', 'member')
};
