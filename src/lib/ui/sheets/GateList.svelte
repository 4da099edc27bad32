<script lang="ts">
  import type { SupplyView } from '$server/views/supply';
  import Peg from '../parts/Peg.svelte';
  import { sentenceShown } from '../prefs.svelte';

  type Gate = SupplyView['drivers'][number]['gates'][number];
  interface Props {
    gates: readonly Gate[];
    ondraft(gate: Gate): void;
  }
  let { gates, ondraft }: Props = $props();
  /** What is mended first: gates above it rest on it. */
  const first = $derived(gates.find((one) => one.state === 'broken'));
</script>

<ol class="grid gap-x-8" aria-label="Gates, in the order in which they must hold">
  {#each gates as gate (gate.joint)}
    <li class="flex items-start gap-2 border-b border-line py-1.5">
      <span class="mt-[4px] flex"><Peg state={gate.state} size={11} /></span>
      <span class="w-[104px] shrink-0 font-semibold">{gate.title}</span>
      <span class="min-w-0 flex-1 {gate.state === 'broken' ? 'text-brick' : ''}">
        {sentenceShown(gate.says)}
        {#if gate.settling}<span class="quiet small"
            >normal {Math.round(gate.settling.normalMs[0] / 1000)}–{Math.round(gate.settling.normalMs[1] / 1000)} s</span
          >{/if}
        {#if gate.state === 'broken' && gate.remedy}
          <span class="mt-0.5 mb-1 flex flex-wrap items-baseline gap-x-3 gap-y-1 text-ink">
            {gate.remedy.text}
            {#if gate.remedy.draft}
              <button class="push {gate === first ? 'push-main' : ''}" onclick={() => ondraft(gate)}>Put in a draft</button>
              {#if gate === first}<span class="key">d</span>{/if}
            {/if}
          </span>
        {/if}
      </span>
    </li>
  {/each}
</ol>
