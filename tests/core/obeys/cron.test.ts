/* Jobs by the clock. Source: the cluster API's "CronJob", CronJobSpec v1 batch; schedules against cron-like arithmetic written out by hand. */
import { expect, test } from 'vitest';
import { nextOf, scheduleFault } from '$core/shared';
import { readManifests } from '$core/manifest';
import { eventsAbout, get, ready, remove, send } from './help';

const image = 'shelf.standin.example/tools/t:1';
const cron = (spec: string, works = 20) => `apiVersion: batch/v1
kind: CronJob
metadata: {name: nightly, namespace: space}
spec:
  ${spec}
  jobTemplate:
    spec:
      backoffLimit: 1
      template:
        metadata: {annotations: {standin.example/works-seconds: "${works}"}}
        spec: {restartPolicy: Never, containers: [{name: main, image: ${image}}]}
---
`;
const minute = 60_000;
const jobs = (world: ReturnType<typeof ready>) =>
  world.store
    .list('Job', 'space')
    .map((one) => one.metadata.name)
    .sort();
test('a job at each of its moments, named after it; done ones are kept as many as asked for', () => {
  const world = ready();
  const began = Date.parse('2026-03-02T06:00:00Z') + world.nowMs;
  send(world, cron('schedule: "*/10 * * * *"\n  successfulJobsHistoryLimit: 2'));
  world.runUntil(world.nowMs + 40 * minute);
  const first = Math.ceil(began / (10 * minute)) * 10;
  expect(jobs(world)).toEqual([first + 20, first + 30].map((at) => `nightly-${at}`));
  expect(get(world, 'CronJob', 'nightly')!.status).toMatchObject({
    lastScheduleTime: new Date((first + 30) * minute).toISOString().replace('.000Z', '.000Z'),
    lastSuccessfulTime: expect.any(String)
  });
  remove(world, 'CronJob', 'nightly');
  world.runSettled();
  expect([jobs(world), world.store.list('Pod', 'space')]).toEqual([[], []]);
});

test('one that still runs holds the next back, is replaced, or runs beside it; suspended nothing begins', () => {
  for (const [policy, many] of [
    ['Forbid', 1],
    ['Replace', 1],
    ['Allow', 3]
  ] as const) {
    const world = ready();
    send(world, cron(`schedule: "*/5 * * * *"\n  concurrencyPolicy: ${policy}`, 3_600));
    world.runUntil(world.nowMs + 15 * minute);
    const [first] = jobs(world);
    expect(world.store.list('Job', 'space'), policy).toHaveLength(many);
    if (policy === 'Forbid') expect(eventsAbout(world, 'CronJob', 'nightly').join()).toContain(`${first} still runs`);
    send(world, cron(`schedule: "*/5 * * * *"\n  suspend: true\n  concurrencyPolicy: ${policy}`, 3_600));
    const before = jobs(world);
    world.runUntil(world.nowMs + 12 * minute);
    expect(jobs(world)).toEqual(before);
  }
});

test('schedules are read with their time zones, over a change of clocks too, and bad ones are refused at their field', () => {
  const at = (text: string) => Date.parse(text);
  expect(nextOf('30 2 * * *', 'Europe/Berlin', at('2026-03-28T12:00:00Z'))).toBe(at('2026-03-30T00:30:00Z'));
  expect(nextOf('0 12 * * 1', undefined, at('2026-03-02T12:00:00Z'))).toBe(at('2026-03-09T12:00:00Z'));
  expect(nextOf('@daily', undefined, at('2026-03-02T12:00:00Z'))).toBe(at('2026-03-03T00:00:00Z'));
  for (const bad of ['* * * *', '* * * * * *', '61 * * * *', 'TZ=UTC 0 0 * * *', 'never']) expect(scheduleFault(bad), bad).toBeDefined();
  const faults = (spec: string) => readManifests(cron(spec)).problems.map((one) => one.at.field);
  expect(faults('schedule: "0 0 0 * *"')).toEqual(['spec.schedule']);
  expect(faults('schedule: "0 0 * * *"\n  timeZone: Mars/Base')).toEqual(['spec.timeZone']);
  expect(faults('schedule: "0 0 * * *"\n  concurrencyPolicy: Never')).toEqual(['spec.concurrencyPolicy']);
});
