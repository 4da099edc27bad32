import { bytesOf } from '../shared';
import { storeLayout } from '../standin';
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
  members,
  memoryQuestion,
  nameQuestion,
  objectsIn,
  reachQuestion,
  sizeQuestion,
  sizeWords,
  spaceQuestion,
  takesQuestion,
  takesSentence
} from './parts';
import type { Answers, Blueprint } from './types';

const layoutOf = (answers: Answers, parity = count(answers, 'parity')) =>
  storeLayout(count(answers, 'members'), count(answers, 'volumes'), bytesOf(answers.size ?? '0'), parity);

const shardWords = (answers: Answers, parity: number): string => {
  const { losableMembers, writableWithoutMembers } = layoutOf(answers, parity);
  if (!losableMembers) return 'loses data with any volume';
  return `survives ${members(losableMembers)}${writableWithoutMembers < losableMembers ? ', reads only then' : ''}`;
};

/** An object store that spreads each object over its volumes with parity. */
export const objectStore: Blueprint = {
  id: 'object-store',
  title: 'object store',
  says: 'Buckets and objects over many volumes, with parity instead of copies.',
  questions: [
    nameQuestion('papers'),
    spaceQuestion('archive'),
    { id: 'bucket', label: 'First bucket', kind: 'name', start: 'cargo-papers' },
    countQuestion('members', 'Members', 6, [2, 16]),
    countQuestion('volumes', 'Volumes a member', 3, [1, 8]),
    sizeQuestion('90Gi'),
    classQuestion,
    countQuestion('parity', 'Members’ worth of parity', 2, [0, 8]),
    cpuQuestion('1'),
    memoryQuestion('2Gi'),
    reachQuestion,
    choice('console', 'Console reached from', 'nobody', [
      ['nobody', 'nobody'],
      ['inside', 'inside only'],
      ['outside', 'inside and outside']
    ]),
    choice('tls', 'Clients talk', 'made', [
      ['made', 'with a certificate that is made'],
      ['given', 'with a certificate that is brought along'],
      ['off', 'in plain']
    ]),
    domainQuestion('papers.ferries.example'),
    choice('encrypts', 'Encrypted', 'yes', [
      ['yes', 'by the store with a key of its own'],
      ['no', 'by the class or not at all']
    ]),
    choice('logins', 'Let in', 'own', [
      ['own', 'by its own accounts'],
      ['provider', 'by tokens of an outside identity provider']
    ]),
    { id: 'issuer', label: 'Issuer of the tokens', kind: 'text', start: 'https://login.ferries.example' },
    takesQuestion
  ],
  sentence:
    'An object store named {name} in {namespace}, for {bucket}. It has {members} members, at most one on a node, each with {volumes} volumes of {size} from class {class}. Of the members’ shards, {parity} members’ worth is parity. Members ask for {cpu} CPU and {memory}. The data address is reached from {reach}, the console from {console}; clients talk {tls}[reach=outside:, and from outside call it {domain}]. Objects are encrypted {encrypts}. People are let in {logins}[logins=provider:, whose issuer is {issuer}]. ' +
    takesSentence,
  faults(answers) {
    const [n, p] = [count(answers, 'members'), count(answers, 'parity')];
    if (p > n / 2)
      return [{ question: 'parity', message: `Parity of ${p} is more than half of ${members(n)}; at most ${Math.floor(n / 2)}.` }];
    // OpenID Connect Core 1.0, 2: an issuer is a URL with https, without query and fragment.
    return answers.logins === 'provider' && !/^https:\/\/[^\s?#]+$/.test(answers.issuer ?? '')
      ? [
          {
            question: 'issuer',
            message: `Issuer of the tokens: an address that begins with https:// and has no ? or #, not "${answers.issuer}".`
          }
        ]
      : [];
  },
  objects(answers, secret) {
    const name = answers.name!;
    const { namespace, domain } = answers;
    const tls = answers.tls !== 'off';
    const provider = answers.logins === 'provider';
    const outside = answers.reach === 'outside';
    const key = answers.encrypts === 'yes' ? `${name}-key` : undefined;
    const data = tls ? { name: 'data-tls', port: 7182 } : { name: 'data', port: 7180 };
    const config = `parity = ${answers.parity}\nfirst_bucket = ${answers.bucket}\n`;
    const claims = Array.from({ length: count(answers, 'volumes') }, (_, i) => ({
      name: `shards-${i}`,
      size: answers.size!,
      class: answers.class!,
      path: `/var/lib/shards/${i}`
    }));
    return objectsIn(
      [
        footing(answers, { config, secrets: [...(provider ? [] : [`${name}-access`]), ...(key ? [key] : [])] }, secret),
        memberSet({
          blueprint: 'object-store',
          part: 'member',
          name,
          workload: name,
          namespace: answers.namespace!,
          members: count(answers, 'members'),
          ports: [{ name: 'data', port: 7180 }, { name: 'console', port: 7181 }, ...(tls ? [data] : [])],
          cpu: answers.cpu!,
          memory: answers.memory!,
          claims,
          ...(provider ? {} : { secret: `${name}-access` }),
          ...(tls ? { tls: `${name}-tls` } : {}),
          env: [
            ...(tls ? [['TLS', 'on'] as const] : []),
            ...(provider ? [['OIDC_ISSUER', answers.issuer!] as const, ['OIDC_AUDIENCE', name] as const] : [])
          ],
          ...(key ? { secretEnv: [['STORE_KEY', key] as const] } : {}),
          config,
          takes: answers.takes,
          parallel: true
        }),
        ...(answers.tls === 'made'
          ? [
              certificateFor(answers, name, count(answers, 'members'), [
                `${name}-data.${namespace}.svc.cluster.local`,
                ...(outside ? [domain!] : [])
              ])
            ]
          : []),
        frontService(answers, `${name}-data`, name, [data], outside, '', tls && outside ? domain! : ''),
        ...(answers.console === 'nobody'
          ? []
          : [frontService(answers, `${name}-console`, name, [{ name: 'console', port: 7181 }], answers.console === 'outside')]),
        budget(answers, name)
      ].join('---\n')
    );
  },
  figures(answers) {
    const layout = layoutOf(answers);
    return [
      { label: 'volumes', value: String(layout.volumes), note: `${layout.volumesEach} a member` },
      { label: 'raw', value: sizeWords(layout.rawBytes) },
      { label: 'usable', value: sizeWords(layout.usableBytes), note: `${Math.round((100 * layout.data) / layout.volumes)} %` },
      { label: 'may be lost', value: members(layout.losableMembers), note: `or ${layout.losableVolumes} volumes` }
    ];
  },
  drawn(answers) {
    const [n, d, p] = [count(answers, 'members'), count(answers, 'volumes'), count(answers, 'parity')];
    const parityEach = n ? (p * d) / n : 0;
    // Which shards are parity goes round from object to object; drawn is one share of each member's volumes.
    return Array.from({ length: n }, (_, i) => ({
      name: `${answers.name}-${i}`,
      parts: Array.from({ length: d }, (__, k) =>
        k >= d - parityEach ? { word: 'parity', kind: 'parity' as const } : { word: 'data', kind: 'data' as const }
      )
    }));
  },
  ladder(answers) {
    const chosen = count(answers, 'parity');
    const most = Math.floor(count(answers, 'members') / 2);
    return {
      title: 'usable and losses as parity moves',
      rows: Array.from({ length: Math.min(4, most + 1) }, (_, p) => {
        const layout = layoutOf(answers, p);
        return {
          label: `parity ${p}`,
          share: layout.usableBytes / layout.rawBytes,
          says: `${sizeWords(layout.usableBytes)}, ${shardWords(answers, p)}`,
          chosen: p === chosen
        };
      })
    };
  }
};

/** Time-series SQL: a front member and stores that keep copies. */
export const timeSeries: Blueprint = {
  id: 'time-series',
  title: 'time-series SQL',
  says: 'One front member, store members that share the spans; kept inside and reached by a tunnel.',
  questions: [
    nameQuestion('tides'),
    spaceQuestion('gauges'),
    countQuestion('stores', 'Store members', 4, [1, 9]),
    countQuestion('copies', 'Copies of each span', 2, [1, 4]),
    sizeQuestion('40Gi'),
    classQuestion,
    cpuQuestion('500m'),
    memoryQuestion('2Gi'),
    takesQuestion
  ],
  sentence:
    'A time-series SQL database named {name} in {namespace}: one front member and {stores} store members, every span kept {copies} times. Each member has a volume of {size} from class {class}, {cpu} CPU and {memory}. It is kept inside; who needs it from outside opens a tunnel. ' +
    takesSentence,
  faults: (answers) =>
    count(answers, 'copies') > count(answers, 'stores')
      ? [{ question: 'copies', message: `${answers.copies} copies need ${answers.copies} store members; there are ${answers.stores}.` }]
      : [],
  objects(answers, secret) {
    const name = answers.name!;
    const config = `copies = ${answers.copies}\nstore_members = ${Array.from({ length: count(answers, 'stores') }, (_, i) => `${name}-store-${i}.${name}-store`).join(',')}\n`;
    const shared = {
      blueprint: 'time-series',
      workload: name,
      namespace: answers.namespace!,
      cpu: answers.cpu!,
      memory: answers.memory!,
      takes: answers.takes,
      config
    };
    const claims = [{ name: 'data', size: answers.size!, class: answers.class!, path: '/var/lib/series' }];
    return objectsIn(
      [
        footing(answers, { config, secrets: [`${name}-owner`, `${name}-reader`] }, secret),
        memberSet({
          ...shared,
          part: 'store',
          name: `${name}-store`,
          members: count(answers, 'stores'),
          ports: [{ name: 'sql', port: 7190 }],
          claims
        }),
        memberSet({
          ...shared,
          part: 'front',
          name: `${name}-front`,
          members: 1,
          ports: [{ name: 'sql', port: 7190 }],
          claims,
          secret: `${name}-owner`
        }),
        frontService(answers, `${name}-sql`, `${name}-front`, [{ name: 'sql', port: 7190 }], false),
        budget(answers, `${name}-store`)
      ].join('---\n')
    );
  },
  figures(answers) {
    const [n, c] = [count(answers, 'stores'), count(answers, 'copies')];
    const raw = n * bytesOf(answers.size ?? '0');
    return [
      { label: 'volumes', value: String(n + 1), note: '1 for the front member' },
      { label: 'raw', value: sizeWords(raw) },
      { label: 'room for rows', value: sizeWords(raw / Math.max(1, c)), note: `kept ${c} times` },
      {
        label: 'may be lost',
        value: `${Math.max(0, c - 1)} store ${c === 2 ? 'member' : 'members'}`,
        note: 'the front member not: it alone knows where rows lie'
      }
    ];
  },
  drawn: (answers) => [
    { name: `${answers.name}-front-0`, parts: [{ word: 'takes all requests', kind: 'first' as const }] },
    ...Array.from({ length: count(answers, 'stores') }, (_, i) => ({
      name: `${answers.name}-store-${i}`,
      parts: [{ word: 'spans', kind: 'data' as const }]
    }))
  ]
};
