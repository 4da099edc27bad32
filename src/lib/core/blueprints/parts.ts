import { bytesOf, hash32 } from '../shared';
import { nameFault, type Facts } from '../model';
import { engineImage, outsideNameMark, partOfLabel, takesAlongMark } from '../standin';

export { ownManifests as objectsIn } from '../standin';
import type { AnswerFault, Answers, Question } from './types';

/** A counted answer. NaN where it is no number; the questions say so first. */
export const count = (answers: Answers, id: string): number => Number(answers[id]);

/** How the workload is called. */
export const nameQuestion = (start: string): Question => ({ id: 'name', label: 'Name', kind: 'name', start });
/** The namespace that it stands in. */
export const spaceQuestion = (start: string): Question => ({ id: 'namespace', label: 'Namespace', kind: 'name', start });
/** The storage class of its volumes; empty: the default one. */
export const classQuestion: Question = { id: 'class', label: 'Storage class', kind: 'class', start: '' };
/** How large a volume is, as a quantity. */
export const sizeQuestion = (start: string, label = 'Size of each volume'): Question => ({ id: 'size', label, kind: 'size', start });
/**
 * How many there are of something.
 * @param range fewest and most, both included
 */
export const countQuestion = (id: string, label: string, start: number, range: readonly [number, number]): Question => ({
  id,
  label,
  kind: 'count',
  start: String(start),
  range
});
/** CPU that each member requests, as a quantity. */
export const cpuQuestion = (start: string): Question => ({ id: 'cpu', label: 'CPU of each member', kind: 'text', start });
/** Memory that each member requests, as a quantity. */
export const memoryQuestion = (start: string): Question => ({ id: 'memory', label: 'Memory of each member', kind: 'size', start });
/** Who reaches it: the cluster alone, or clients outside too. */
export const reachQuestion: Question = {
  id: 'reach',
  label: 'Reached from',
  kind: 'choice',
  start: 'inside',
  options: [
    ['inside', 'inside only'],
    ['outside', 'inside and outside']
  ]
};
/**
 * A question with a few answers to choose from.
 * @param options pairs of what is kept and what is shown
 */
export const choice = (id: string, label: string, start: string, options: Question['options']): Question => ({
  id,
  label,
  kind: 'choice',
  start,
  options: options!
});

/** What is wrong with answers as such: names, counts, sizes. */
export function plainFaults(questions: readonly Question[], answers: Answers): AnswerFault[] {
  return questions.flatMap((one): AnswerFault[] => {
    const answer = answers[one.id] ?? '';
    const fault = (message: string): AnswerFault[] => [{ question: one.id, message: `${one.label}: ${message}` }];
    switch (one.kind) {
      case 'name': {
        const wrong = nameFault(answer, 'label');
        return wrong
          ? fault(`"${answer}" ${wrong}`)
          : answer.length > 40
            ? fault('40 characters at most, so that members and claims still have valid names')
            : [];
      }
      case 'domain': {
        const wrong = nameFault(answer, 'subdomain');
        return wrong ? fault(`"${answer}" ${wrong}`) : answer.length > 200 ? fault('200 characters at most: members come before it') : [];
      }
      case 'count': {
        const n = Number(answer);
        const [least, most] = one.range!;
        return Number.isInteger(n) && n >= least && n <= most ? [] : fault(`a whole number from ${least} to ${most}, not "${answer}"`);
      }
      case 'size':
        try {
          return bytesOf(answer) > 0 ? [] : fault(`"${answer}" is no size; write e.g. 40Gi`);
        } catch {
          return fault(`"${answer}" is no size; write e.g. 40Gi`);
        }
      case 'choice':
        return one.options!.some(([value]) => value === answer)
          ? []
          : fault(`"${answer}" is none of ${one.options!.map(([, word]) => word).join(', ')}`);
      case 'class':
        return answer ? [] : fault('the cluster has no storage class yet; send one first');
      default:
        return answer.trim() ? [] : fault('it is empty');
    }
  });
}

const engineOf = (blueprint: string, part: string): string => engineImage(blueprint as Parameters<typeof engineImage>[0], part);

