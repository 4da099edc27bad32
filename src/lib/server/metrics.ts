import { Counter, Gauge, Histogram, Registry } from 'prom-client';

/** What this process measures of itself, in the OpenMetrics text format. */
export function makeMetrics() {
  const registry = new Registry();
  registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE as never);
  const registers = [registry];
  const gauge = (name: string, help: string) => new Gauge({ name: `root_barn_${name}`, help, registers });
  return {
    registry,
    requests: new Counter({
      name: 'root_barn_requests',
      help: 'Requests answered',
      labelNames: ['method', 'route', 'status'] as const,
      registers
    }),
    seconds: new Histogram({
      name: 'root_barn_request_seconds',
      help: 'Time until an answer began',
      labelNames: ['route'] as const,
      buckets: [0.005, 0.02, 0.1, 0.3, 1, 3, 10, 30],
      registers
    }),
    worlds: gauge('worlds', 'Worlds that are held'),
    changes: gauge('world_changes', 'Changes in the journals of these worlds'),
    heap: gauge('world_heap_bytes', 'Memory that worlds take'),
    heapMost: gauge('world_heap_limit_bytes', 'Memory that worlds may take'),
    slice: gauge('longest_slice_seconds', 'Longest time that worlds kept others waiting since the last look'),
    queued: gauge('queued_calls', 'Calls of the worlds that wait for an answer'),
    streams: gauge('event_streams', 'Open event streams'),
    database: gauge('database_bytes', 'Size of the database on the disk'),
    memory: gauge('process_resident_bytes', 'Memory of the process')
  };
}
export type Metrics = ReturnType<typeof makeMetrics>;
