import { describe, expect, test } from 'vitest';
import { kindEntries, publishedRow } from '$core/model';
import { gatedFields, notPlayed, notPlayedValues, playedFields } from '$core/standin';
import { objects, readySouth } from './help';

const ownFields = ['apiVersion', 'kind', 'metadata', 'spec', 'status', '*'];

/** Rows that what is sent can hold, from the kinds on. */
function reached(): Set<string> {
  const seen = new Set<string>();
  const go = (type: string) => {
    const row = type.replace(/[[\]{}!]/g, '');
    const known = publishedRow(row);
    if (seen.has(row) || !known) return;
    seen.add(row);
    for (const [field, inner] of Object.entries(known)) if (field !== 'status' && field !== 'metadata') go(inner);
  };
  for (const { kind, derived } of kindEntries) if (!derived) go(kind);
  return seen;
}

test('every published field of every kind that can be sent is played out, or is said not to be; nothing else is listed', () => {
  const rows = reached();
  expect(rows.size).toBeGreaterThan(140);
  for (const row of rows) {
    const names = Object.keys(publishedRow(row)!).filter(
      (field) => !(ownFields.includes(field) && !/^(RoleRef|Subject|Object|Typed)/.test(row))
    );
    const { plays = '', not = {} } = playedFields[row] ?? {};
    const plain = plays.split(' ').filter(Boolean);
    if (not['*'] !== undefined) continue;
    const told = [...plain, ...Object.keys(not)];
    expect(
      told.filter((one, i) => told.indexOf(one) !== i),
      `${row}: told twice`
    ).toEqual([]);
    expect(told.sort(), row).toEqual(names.filter((one) => told.includes(one) || !ownFields.includes(one)).sort());
  }
  for (const row of Object.keys(playedFields)) expect(rows.has(row), `${row} is a row that can be reached`).toBe(true);
  for (const place of [...Object.keys(notPlayedValues), ...Object.keys(gatedFields)])
    expect(playedFields[place.split('.')[0]!]!.plays).toContain(place.split('.')[1]);
});

describe('what an object says that nothing follows from', () => {
  const { store } = readySouth();
  const said = (yaml: string) => notPlayed(objects(yaml)[0]!, store);

  test('each field once, without what says the same as nothing', () => {
    expect(
      said(`apiVersion: apps/v1
kind: Deployment
metadata: {name: d, namespace: n, labels: {a: b}}
spec:
  paused: false
  revisionHistoryLimit: 5
  selector: {matchLabels: {a: b}}
  template:
    metadata: {labels: {a: b}}
    spec:
      hostNetwork: false
      tolerations: []
      initContainers: [{name: i, image: one:1, args: [x]}]
      topologySpreadConstraints:
      - {maxSkew: 1, topologyKey: zone, whenUnsatisfiable: ScheduleAnyway}
      schedulerName: own
      priorityClassName: high
      containers:
      - {name: a, image: one:1, lifecycle: {preStop: {exec: {command: [x]}}}}
      - {name: b, image: one:1, lifecycle: {preStop: {exec: {command: [x]}}}}
`)
    ).toEqual([
      {
        field: 'spec.template.spec.containers.lifecycle.preStop.exec.command',
        says: 'a command in a container succeeds when its program is up; as a hook it takes as long as it sleeps'
      },
      { field: 'spec.template.spec.initContainers.args', says: 'what a program is told changes nothing of it' }
    ]);
  });

  test('what is played out whole says nothing', () => {
    expect(said('apiVersion: v1\nkind: ConfigMap\nmetadata: {name: c, namespace: n}\ndata: {a: b}\n')).toEqual([]);
    expect(
      said('apiVersion: v1\nkind: Service\nmetadata: {name: c, namespace: n}\nspec: {ports: [{port: 1}], selector: {a: b}}\n')
    ).toEqual([]);
  });
});
