import { decode } from 'js-base64';
import { stampOf } from '../../../shared';
import { conditionOf, type Account, type AskObject, type Topic } from '../../../model';
import { markOf } from '../../engines/options';
import { makeCredentials } from './credentials';
import { idOf, splitKey, withCondition, type ClusterAccess, type Loop } from '../loop';

const againMs = 10_000;

type Wish = Topic | Account;
const kinds = ['Topic', 'Account'] as const;

function report(world: ClusterAccess, wish: Wish, status: 'True' | 'False', reason: string, message: string, made?: string): void {
  const latest = world.store.get(wish.kind, wish.metadata.namespace ?? '', wish.metadata.name) as Wish | undefined;
  const old = conditionOf(latest?.status?.conditions, 'Ready');
  const same =
    old?.status === status && old.message === message && (made === undefined || made === (latest?.status as { made?: string })?.made);
  if (!latest || same) return;
  world.put({
    ...latest,
    status: {
      ...latest.status,
      ...(made === undefined ? {} : { made }),
      conditions: withCondition(latest.status?.conditions, { type: 'Ready', status, reason, message }, stampOf(world.nowMs))
    }
  } as Wish);
}

const listed = (names: readonly string[]): string => (names.length ? names.join(', ') : 'nothing');

/** What is asked of the broker for a wish, and in which words it is told when it is done. */
function wanted(world: ClusterAccess, wish: Wish): { op: AskObject['spec']['op']; says: string } {
  const { name, namespace = '' } = wish.metadata;
  if (wish.kind === 'Topic') {
    const { partitions, copies: replicas, least } = wish.spec;
    return {
      op: { do: 'make-topic', place: name, count: partitions, value: JSON.stringify({ replicas, least }) },
      says: `${partitions} partitions, kept ${replicas} times`
    };
  }
  const { secret, workload, write, read } = wish.spec;
  makeCredentials(world, namespace, secret, workload, [wish], name);
  const password = world.store.get('Secret', namespace, secret)?.data?.password;
  const mark = password === undefined ? '' : markOf(decode(password));
  return {
    op: { do: 'make-account', key: name, value: JSON.stringify({ mark, write, read }) },
    says: `writes ${listed(write)}, reads ${listed(read)}; its password lies in the secret ${secret}`
  };
}

const keyOf = (wish: Wish): string => `${wish.kind} ${idOf(wish)}`;
const askName = (wish: Wish, nth: number): string => `${wish.kind.toLowerCase()}-${wish.metadata.name}-${nth}`;
const wishesOf = (store: ClusterAccess['store'], namespace: string | undefined): Wish[] =>
  kinds.flatMap((kind) => store.list(kind, namespace) as Wish[]);
const changed = (now: Wish | undefined, before: Wish | undefined): string[] => (now && now.spec !== before?.spec ? [keyOf(now)] : []);

function put(world: ClusterAccess, namespace: string, name: string, workload: string, op: AskObject['spec']['op']): void {
  world.put({
    apiVersion: 'standin.example/v1',
    kind: 'Ask',
    metadata: { name, namespace },
    spec: { workload, way: 'inside', login: 'right', op }
  });
}

/** An account that nobody wishes for any more is taken back; tried again until it is done, so that no password goes on working. */
function revoke(world: ClusterAccess, key: string, namespace: string, name: string): void {
  const [wishes, tries] = [world.memory<string>('wishOf'), world.memory<number>('wishTries')];
  const workload = wishes.get(key);
  const nth = tries.get(key);
  if (workload === undefined || nth === undefined) return;
  const last = world.store.get('Ask', namespace, `account-${name}-${nth}`);
  if (last?.spec.op.do === 'drop-account') {
    if (!last.status?.outcome) return;
    if (last.status.outcome === 'acknowledged') return void wishes.delete(key);
    const againAtMs = (last.status.answeredMs ?? world.nowMs) + againMs;
    if (againAtMs > world.nowMs) return world.after(againAtMs - world.nowMs, key, true);
  }
  tries.set(key, nth + 1);
  put(world, namespace, `account-${name}-${nth + 1}`, workload, { do: 'drop-account', key: name });
}

/** The helper of a log broker: makes the topics and accounts that are asked for as objects, through the broker's own interface. */
export const helping: Loop = {
  id: 'helping',
  watches: {
    Topic: changed,
    Account: (now, before) => (now ? changed(now, before) : [keyOf(before!)]),
    Process: (now, before, store) => {
      const one = (now ?? before)!;
      return one.spec.engine === 'log-broker' && now?.status?.ready && !before?.status?.ready
        ? wishesOf(store, one.metadata.namespace)
            .filter((wish) => wish.spec.workload === one.spec.workload)
            .map(keyOf)
        : [];
    },
    Secret: (now, before, store) => {
      const { name, namespace } = (now ?? before)!.metadata;
      return store
        .list('Account', namespace)
        .filter((one) => one.spec.secret === name)
        .map(keyOf);
    },
    Ask: (now, before) => {
      const [, kind, name] = /^(topic|account)-(.+)-\d+$/.exec((now ?? before)!.metadata.name) ?? [];
      return now?.status?.outcome && name !== undefined
        ? [`${kind === 'topic' ? 'Topic' : 'Account'} ${now.metadata.namespace}/${name}`]
        : [];
    }
  },
  reconcile(world, key) {
    const [kind, id] = key.split(' ') as [(typeof kinds)[number], string];
    const [namespace, name] = splitKey(id);
    const wish = world.store.get(kind, namespace, name) as Wish | undefined;
    if (!wish) return revoke(world, key, namespace, name);
    const { workload } = wish.spec;
    world.memory<string>('wishOf').set(key, workload);
    const done = conditionOf(wish.status?.conditions, 'Ready')?.status === 'True';
    // What is made stays as it is, but for the rights and the password of an account.
    if (done && wish.kind === 'Topic') return;
    const { op, says } = wanted(world, wish);
    const what = op.value ?? '';
    if (done && wish.status && (wish.status as { made?: string }).made === what) return;
    const helper = world.store
      .list('Process', namespace)
      .find((one) => one.spec.workload === workload && one.spec.part === 'helper' && one.status?.ready);
    if (!helper) return report(world, wish, 'False', 'NoHelper', `No helper of ${workload} is ready to make it.`);
    const tries = world.memory<number>('wishTries');
    const nth = tries.get(key) ?? 0;
    const ask = nth ? world.store.get('Ask', namespace, askName(wish, nth)) : undefined;
    if (ask && !ask.status?.outcome) return;
    if (ask && (ask.spec.op.value ?? '') === what) {
      const answer = ask.status?.says ?? '';
      if (ask.status?.outcome === 'acknowledged' || answer.includes('exists already')) {
        world.event(wish, 'Made', `${kind} ${name}: ${says}.`);
        return report(world, wish, 'True', 'Made', says, what);
      }
      report(world, wish, 'False', 'Refused', answer);
      // Tried again when more brokers are ready than at the last try, or after a while.
      const ready = world.store.list('Process', namespace).filter((one) => one.spec.workload === workload && one.status?.ready).length;
      const seen = world.memory<{ ready: number; untilMs: number }>('wishWaits');
      const last = seen.get(key) ?? { ready, untilMs: world.nowMs + againMs };
      seen.set(key, last);
      if (ready <= last.ready && last.untilMs > world.nowMs) return world.after(last.untilMs - world.nowMs, key, true);
      seen.delete(key);
    }
    tries.set(key, nth + 1);
    put(world, namespace, askName(wish, nth + 1), workload, op);
  }
};
