<script lang="ts">
  import type { ClaimInspection } from '$server/views/claims';
  import { gib } from '../format';
  import Curve from '../parts/Curve.svelte';

  let { filling, name }: { filling: NonNullable<ClaimInspection['filling']>; name: string } = $props();
  const dayMs = 86_400_000;
  const grows = $derived(filling.bytesPerDay > 0 && filling.days.length > 0);
  const eighty = $derived(filling.days[0]);
  const full = $derived(filling.days.at(-1));
  /** The line goes on as far again as the history reaches, but never past the moment of being full. */
  const ahead = $derived(Math.max(dayMs, Math.min(filling.spanMs, (full?.days ?? 0) * dayMs)));
  const share = (bytes: number) => (100 * bytes) / Math.max(1, filling.roomBytes);
  const lines = $derived.by(() => {
    const nowMs = filling.points.at(-1)?.atMs ?? 0;
    const at = (ms: number) => (ms - nowMs) / dayMs;
    const later = (perDay: number) => [
      { x: 0, y: share(filling.bytes) },
      { x: at(nowMs + ahead), y: Math.min(100, share(filling.bytes + (perDay * ahead) / dayMs)) }
    ];
    return [
      { label: 'fill', points: filling.points.map((one) => ({ x: at(one.atMs), y: share(one.bytes) })), colour: 'ink' as const },
      ...(grows
        ? [
            { label: 'forecast', dashed: true, colour: 'slate' as const, points: later(filling.bytesPerDay) },
            { label: 'at most', band: true, points: later(filling.bytesPerDay + filling.plusMinus) },
            {
              label: 'at least',
              dashed: true,
              colour: 'slate' as const,
              points: later(Math.max(0, filling.bytesPerDay - filling.plusMinus))
            }
          ]
        : [])
    ];
  });
  const days = (value: number | undefined) =>
    value === undefined ? '∞' : value >= 10 ? Math.round(value).toLocaleString('en') : value.toFixed(1);
</script>

<p>{gib(filling.bytes)} of {gib(filling.roomBytes)} that its file system leaves, {Math.floor(share(filling.bytes))} %</p>
<Curve
  label="Fill of {name}, in percent by days from now"
  {lines}
  height={86}
  top={100}
  xTicks={(v) => `${Math.round(v * 10) / 10} d`}
  yTicks={(v) => `${v} %`}
/>
{#if grows && eighty}
  <p>
    {#each filling.days.filter((one) => one.days > 0).slice(0, 3) as one, i (one.share)}{i ? ', ' : ''}{one.share * 100} % in {days(
        one.days
      )} days{one.soonest !== one.latest
        ? ` (${days(one.soonest)}–${days(one.latest)})`
        : ''}{/each}{#if eighty.days === 0 && (full?.days ?? 1) > 0}; 80 % is passed{/if}
  </p>
  <p class="quiet small">
    {gib(filling.bytesPerDay)} a day, by the least-squares line of the last {filling.spanMs < dayMs
      ? `${Math.round(filling.spanMs / 3_600_000)} h`
      : `${Math.round(filling.spanMs / dayMs)} days`}
  </p>
{:else}<p class="quiet small">{filling.points.length < 3 ? 'Too little of it has been seen to tell.' : 'It is not growing.'}</p>{/if}
