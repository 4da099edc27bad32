import { expect } from 'vitest';
import { Estate, type Action } from '$core/standin';
import type { AskObject, Mirror } from '$core/model';
import { aside } from '../../played';
import { answered } from '../roomy';
import { joins, Linked, parts } from './help';

export const space = { apiVersion: 'v1', kind: 'Namespace', metadata: { name: 'space' } } as const;
const steady = { class: 'steady', namespace: 'space', name: 'one' };
const kept = new Map<string, Estate>();
export const sent = (atMs: number, ...all: readonly object[]) => ({ atMs, action: { type: 'send', objects: all } as Action });

/** The same workload twice: in the east, and in the west, where it follows. */
export class Pair extends Linked {
  constructor(engine: string, answers: object = {}, link: object = {}) {
    const name = JSON.stringify([engine, answers, link]);
    if (!kept.has(name)) {
      const both = [sent(61_000, space), sent(62_000, ...answered(engine, { ...steady, ...answers }))];
      const stood = aside(() => {
        const made = Estate.replay(
          parts({ east: [joins(60_000, 'west', link), ...both], west: both }, { east: 'production', west: 'production' }),
          62_000
        );
        made.runSettled();
        return made;
      });
      kept.set(name, stood);
    }
    super(kept.get(name)!.fork());
  }
  follow = (more = '', here = 'west', there = 'east', name = 'one') =>
    this.send(
      `apiVersion: standin.example/v1\nkind: Mirror\nmetadata: {name: ${name}, namespace: space}\nspec: {workload: one, from: {cluster: ${there}, namespace: space, workload: one}${more}}\n`,
      here
    );
  mirror = (cluster = 'west', name = 'one'): Mirror => this.world(cluster).store.get('Mirror', 'space', name)!;
  promote = (cluster = 'west') => this.follow(', promoted: true', cluster, cluster === 'west' ? 'east' : 'west');
  /** Waits until a mirror is in a phase. */
  until(phase: NonNullable<Mirror['status']>['phase'], cluster = 'west', atMostMs = 120_000) {
    const endMs = this.estate.nowMs + atMostMs;
    while (this.mirror(cluster).status?.phase !== phase && this.estate.nowMs < endMs) this.later(500);
    expect(this.mirror(cluster).status).toMatchObject({ phase });
    return this.mirror(cluster).status!;
  }
  does = (cluster: string, op: AskObject['spec']['op']) => {
    const answer = this.ask(cluster, 'one', op);
    expect(answer).toMatchObject({ outcome: 'acknowledged' });
    return answer;
  };
  write = (cluster: string, key: string, value = key) => this.does(cluster, { do: 'write', place: 'seats', key, value });
  read = (cluster: string, key: string) => this.does(cluster, { do: 'read', place: 'seats', key }).rows?.[0]?.[1];
  sum = (cluster: string) => this.does(cluster, { do: 'copy' }).checksum;
}