/** A port that members listen on. */
export interface Port {
  readonly name: string;
  readonly port: number;
  readonly protocol?: 'UDP';
}

interface SetParts {
  readonly blueprint: string;
  readonly part: string;
  readonly name: string;
  readonly workload: string;
  readonly namespace: string;
  readonly members: number;
  readonly ports: readonly Port[];
  readonly cpu: string;
  readonly memory: string;
  readonly claims: readonly { readonly name: string; readonly size: string; readonly class: string; readonly path: string }[];
  readonly secret?: string;
  readonly config?: string;
  readonly env?: readonly (readonly [string, string])[];
  /** Settings that are the password in a secret. */
  readonly secretEnv?: readonly (readonly [string, string])[];
  readonly parallel?: boolean;
  /** What goes with it when it is taken away. */
  readonly takes?: string | undefined;
  readonly user?: number;
  /** Secret with the certificate that members show each other. */
  readonly tls?: string;
}

/** A stable mark of a configuration: a changed one restarts members, because their template changes with it. */
export const configMark = (config: string): string => hash32(config).toString(16).padStart(8, '0');

const list = (lines: readonly string[], indent: number): string => lines.map((one) => `\n${' '.repeat(indent)}${one}`).join('');

/** The annotation that says what goes along, where that is settled beforehand. */
export const takesMark = (takes: string | undefined): string =>
  takes === undefined || takes === 'chosen' ? '' : `\n  annotations: {${takesAlongMark}: ${takes}}`;

/** Whether claims go too. */
const takesClaims = (takes: string | undefined): boolean => takes === 'claims' || takes === 'all';

/** A headless service for the members' names, and the set that stands behind it. */
export function memberSet(parts: SetParts): string {
  const { name, namespace, workload, ports, claims, secret, config, env = [], secretEnv = [], user, tls } = parts;
  const portLines = ports.map(
    ({ name: port, port: number, protocol }) => `{name: ${port}, port: ${number}${protocol ? `, protocol: ${protocol}` : ''}}`
  );
  const envLines = [
    ...env.map(([key, value]) => `{name: ${key}, value: "${value}"}`),
    ...secretEnv.map(([key, from]) => `{name: ${key}, valueFrom: {secretKeyRef: {name: ${from}, key: password}}}`),
    ...(secret
      ? ['user', 'password'].map((key) => `{name: ACCESS_${key.toUpperCase()}, valueFrom: {secretKeyRef: {name: ${secret}, key: ${key}}}}`)
      : [])
  ];
  const first = ports[0]!;
  return `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${namespace}, labels: {app: ${name}, ${partOfLabel}: ${workload}}}
spec:
  clusterIP: None
  publishNotReadyAddresses: true
  selector: {app: ${name}}
  ports:${list(
    portLines.map((one) => `- ${one}`),
    2
  )}
---
apiVersion: apps/v1
kind: StatefulSet
metadata:
  name: ${name}
  namespace: ${namespace}
  labels: {app: ${name}, ${partOfLabel}: ${workload}, standin.example/blueprint: ${parts.blueprint}}${takesMark(parts.takes)}
spec:
  replicas: ${parts.members}
  serviceName: ${name}${takesClaims(parts.takes) ? '\n  persistentVolumeClaimRetentionPolicy: {whenDeleted: Delete, whenScaled: Retain}' : ''}${parts.parallel ? '\n  podManagementPolicy: Parallel' : ''}
  selector: {matchLabels: {app: ${name}}}
  template:
    metadata:
      labels: {app: ${name}, ${partOfLabel}: ${workload}}${config === undefined ? '' : `\n      annotations: {standin.example/config: "${configMark(config)}"}`}
    spec:
      serviceAccountName: ${workload}
      terminationGracePeriodSeconds: 60${user === undefined ? '' : `\n      securityContext: {runAsUser: ${user}, runAsGroup: ${user}, fsGroup: ${user}, fsGroupChangePolicy: OnRootMismatch}`}
      affinity:
        podAntiAffinity:
          requiredDuringSchedulingIgnoredDuringExecution:
          - topologyKey: kubernetes.io/hostname
            labelSelector: {matchLabels: {app: ${name}}}
      containers:
      - name: ${parts.part}
        image: ${engineOf(parts.blueprint, parts.part)}
        ports:${list(
          ports.map(
            ({ name: port, port: number, protocol }) =>
              `- {name: ${port}, containerPort: ${number}${protocol ? `, protocol: ${protocol}` : ''}}`
          ),
          8
        )}${
          envLines.length
            ? `\n        env:${list(
                envLines.map((one) => `- ${one}`),
                8
              )}`
            : ''
        }
        resources:
          requests: {cpu: "${parts.cpu}", memory: ${parts.memory}}
          limits: {memory: ${parts.memory}}
        readinessProbe:
          tcpSocket: {port: ${first.port}}
          periodSeconds: 5
        volumeMounts:${list([...claims.map((one) => `- {name: ${one.name}, mountPath: ${one.path}}`), ...(config === undefined ? [] : ['- {name: config, mountPath: /etc/engine}']), ...(tls === undefined ? [] : ['- {name: tls, mountPath: /etc/tls}'])], 8)}${
          config === undefined && tls === undefined
            ? ''
            : `\n      volumes:${list(
                [
                  ...(config === undefined ? [] : ['- name: config', `  configMap: {name: ${workload}-config}`]),
                  ...(tls === undefined ? [] : ['- name: tls', `  secret: {secretName: ${tls}}`])
                ],
                6
              )}`
        }
  volumeClaimTemplates:${list(
    claims.flatMap((one) => [
      `- metadata: {name: ${one.name}}`,
      '  spec:',
      '    accessModes: [ReadWriteOnce]',
      `    storageClassName: ${one.class}`,
      `    resources: {requests: {storage: ${one.size}}}`
    ]),
    2
  )}
`;
}

