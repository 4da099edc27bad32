import { readFileSync } from 'node:fs';
import { describe, expect, test } from 'vitest';
import { check, sarifOf } from '$core/checker';
import { ready, send } from './obeys/help';

const settings = (spec: string) => `apiVersion: standin.example/v1\nkind: CheckSettings\nmetadata: {name: house}\nspec:\n${spec}`;
const claim = (meta = 'name: ledger') =>
  `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {${meta}}\nspec: {accessModes: [ReadWriteOnce], resources: {requests: {storage: 40G}}}\n`;
const codes = (text: string, today?: string) =>
  check([{ text }], undefined, today).map((one) => [one.code, one.severity, one.accepted?.reason]);
const sizes = (text: string, today?: string) => codes(text, today).filter(([code]) => code === 'size-decimal');

describe('house rules', () => {
  test('a rule is graver, lighter, or off', () => {
    const plain = sizes(claim())[0]![1];
    expect(plain).not.toBe('error');
    expect(sizes(`${claim()}---\n${settings('  levels: {size-decimal: error}\n')}`)).toEqual([['size-decimal', 'error', undefined]]);
    expect(sizes(`${claim()}---\n${settings('  levels: {size-decimal: off}\n')}`)).toEqual([]);
  });

  test('bounds of rules are set by the house, within their ranges', () => {
    const pod = (seconds: number) =>
      `apiVersion: v1\nkind: Pod\nmetadata: {name: p}\nspec:\n  containers: [{name: c, image: "i.test/a:1", livenessProbe: {tcpSocket: {port: 1}, periodSeconds: ${seconds}, failureThreshold: 1}}]\n`;
    const hasty = (seconds: number, bound?: number) =>
      check([
        { text: bound === undefined ? pod(seconds) : `${pod(seconds)}---\n${settings(`  thresholds: {liveness-hasty: ${bound}}\n`)}` }
      ]).some((one) => one.code === 'liveness-hasty');
    expect([hasty(10), hasty(9), hasty(29, 30), hasty(30, 30), hasty(5, 5)]).toEqual([false, true, true, false, false]);
    // Out of its range the usual bound counts, and the document is told of it.
    expect([hasty(9, 0), hasty(10, 100_000)]).toEqual([true, false]);
    const told = (text: string) =>
      check([{ text: settings(`  thresholds: ${text}\n`) }])
        .filter((one) => one.code === 'house-rules')
        .map((one) => `${one.at.field}: ${one.message}`);
    expect(told('{liveness-hasty: 0}')).toEqual(['spec.thresholds.liveness-hasty: 0 is no threshold of liveness-hasty.']);
    expect(told('{tag-latest: 3}')).toEqual(['spec.thresholds.tag-latest: The rule tag-latest has no threshold.']);
    expect(told('{liveness-hast: 3}')[0]).toContain('There is no rule liveness-hast');
    expect(told('{cert-expires: 45}')).toEqual([]);
  });

  test('what is accepted counts no more, by document or by annotation, until its day is over', () => {
    const by = (object: string) =>
      `${claim()}---\n${settings(`  accepted: [{rule: size-decimal, object: "${object}", reason: bought like that, until: 2026-12-31}]\n`)}`;
    expect(sizes(by('PersistentVolumeClaim default/ledger'), '2026-12-31')[0]![2]).toBe('bought like that');
    expect(sizes(by('PersistentVolumeClaim */led*'), '2026-12-31')[0]![2]).toBe('bought like that');
    for (const other of [
      'PersistentVolumeClaim other/*',
      'PersistentVolumeClaim default/ledge',
      '*ledger*r',
      'Persist*/ledger/*',
      `${'*e'.repeat(60)}x`
    ])
      expect(sizes(by(other), '2026-12-31')[0]![2], other).toBeUndefined();
    const late = check([{ text: by('*') }], undefined, '2027-01-01').find((one) => one.code === 'size-decimal')!;
    expect([late.accepted, late.message.includes('accepted until 2026-12-31 (bought like that)')]).toEqual([undefined, true]);
    const marked = claim("name: ledger, annotations: {standin.example/accepted.size-decimal: 'so be it; until 2026-12-31'}");
    expect(sizes(marked, '2026-11-28')[0]![2]).toBe('so be it');
    expect(sizes(marked, '2027-02-01')[0]![2]).toBeUndefined();
    const [result] = sarifOf(check([{ text: marked }], undefined, '2026-11-28').filter((one) => one.accepted)).runs[0]!.results;
    expect(result).toMatchObject({ suppressions: [{ kind: 'external', status: 'accepted', justification: 'so be it' }] });
  });

  test("rules of one's own in the expression language; whole numbers are whole, what lacks is said", () => {
    const own = (expression: string, more = '') =>
      settings(
        `  rules:\n  - id: roomy\n    kinds: [PersistentVolumeClaim]\n    level: error\n    message: A claim names its team.\n    remedy: Add the label team.\n    expression: ${expression}\n${more}`
      );
    const of = (text: string) =>
      check([{ text }])
        .filter((one) => one.code === 'own:roomy')
        .map((one) => [one.severity, one.message, one.at.object]);
    const needs = own('"has(object.metadata.labels) && \'team\' in object.metadata.labels"');
    expect(of(`${claim()}---\n${needs}`)).toEqual([['error', 'A claim names its team.', 'PersistentVolumeClaim default/ledger']]);
    expect(of(`${claim('name: ledger, labels: {team: blue}')}---\n${needs}`)).toEqual([]);
    expect(of(`${claim()}---\n${own('object.metadata.labels.team == "blue"')}`)[0]![1]).toContain("can't be told of it");
    const odd = settings(
      '  rules: [{id: odd, kinds: [StatefulSet], message: Odd is better., expression: object.spec.replicas % 2 == 1}]\n'
    );
    const set = (n: number) =>
      `apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s}\nspec: {replicas: ${n}, serviceName: s, selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: i}]}}}\n---\n`;
    const odds = (n: number) => check([{ text: set(n) + odd }]).filter((one) => one.code === 'own:odd').length;
    expect([odds(3), odds(4)]).toEqual([0, 1]);
  });

  test('house rules that can not act are found: unknown rules, expressions, examples that show the contrary', () => {
    const says = (spec: string) =>
      check([{ text: settings(spec) }])
        .filter((one) => one.code === 'house-rules')
        .map((one) => one.message);
    expect(says('  levels: {size-decimals: off}\n')).toEqual(['There is no rule size-decimals.']);
    expect(says('  accepted: [{rule: "own:none", object: "*", reason: x}]\n')).toHaveLength(1);
    const rule = (expression: string, more = '') =>
      `  rules: [{id: one, kinds: [ConfigMap], message: m, expression: "${expression}"${more}}]\n`;
    expect(says(rule('object.data.a ==='))[0]).toContain("can't be read");
    expect(says(rule('object.a.all(x, x.all(y, y.all(z, z == 1)))'))[0]).toContain('more than 2 deep');
    expect(says(rule(Array(9).fill('object.a.all(x, x == 1)').join(' && ')))[0]).toContain('loops more than 8 times');
    expect(says(rule("object.data.a.matches('(a+)+b')"))[0]).toContain('matches() is not taken');
    expect(says(rule("object.data.a == '.matches(.all(.all(.all('"))).toEqual([]);
    const map = (data: string) => `'{apiVersion: v1, kind: ConfigMap, metadata: {name: c}, data: {${data}}}'`;
    expect(says(rule("object.data.a == 'b'", `, good: ${map('a: b')}, bad: ${map('a: c')}`))).toEqual([]);
    expect(says(rule("object.data.a == 'b'", `, good: ${map('a: c')}`))[0]).toContain('its example "good" is found all the same');
    expect(says(rule("object.data.a == 'b'", ', bad: "nothing at all"'))[0]).toContain('no manifest that is taken');
  });

  test('sent to a cluster, they count for every draft against it', () => {
    const world = ready();
    send(world, settings('  levels: {size-decimal: off}\n'));
    expect(check([{ text: claim() }], world.store).map((one) => one.code)).not.toContain('size-decimal');
    expect(check([{ text: claim() }]).map((one) => one.code)).toContain('size-decimal');
  });
});

