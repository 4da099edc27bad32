import { stampOf } from '../../shared';
import { conditionOf, type Topic } from '../../model';
import { itself, splitKey, withCondition, type Hands, type Loop } from './loop';

const againMs = 10_000;

function report(world: Hands, topic: Topic, status: 'True' | 'False', reason: string, message: string): void {
  const old = conditionOf(topic.status?.conditions, 'Ready');
  if (old?.status === status && old.message === message) return;
  world.put({
    ...topic,
    status: { conditions: withCondition(topic.status?.conditions, { type: 'Ready', status, reason, message }, stampOf(world.nowMs)) }
  });
}

const askName = (topic: Topic, nth: number): string => `topic-${topic.metadata.name}-${nth}`;

/** The helper of a log broker: makes the topics that are asked for as objects, through the broker's own interface. */
export const topics: Loop = {
  id: 'topics',
  watches: {
    Topic: (now, before) => (now?.spec === before?.spec ? [] : itself(now, before)),
    Process: (now, before, store) => {
      const one = (now ?? before)!;
      return one.spec.engine === 'log-broker' && now?.status?.ready && !before?.status?.ready
        ? store
            .list('Topic', one.metadata.namespace)
            .filter((topic) => topic.spec.workload === one.spec.workload)
            .map((topic) => `${topic.metadata.namespace}/${topic.metadata.name}`)
        : [];
    },
    Ask: (now, before) => {
      const name = /^topic-(.+)-\d+$/.exec((now ?? before)!.metadata.name)?.[1];
      return now?.status?.outcome && name !== undefined ? [`${now.metadata.namespace}/${name}`] : [];
    }
  },
  reconcile(world, key) {
    const [namespace, name] = splitKey(key);
    const topic = world.store.get('Topic', namespace, name);
    if (!topic || conditionOf(topic.status?.conditions, 'Ready')?.status === 'True') return;
    const { workload, partitions, copies, least } = topic.spec;
    const helper = world.store
      .list('Process', namespace)
      .find((one) => one.spec.workload === workload && one.spec.part === 'helper' && one.status?.ready);
    if (!helper) return report(world, topic, 'False', 'NoHelper', `No helper of ${workload} is ready to make it.`);
    const tries = world.memory<number>('topicTries');
    const nth = tries.get(key) ?? 0;
    const ask = nth ? world.store.get('Ask', namespace, askName(topic, nth)) : undefined;
    if (ask && !ask.status?.outcome) return;
    if (ask) {
      const says = ask.status?.says ?? '';
      if (ask.status?.outcome === 'acknowledged' || says.includes('exists already')) {
        world.event(topic, 'Made', `The topic ${name} has ${partitions} partitions, each kept ${copies} times.`);
        return report(world, topic, 'True', 'Made', `${partitions} partitions, kept ${copies} times`);
      }
      report(world, topic, 'False', 'Refused', says);
      // Tried again when more brokers are ready than at the last try, or after a while.
      const ready = world.store.list('Process', namespace).filter((one) => one.spec.workload === workload && one.status?.ready).length;
      const seen = world.memory<{ ready: number; untilMs: number }>('topicWaits');
      const last = seen.get(key) ?? { ready, untilMs: world.nowMs + againMs };
      seen.set(key, last);
      if (ready <= last.ready && last.untilMs > world.nowMs) return world.after(last.untilMs - world.nowMs, key, true);
      seen.delete(key);
    }
    tries.set(key, nth + 1);
    world.put({
      apiVersion: 'standin.example/v1',
      kind: 'Ask',
      metadata: { name: askName(topic, nth + 1), namespace },
      spec: {
        workload,
        way: 'inside',
        login: 'right',
        op: { do: 'make-topic', place: name, count: partitions, value: JSON.stringify({ replicas: copies, least }) }
      }
    });
  }
};
