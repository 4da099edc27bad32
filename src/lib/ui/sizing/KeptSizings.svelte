<script lang="ts">
  import { goto, invalidate } from '$app/navigation';
  import type { Snippet } from 'svelte';
  import type { Answers, Api } from '$server/api/types';
  import { doCall, notices } from '../call.svelte';

  type Kept = Answers['Sizings']['items'][number];
  type Body = Omit<Api['POST /rehearsals/{id}/sizings']['body'], 'name'>;
  interface Props {
    id: string;
    /** The kept one that is open. */
    one: Kept | null;
    kept: readonly Kept[];
    /** All names that are taken, of other calculations too. */
    names: readonly string[];
    base: string;
    /** The calculation, for the way back from one that was taken away. */
    calc: string;
    name: string;
    /** Whether there is an answer to keep. */
    ready: boolean;
    /** What is to be kept. */
    body(): Body;
    onkept?(made: number): void;
    more?: Snippet<[Kept]>;
  }
  let { id, one, kept, names, base, calc, name = $bindable(), ready, body, onkept, more }: Props = $props();

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    const made = await doCall('POST', '/rehearsals/{id}/sizings', { params: { id }, body: { ...body(), name } });
    if (!made) return;
    notices.say(`Kept as ${name}.`);
    onkept?.(made.id);
    await goto(`${base}?kept=${made.id}`, { keepFocus: true, noScroll: true });
    await invalidate('app:sheet');
  }
  async function drop(which: Kept) {
    if (!(await doCall('DELETE', '/rehearsals/{id}/sizings/{sizing}', { params: { id, sizing: String(which.id) } }))) return;
    notices.say(`${which.name} was taken away.`);
    if (one?.id === which.id) await goto(`${base}?calc=${calc}`);
    await invalidate('app:sheet');
  }
</script>

<form class="mt-3 flex items-baseline gap-2" onsubmit={keep}>
  <input
    class="w-[9rem] border-b-2 border-ink bg-sheet px-1"
    bind:value={name}
    required
    maxlength="80"
    placeholder="a name"
    aria-label="Name to keep it under"
    autocomplete="off"
  />
  <button class="push" disabled={!ready || !name.trim()}>{names.includes(name.trim()) ? 'Replace' : 'Keep'}</button>
</form>
{#if kept.length}
  <h2 class="mt-5">Kept</h2>
  <ul class="mt-1 border-t border-line">
    {#each kept as each (each.id)}
      <li class="border-b border-line py-1.5 {each.moved.length || each.gone ? 'hatched' : ''}">
        <a class={each.id === one?.id ? 'font-semibold' : 'word'} href="{base}?kept={each.id}">{each.name}</a>
        <span class="small float-right flex gap-2">
          {@render more?.(each)}
          <button class="word" onclick={() => drop(each)} aria-label="Take {each.name} away">take away</button>
        </span>
        {#if each.gone}<span class="small block text-ochre">stale: {each.gone}</span>
        {:else if each.moved.length}<span class="small block text-ochre"
            >stale: {each.moved.map((two) => `${two.label.toLowerCase()} ${two.was}, now ${two.is}`).join('; ')}</span
          >{/if}
      </li>
    {/each}
  </ul>
{/if}