test('what is right is not accused: one member by its ordinal, a rollout in which the old pod ends first', () => {
  const codesOf = (text: string) => check([{ text }]).map((one) => one.code);
  const set =
    'apiVersion: apps/v1\nkind: StatefulSet\nmetadata: {name: s}\nspec: {replicas: 3, serviceName: s, selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: i}]}}}\n---\n';
  const service = (index: string) =>
    `${set}apiVersion: v1\nkind: Service\nmetadata: {name: first}\nspec: {ports: [{port: 80}], selector: {a: b, apps.kubernetes.io/pod-index: '${index}'}}\n`;
  expect(codesOf(service('0'))).not.toContain('selector-matches-nothing');
  expect(codesOf(service('3'))).toContain('selector-matches-nothing');
  const rollout = (surge: number) =>
    `${claim()}---\napiVersion: apps/v1\nkind: Deployment\nmetadata: {name: d}\nspec: {replicas: 1, strategy: {rollingUpdate: {maxSurge: ${surge}, maxUnavailable: 1}}, selector: {matchLabels: {a: b}}, template: {metadata: {labels: {a: b}}, spec: {containers: [{name: c, image: i}], volumes: [{name: v, persistentVolumeClaim: {claimName: ledger}}]}}}\n`;
  expect(codesOf(rollout(0))).not.toContain('rolling-holds-volume');
  expect(codesOf(rollout(1))).toContain('rolling-holds-volume');
});

test('the command for pipelines is in the manifest of the project, apart from the one for types', () => {
  const { scripts } = JSON.parse(readFileSync('package.json', 'utf8')) as { scripts: Record<string, string> };
  expect([scripts.check, scripts.types?.includes('svelte-check')]).toEqual(['bash scripts/check.sh', true]);
});