/** Namespace, service account, and, where they are asked for, configuration and credentials. */
export function footing(
  answers: Answers,
  more: { config?: string; secrets?: readonly string[] },
  secret: (name: string) => string
): string {
  const { name = '', namespace = '' } = answers;
  const labels = `labels: {${partOfLabel}: ${name}}`;
  const docs = [
    `apiVersion: v1\nkind: Namespace\nmetadata: {name: ${namespace}}\n`,
    `apiVersion: v1\nkind: ServiceAccount\nmetadata: {name: ${name}, namespace: ${namespace}, ${labels}}\n`
  ];
  if (more.config !== undefined)
    docs.push(
      `apiVersion: v1\nkind: ConfigMap\nmetadata: {name: ${name}-config, namespace: ${namespace}, ${labels}}\ndata:\n  engine.conf: |\n${more.config
        .trim()
        .split('\n')
        .map((line) => `    ${line}`)
        .join('\n')}\n`
    );
  for (const one of more.secrets ?? [])
    docs.push(
      `apiVersion: v1\nkind: Secret\nmetadata: {name: ${one}, namespace: ${namespace}, ${labels}}\ntype: Opaque\nstringData:\n  user: keeper\n  password: ${JSON.stringify(secret(one))}\n`
    );
  return docs.join('---\n');
}

/** A service with one address for all members, inside or outside too. */
export const frontService = (
  answers: Answers,
  name: string,
  app: string,
  ports: readonly { name: string; port: number }[],
  outside: boolean,
  extra = '',
  calledOutside = ''
): string => `
apiVersion: v1
kind: Service
metadata: {name: ${name}, namespace: ${answers.namespace}, labels: {${partOfLabel}: ${answers.name}}${calledOutside ? `, annotations: {${outsideNameMark}: ${calledOutside}}` : ''}}
spec:${outside ? '\n  type: LoadBalancer' : ''}
  selector: {app: ${app}${extra}}
  ports:${list(
    ports.map((one) => `- {name: ${one.name}, port: ${one.port}}`),
    2
  )}
`;

/** Whether members talk with certificates. */
export const tlsQuestion: Question = choice('tls', 'Members talk', 'on', [
  ['on', 'with certificates'],
  ['off', 'in plain']
]);

