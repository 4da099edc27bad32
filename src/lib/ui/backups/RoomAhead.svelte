<script lang="ts">
  import type { PlanShown } from '$server/views/backups';
  import Curve from '../parts/Curve.svelte';
  import { plural } from '../format';
  import { weightWords } from './words';

  interface Props {
    plan: PlanShown;
    nowMs: number;
  }
  let { plan, nowMs }: Props = $props();
  const dayMs = 86_400_000;
  const room = $derived(plan.room);
  const days = $derived(Math.round(room.overMs / dayMs));
  const last = $derived(room.points.at(-1)!);
  const inGib = (bytes: number) => bytes / 2 ** 30;
  const at = (ms: number) => (ms - nowMs) / dayMs;
  const lines = $derived([
    {
      label: 'copies',
      colour: 'ink' as const,
      points: [...room.points.map((one) => ({ x: at(one.atMs), y: inGib(one.bytes) })), { x: room.overMs / dayMs, y: inGib(last.bytes) }]
    },
    // What the store holds is drawn where copies come near it; else it would flatten them.
    ...(room.storeBytes !== null && room.mostBytes * 3 > room.storeBytes
      ? [
          {
            label: 'the store holds',
            dashed: true,
            colour: 'ochre' as const,
            points: [
              { x: 0, y: inGib(room.storeBytes) },
              { x: room.overMs / dayMs, y: inGib(room.storeBytes) }
            ]
          }
        ]
      : [])
  ]);
  const amount = (v: number) => (v === 0 ? '0' : weightWords(v * 2 ** 30));
</script>

<h2 class="mt-5 text-[1.02rem]">Room, {plural(days, 'day')} ahead</h2>
<p class="mt-1">
  {weightWords(room.points[0]!.bytes)} now, {plural(room.points[0]!.copies, 'copy', 'copies')}; at most {weightWords(room.mostBytes)}, {plural(
    last.copies,
    'copy',
    'copies'
  )} in the end{#if room.storeBytes !== null}; the store holds {weightWords(room.storeBytes)} in all{/if}{#if room.othersBytes}, and copies
    of other plans there come to {weightWords(room.othersBytes)}{/if}.
</p>
{#if room.mostBytes > 0}
  <Curve
    label="Room of the copies of {plan.name}, by days from now"
    {lines}
    height={96}
    xTicks={(v) => `${Math.round(v)} d`}
    yTicks={amount}
  />
{/if}
{#if plan.how === 'copy-and-log'}<p class="quiet small mt-1">
    The log behind the copies is not in it: how much that is, nobody can tell beforehand.
  </p>{/if}
