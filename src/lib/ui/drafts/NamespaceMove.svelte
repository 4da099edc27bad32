<script lang="ts">
  import type { Answers } from '$server/api/types';
  import { call, notices } from '../call.svelte';
  import { plural } from '../format';
  import type { Desk } from './desk.svelte';
  import type { TextEdit } from './types';

  type Place = NonNullable<Answers['Rework']['places']>[number];
  let { desk, onedits }: { desk: Desk; onedits(edits: readonly TextEdit[], cause: string): void } = $props();
  const spaces = $derived([...new Set(desk.objects.map((one) => one.namespace).filter(Boolean))].sort());
  let from = $state('');
  let to = $state('');
  let found = $state.raw<{ places: readonly Place[]; edits: readonly TextEdit[]; text: string } | null>(null);
  const source = $derived(from || (spaces[0] ?? 'default'));
  const fits = $derived(/^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/.test(to) && to !== source);

  $effect(() => {
    const [ask, files] = [{ from: source, to }, desk.files];
    if (!fits) {
      found = null;
      return;
    }
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      const answer = await call('POST', '/rehearsals/{id}/rework', {
        params: { id: desk.rehearsal() },
        body: { files, move: ask },
        signal: stop.signal
      });
      if (stop.signal.aborted) return;
      if (answer.ok) found = { places: answer.value.places ?? [], edits: answer.value.edits, text: JSON.stringify(files) };
      else notices.complain(answer.trouble);
    }, 200);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });
</script>

{#if spaces.length}
  <p class="flex flex-wrap items-baseline gap-2">
    from <select
      class="border-b border-ink bg-sheet"
      value={source}
      onchange={(event) => (from = event.currentTarget.value)}
      aria-label="From namespace"
      >{#each spaces as one (one)}<option>{one}</option>{/each}</select
    >
    to
    <input class="w-[9rem] border-b border-ink bg-sheet" bind:value={to} aria-label="To namespace" autocomplete="off" spellcheck="false" />
  </p>
  {#if to && !fits}<p class="small text-brick">
      {to === source ? 'That is where it stands.' : 'A namespace is made of lower-case letters, digits and "-", at most 63.'}
    </p>{/if}
  {#if found}
    <p class="mt-2">{plural(found.places.length, 'place')} {found.places.length === 1 ? 'names' : 'name'} it:</p>
    <ul class="small max-h-[220px] overflow-auto">
      {#each found.places as one, i (i)}
        <li class="border-b border-line py-1">
          <span class="quiet">{one.file ? `${one.file} ` : ''}{one.line}</span> <span class="mono">{one.object}</span>
          <span class="quiet">{one.field}</span><br />
          <span class="mono">{one.before} → {one.after}</span>
        </li>
      {/each}
    </ul>
    <button
      class="push push-main mt-2"
      disabled={!found.edits.length || found.text !== JSON.stringify(desk.files)}
      onclick={() => {
        onedits(found!.edits, `moved to ${to}`);
        to = '';
      }}>Write {to} in all of them</button
    >
  {/if}
{:else}<p class="quiet">There is nothing in the draft that stands in a namespace.</p>{/if}