/** Whether clients talk with certificates. */
export const tlsOutside: Question = choice('tls', 'Clients talk', 'on', [
  ['on', 'with certificates'],
  ['off', 'in plain']
]);
/** Whether a database talks with certificates, to its clients and among its members, and whose. */
export const tlsQuestions: readonly Question[] = [
  choice('tls', 'It talks', 'on', [
    ['on', 'with certificates of an authority of its own'],
    ['issuer', 'with certificates of an issuer that stands there'],
    ['off', 'in plain']
  ]),
  { id: 'issuer', label: 'Issuer', kind: 'name', start: 'house-authority' }
];
/** How {@link tlsQuestions} are asked in a sentence. */
export const tlsSentence = 'It talks {tls}[tls=issuer:, which is called {issuer}].';

/** An issuer that is named has to stand in the same namespace: issuers serve no other. */
export const issuerFaults = ({ tls, issuer = '', namespace = '' }: Answers, facts: Facts): AnswerFault[] =>
  tls === 'issuer' && !facts.get('Issuer', namespace, issuer)
    ? [{ question: 'issuer', message: `There is no issuer ${issuer} in ${namespace}; one in another namespace doesn't serve here.` }]
    : [];

/** What goes when the workload is taken away. */
export const takesQuestion: Question = choice('takes', 'Taken away with it', 'chosen', [
  ['chosen', 'what is chosen then'],
  ['members', 'its members only'],
  ['claims', 'its members and their claims'],
  ['all', 'members, claims, secrets and all that stands with it']
]);
/** How {@link takesQuestion} is asked in a sentence. */
export const takesSentence = 'Taken away, it takes {takes} along.';

/** The domain under which clients outside find it. */
export const domainQuestion = (start: string): Question => ({ id: 'domain', label: 'Domain outside', kind: 'domain', start });

/**
 * A certificate with every name that members are called by, and, where none is named in the answers, an issuer with an authority of its own.
 * @param own how certificate and secret are called, where that is not as the workload; then the issuer is the workload's
 */
export function certificateFor(answers: Answers, set: string, members: number, more: readonly string[] = [], own?: string): string {
  const { name, namespace } = answers;
  const tail = `${namespace}.svc.cluster.local`;
  const names = [...Array.from({ length: members }, (_, i) => `${set}-${i}.${set}.${tail}`), `${set}.${tail}`, ...more];
  const issuer = answers.tls === 'issuer' ? answers.issuer : `${name}-authority`;
  const called = own ?? name;
  const authority = `
apiVersion: engines.standin.example/v1
kind: Issuer
metadata: {name: ${issuer}, namespace: ${namespace}, labels: {${partOfLabel}: ${name}}}
spec: {authority: ${issuer}, make: true}
---`;
  return `${answers.tls === 'issuer' || own !== undefined ? '' : authority}
apiVersion: engines.standin.example/v1
kind: Certificate
metadata: {name: ${called}, namespace: ${namespace}, labels: {${partOfLabel}: ${name}}}
spec:
  secret: ${called}-tls
  issuer: {name: ${issuer}}
  set: ${set}
  days: 90
  names:${list(
    names.map((one) => `- ${one}`),
    2
  )}
`;
}

/** How many members may be away at once when somebody empties a node. */
export const budget = (answers: Answers, app: string, maxUnavailable = 1): string => `
apiVersion: policy/v1
kind: PodDisruptionBudget
metadata: {name: ${app}, namespace: ${answers.namespace}, labels: {${partOfLabel}: ${answers.name}}}
spec:
  maxUnavailable: ${maxUnavailable}
  selector: {matchLabels: {app: ${app}}}
`;

/** `512Mi`, `1.5Ti`: bytes in a unit that fits, for figures. */
export function sizeWords(bytes: number): string {
  const units = ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB'];
  let [n, unit] = [bytes, 0];
  while (n >= 1024 && unit < units.length - 1 && (n >= 10_240 || unit < 3)) [n, unit] = [n / 1024, unit + 1];
  return `${Number.isInteger(n) ? n.toLocaleString('en') : n.toLocaleString('en', { maximumFractionDigits: 1 })} ${units[unit]}`;
}

/** How many of n that decide by majority may be lost: (n - 1) / 2, rounded down. */
export const tolerates = (n: number): number => Math.floor((n - 1) / 2);
/** "1 member", "3 members". */
export const members = (n: number): string => `${n} ${n === 1 ? 'member' : 'members'}`;
