<script lang="ts">
  import type { Drill } from '$core/drills';
  import { wordsOf } from '$core/shared';

  interface Props {
    drill: Pick<Drill, 'lanes' | 'beganMs' | 'endedMs' | 'overMs' | 'beatMs'>;
  }
  let { drill }: Props = $props();
  /** As wide as the chart above, which shows whole stretches only. */
  const wholeMs = $derived(Math.max(1, Math.floor(drill.overMs / drill.beatMs)) * drill.beatMs);
  const share = (ms: number) => `${(100 * Math.min(ms, wholeMs)) / wholeMs}%`;
  const words = { ready: 'ready', coming: 'coming up', away: 'away' } as const;
</script>

<ul class="relative mt-3" aria-label="Members during the drill">
  <li class="pointer-events-none absolute inset-y-0 right-0 left-[140px]" aria-hidden="true">
    <span
      class="absolute inset-y-[-4px] bg-brick/10"
      style:left={share(drill.beganMs)}
      style:width={share(Math.max(drill.endedMs - drill.beganMs, wholeMs / 250))}
    ></span>
  </li>
  {#each drill.lanes as lane (lane.name)}
    <li class="flex h-[22px] items-center">
      <span class="mono w-[140px] shrink-0 truncate pr-2 text-[0.78rem]" title={lane.name}>{lane.name}</span>
      <span
        class="relative h-[13px] grow"
        role="img"
        aria-label="{lane.name}: {lane.stretches.map((one) => `${words[one.state]} ${wordsOf(one.toMs - one.fromMs)}`).join(', ')}"
      >
        {#each lane.stretches as one (one.fromMs)}
          <span
            class="absolute top-0 h-full {one.state === 'ready' ? 'bg-moss' : one.state === 'coming' ? 'bg-ochre' : ''}"
            style:left={share(one.fromMs)}
            style:width={share(Math.min(one.toMs, wholeMs) - Math.min(one.fromMs, wholeMs))}
            >{#if one.state === 'away'}<span class="absolute top-1/2 w-full border-t-2 border-dotted border-ink"></span>{/if}</span
          >
        {/each}
      </span>
    </li>
  {/each}
</ul>
