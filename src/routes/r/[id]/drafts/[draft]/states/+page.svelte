<script lang="ts">
  import { goto } from '$app/navigation';
  import { untrack } from 'svelte';
  import { call, doCall, notices } from '$ui/call.svelte';
  import { plural } from '$ui/format';
  import { prefs } from '$ui/prefs.svelte';
  import { secretSpans } from '$ui/drafts/cover';
  import type { DraftFile } from '$ui/drafts/types';

  let { data } = $props();
  let before = $state(untrack(() => data.states[1]?.id ?? data.states[0]?.id ?? 0));
  let after = $state(untrack(() => data.states[0]?.id ?? 0));
  let sides = $state.raw<{ before: DraftFile[]; after: DraftFile[] } | null>(null);
  let file = $state('');
  let host: HTMLDivElement | undefined = $state();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/drafts/${data.draft.id}`);
  const names = $derived([...new Set([...(sides?.before ?? []), ...(sides?.after ?? [])].map((one) => one.name))]);
  const shown = $derived(
    names.includes(file) ? file : (names.find((one) => textOf('before', one) !== textOf('after', one)) ?? names[0] ?? '')
  );
  const textOf = (side: 'before' | 'after', name: string) => sides?.[side].find((one) => one.name === name)?.text ?? '';
  const covered = (text: string) =>
    prefs.covered ? secretSpans(text).reduceRight((out, { from, to }) => `${out.slice(0, from)}··········${out.slice(to)}`, text) : text;

  $effect(() => {
    const [a, b] = [before, after];
    let gone = false;
    void Promise.all(
      [a, b].map((one) => call('GET', '/drafts/{draft}/states/{state}', { params: { draft: data.draft.id, state: one } }))
    ).then(([x, y]) => {
      if (gone || !x || !y) return;
      if (x.ok && y.ok) sides = { before: x.value.files, after: y.value.files };
      else if (!x.ok) notices.complain(x.trouble);
      else if (!y.ok) notices.complain(y.trouble);
    });
    return () => {
      gone = true;
    };
  });
  $effect(() => {
    if (!host || !sides) return;
    const [a, b, target] = [covered(textOf('before', shown)), covered(textOf('after', shown)), host];
    let made: { destroy(): void } | undefined;
    let gone = false;
    void import('$ui/drafts/editor').then(async ({ makeCompare }) => {
      if (gone) return;
      made = await makeCompare(target, a, b);
      if (gone) made.destroy();
    });
    return () => {
      gone = true;
      made?.destroy();
    };
  });
  async function back(id: number) {
    const found = await call('GET', '/drafts/{draft}/states/{state}', { params: { draft: data.draft.id, state: id } });
    if (!found.ok) return notices.complain(found.trouble);
    if (
      await doCall('PUT', '/drafts/{draft}', {
        params: { draft: data.draft.id },
        body: { files: found.value.files, cause: `back to state ${id}` }
      })
    ) {
      notices.say('The draft says again what it said then; what came after is kept in this list.');
      await goto(base);
    }
  }
</script>

<svelte:head><title>States of {data.draft.name} · Root Barn</title></svelte:head>

<div class="grid h-full grid-cols-[300px_minmax(0,1fr)]">
  <div class="min-h-0 overflow-auto border-r border-line px-[18px] py-4">
    <h1 class="text-[1.1rem]">{plural(data.states.length, 'state')} of “{data.draft.name}”</h1>
    <p class="quiet small">Kept at every pause in writing. Choose two to compare. <a class="word" href={base}>Back to the draft</a></p>
    <table class="table-plain small mt-2">
      <thead><tr><th>left</th><th>right</th><th>State</th><th><span class="sr-only">What can be done</span></th></tr></thead>
      <tbody>
        {#each data.states as one (one.id)}
          <tr>
            <td><input type="radio" bind:group={before} value={one.id} aria-label="State {one.id} on the left" /></td>
            <td><input type="radio" bind:group={after} value={one.id} aria-label="State {one.id} on the right" /></td>
            <td
              >{new Date(one.at).toLocaleTimeString('en-GB')}{#if one.id === data.draft.state}&nbsp;<b>now</b>{/if}<br /><span class="quiet"
                >{one.cause}, {plural(one.lines, 'line')}</span
              ></td
            >
            <td
              >{#if one.id !== data.draft.state}<button class="word" onclick={() => back(one.id)} aria-label="Go back to state {one.id}"
                  >go back</button
                >{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
  <div class="flex min-h-0 min-w-0 flex-col py-4">
    {#if names.length > 1}
      <p class="px-[18px] pb-2">
        {#each names as one (one)}<button
            class="mono mr-4 {shown === one ? 'border-b-2 border-ink font-semibold' : 'quiet'}"
            onclick={() => (file = one)}>{one}</button
          >{/each}
      </p>
    {/if}
    {#if sides && textOf('before', shown) === textOf('after', shown)}<p class="quiet px-[18px] pb-2">
        The two are the same{names.length > 1 ? ' in this file' : ''}.
      </p>{/if}
    <div bind:this={host} class="min-h-0 flex-1 overflow-auto" data-testid="compare"></div>
  </div>
</div>
