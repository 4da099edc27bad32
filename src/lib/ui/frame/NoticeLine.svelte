<script lang="ts">
  import { notices } from '../call.svelte';
  import Sheet from '../parts/Sheet.svelte';

  let earlier = $state(false);
  const said = $derived(notices.said);
  const time = (at: number) => new Date(at).toLocaleTimeString('en-GB');
</script>

<!-- Its height is always there, so nothing moves when something is said; a long notice grows over the sheet. -->
<div class="no-print relative h-[30px] shrink-0 border-t border-line">
  <div
    class="absolute inset-x-0 bottom-0 flex min-h-[29px] items-baseline gap-3 bg-sheet px-[18px] py-[3px] {said?.bad
      ? 'border-t border-brick text-brick'
      : ''}"
  >
    <span role={said?.bad ? 'alert' : 'status'} data-testid="notice"
      >{#if said}<span class="font-semibold">{said.text}</span>
        {#if said.remedy}<span class="text-ink"> {said.remedy}</span>{/if}{/if}</span
    >
    <span class="ml-auto flex gap-3 whitespace-nowrap">
      {#if notices.past.length > (said ? 1 : 0)}<button class="word small" onclick={() => (earlier = true)}>earlier notices</button>{/if}
      {#if said}<button class="word small text-ink" onclick={() => notices.clear()}>close</button>{/if}
    </span>
  </div>
</div>
{#if earlier}
  <Sheet title="Notices of this page" onclose={() => (earlier = false)}>
    <ol>
      {#each notices.past as one, i (i)}
        <li class="border-b border-line py-1.5 {one.bad ? 'text-brick' : ''}">
          <span class="mono quiet small">{time(one.at)}</span>
          {one.text}{#if one.remedy}<span class="text-ink"> {one.remedy}</span>{/if}
        </li>
      {/each}
    </ol>
    <button class="push mt-4" onclick={() => (earlier = false)}>Close</button>
  </Sheet>
{/if}
