<script lang="ts">
  import { doCall, notices } from '../call.svelte';
  import { clockText } from '../format';

  interface Props {
    id: string;
    others: readonly { name: string; there: boolean }[];
    fork: string | null;
    ondone(): void;
    oncancel: (() => void) | null;
  }
  let { id, others, fork, ondone, oncancel }: Props = $props();
  let chosen = $state<string | null>(null);
  const other = $derived(chosen ?? others.find((one) => one.there)?.name ?? others[0]?.name ?? '');
  const there = $derived(others.find((one) => one.name === other)?.there ?? false);
  let delayMs = $state(8);
  let lossPercent = $state(0);
  let megabytes = $state<number | null>(null);
  let names = $state(true);
  let encrypted = $state(true);
  let under = $state(false);

  async function link(event: SubmitEvent) {
    event.preventDefault();
    under = true;
    const done = await doCall('POST', '/rehearsals/{id}/join', {
      params: { id },
      body: {
        with: other,
        delayMs,
        lossPercent,
        ...(megabytes ? { bytesPerSecond: Math.round(megabytes * 1e6) } : {}),
        names,
        encrypted
      }
    });
    under = false;
    if (!done) return;
    notices.say(`Linked with ${other} at ${clockText(done.nowMs)}; the two have one clock from here on. Undo takes it back.`);
    ondone();
  }
</script>

{#if !others.length}
  <p class="mt-4">There is no other stand-in to link with. <a class="word" href="/layout">Lay out a cluster</a> first.</p>
{:else}
  <form class="mt-4 max-w-[52rem] border border-ink p-4 leading-[2.3]" onsubmit={link} aria-label="Link a cluster">
    Link with
    <select
      class="border-b border-ink bg-sheet px-1"
      value={other}
      onchange={(event) => (chosen = event.currentTarget.value)}
      aria-label="The other cluster"
    >
      {#each others as one (one.name)}<option value={one.name}>{one.name}</option>{/each}
    </select>; a message takes
    <input
      class="w-[5rem] border-b border-ink bg-sheet px-1"
      type="number"
      min="0"
      max="60000"
      required
      bind:value={delayMs}
      aria-label="Delay one way, in ms"
    />
    ms one way,
    <input
      class="w-[4rem] border-b border-ink bg-sheet px-1"
      type="number"
      min="0"
      max="90"
      step="any"
      required
      bind:value={lossPercent}
      aria-label="Messages lost, of a hundred"
    />
    of a hundred are sent again. It carries
    <input
      class="w-[6rem] border-b border-ink bg-sheet px-1"
      type="number"
      min="0.001"
      step="any"
      placeholder="any"
      bind:value={megabytes}
      aria-label="Megabytes a second; empty: as much as is sent"
    />
    MB a second,
    <label><input type="checkbox" bind:checked={names} /> names of services</label>, and is
    <label><input type="checkbox" bind:checked={encrypted} /> encrypted</label>.
    <p class="quiet small leading-snug">
      {#if !there && fork !== null}{other} has no fork {fork}: make one first.{:else}The clock that is behind runs on to the moment of the
        other. Both ends are made; each may be altered by itself afterwards.{/if}
    </p>
    <p class="leading-normal">
      <button class="push push-main" disabled={under || !there}>{under ? 'They are brought to one moment …' : `Link with ${other}`}</button>
      {#if oncancel}<button type="button" class="word ml-3" onclick={oncancel}>not now</button>{/if}
    </p>
  </form>
{/if}
