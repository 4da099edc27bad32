<script lang="ts">
  import { goto } from '$app/navigation';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import { pageKey } from '$ui/frame/page-keys';

  let { data } = $props();
  let keys = $state(false);
  const terms = $derived({ who: data.query.who ?? '', about: data.query.about ?? '', text: data.query.text ?? '' });
  const last = $derived(data.deeds.at(-1));
  const query = (more: Record<string, string> = {}) =>
    new URLSearchParams(Object.entries({ ...terms, ...more }).filter(([, value]) => value !== '')).toString();

  async function narrow(event: SubmitEvent & { currentTarget: HTMLFormElement }) {
    event.preventDefault();
    const form = new FormData(event.currentTarget);
    await goto(`/deeds?${new URLSearchParams([...form].map(([key, value]) => [key, String(value)]).filter(([, value]) => value))}`, {
      keepFocus: true
    });
  }
</script>

<svelte:head><title>Who did what · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<Header title="Who did what" onkeys={() => (keys = true)} />
<main class="mx-auto max-w-[84rem] px-[34px] pt-6 pb-10">
  <h1>Who did what</h1>
  <p class="quiet mt-1">
    Whatever was sent, taken back, restored, proved, uncovered, exported; signing in and what concerns accounts. Kept for {data.days} days.
  </p>
  <form class="mt-4 flex flex-wrap items-end gap-3" onsubmit={narrow}>
    <label>Who <input name="who" class="mt-1 block border border-ink bg-sheet px-2 py-1" value={terms.who} /></label>
    <label>Cluster or rehearsal <input name="about" class="mt-1 block border border-ink bg-sheet px-2 py-1" value={terms.about} /></label>
    <label>Words <input name="text" class="mt-1 block border border-ink bg-sheet px-2 py-1" value={terms.text} /></label>
    <button class="push">Narrow</button>
    {#if query()}<a class="word" href="/deeds">all</a>{/if}
    <a class="word ml-auto" href="/deeds/csv?{query()}" download>as CSV</a>
  </form>
  <table class="table-plain mt-4 w-full">
    <thead><tr><th>When (UTC)</th><th>Who</th><th>What</th><th>Where</th><th>Details</th></tr></thead>
    <tbody>
      {#each data.deeds as one (one.id)}
        <tr>
          <td class="mono whitespace-nowrap">{one.at.slice(0, 19).replace('T', ' ')}</td>
          <td class="break-all">{one.who}</td>
          <td>{one.what}</td>
          <td class="break-all">
            {#if one.rehearsal}<a class="word mono" href="/r/{encodeURIComponent(one.rehearsal)}/members">{one.rehearsal}</a>
            {:else}<span class="mono">{one.cluster ?? ''}</span>{/if}
            {#if one.draft !== null}<span class="quiet">draft {one.draft}</span>{/if}
          </td>
          <td class="break-words">{one.detail}</td>
        </tr>
      {:else}<tr><td colspan="5" class="quiet">{query() ? 'Nothing fits.' : 'Nothing was done yet.'}</td></tr>{/each}
    </tbody>
  </table>
  {#if last && data.deeds.length >= data.query.limit}<p class="mt-4">
      <a class="push" href="/deeds?{query({ before: String(last.id) })}">Earlier ones</a>
    </p>{/if}
</main>

{#if keys}<Keys onclose={() => (keys = false)} />{/if}
