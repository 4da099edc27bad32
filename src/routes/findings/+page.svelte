<script lang="ts">
  import Peg from '$ui/parts/Peg.svelte';
  import { pegOf } from '$ui/drafts/types';
  import { plural } from '$ui/format';

  let { data } = $props();
  let text = $state('');
  const levels = [
    { id: 'error', title: 'Errors: it will not work' },
    { id: 'warning', title: 'Warnings: it works until it hurts' },
    { id: 'note', title: 'Notes: worth knowing' }
  ] as const;
  const fit = $derived(data.rules.filter((one) => `${one.id} ${one.title}`.toLowerCase().includes(text.toLowerCase())));
</script>

<svelte:head><title>Findings · Root Barn</title></svelte:head>

<main class="mx-auto max-w-[72rem] px-[34px] py-8">
  <p class="quiet small"><a class="word" href="/">Estate</a></p>
  <h1 class="mt-2">What the checker looks for: {plural(data.rules.length, 'rule')}.</h1>
  <input
    class="mt-3 w-[20rem] border-b border-ink bg-sheet"
    placeholder="narrow by a word"
    bind:value={text}
    aria-label="Narrow by a word"
  />
  {#each levels as level (level.id)}
    {@const mine = fit.filter((one) => one.level === level.id)}
    {#if mine.length}
      <h2 class="mt-6 border-b border-ink pb-1"><Peg state={pegOf[level.id]} size={12} /> {level.title}</h2>
      <ul class="columns-1 gap-10 md:columns-2">
        {#each mine as one (one.id)}<li class="break-inside-avoid border-b border-line py-1">
            <a class="hover:underline" href="/findings/{one.id}">{one.title}</a> <span class="quiet small mono">{one.id}</span>
          </li>{/each}
      </ul>
    {/if}
  {:else}<p class="quiet">No rule has that word.</p>{/each}
</main>
