<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import Peg from '$ui/parts/Peg.svelte';
  import ClaimSheet from '$ui/sheets/ClaimSheet.svelte';
  import { gib, plural } from '$ui/format';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  let text = $state('');
  let limit = $state(200);
  const rows = $derived(data.view.rows);
  const shown = $derived(rows.filter((one) => !text || `${one.namespace}/${one.name} ${one.class} ${one.heldBy.join(' ')}`.includes(text)));
  const bound = $derived(rows.filter((one) => one.label === 'Bound').length);
  const pending = $derived(rows.filter((one) => one.label === 'Pending').length);
  const lonely = $derived(rows.filter((one) => !one.heldBy.length).length);
  const total = $derived(rows.reduce((sum, one) => sum + (one.gotBytes ?? 0), 0));
  const chosen = $derived(page.url.searchParams.get('claim'));
  const headline = $derived(
    !rows.length
      ? 'Nothing has been claimed.'
      : `${plural(rows.length, 'claim')}; ${bound === rows.length ? 'all bound' : `${bound} bound, ${pending} pending`}${lonely ? `, ${lonely} held by nobody` : ''}.`
  );
  const open = (key: string | null) =>
    goto(key === null || key === chosen ? '?' : `?claim=${encodeURIComponent(key)}`, { keepFocus: true, noScroll: true });

  $effect(() => {
    const [namespace = '', name = ''] = (chosen ?? '').split('/');
    selection.ref = chosen ? { kind: 'PersistentVolumeClaim', namespace, name } : null;
    return () => (selection.ref = null);
  });
</script>

<svelte:head><title>Claims · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="grid min-h-full {data.claim ? 'grid-cols-[minmax(0,1fr)_318px]' : 'grid-cols-1'}">
  <div class="min-w-0 px-[26px] py-5">
    <h1>{headline}</h1>
    <p class="quiet mt-1 flex items-center gap-3">
      handed out {gib(total)}
      {#if data.stack.claims.wanted > rows.length}
        · {plural(data.stack.claims.wanted - rows.length, 'more comes with its member', 'more come with their members')}
      {/if}
      {#if rows.length}<input
          class="small w-[16rem] border border-line bg-sheet px-2 py-0.5"
          bind:value={text}
          placeholder="narrow by name, class, holder"
          aria-label="Narrow the claims"
        />{/if}
      {#if text}<span>{plural(shown.length, 'row')}</span>{/if}
    </p>
    {#if rows.length}
      <table class="table-plain mt-3">
        <thead>
          <tr
            ><th>Claim</th><th class="num">Asks</th><th class="num">Got</th><th>Class</th><th>Handle</th><th>Held by</th><th>Node · zone</th
            ><th>State</th></tr
          >
        </thead>
        <tbody>
          {#each shown.slice(0, limit) as row (row.namespace + row.name)}
            {@const key = `${row.namespace}/${row.name}`}
            <tr class={chosen === key ? 'bg-tape' : 'hover:bg-tape'}>
              <td
                ><button class="mono text-left break-all hover:underline" aria-expanded={chosen === key} onclick={() => open(key)}
                  >{row.name}</button
                ><br /><span class="quiet small">{row.namespace}</span></td
              >
              <td class="num">{gib(row.askedBytes)}</td>
              <td class="num">{row.gotBytes === null ? '–' : gib(row.gotBytes)}</td>
              <td class="mono">{row.class}</td>
              <td class="mono">{row.handle || '–'}</td>
              <td class="mono"
                >{row.heldBy.length > 2
                  ? `${row.heldBy[0]} … ${row.heldBy.length}`
                  : row.heldBy.join(', ') || '–'}{#if !row.heldBy.length}<span class="quiet small font-sans"> nobody</span>{/if}</td
              >
              <td class="whitespace-nowrap">{row.node ? `${row.node} · ${row.zone}` : '–'}</td>
              <td class="whitespace-nowrap"><Peg state={row.state} /> {row.label}</td>
            </tr>
          {/each}
        </tbody>
      </table>
      {#if shown.length > limit}<button class="push mt-3" onclick={() => (limit += 500)}>{plural(shown.length - limit, 'more row')}</button
        >{/if}
      {#if !shown.length}<p class="quiet mt-4">No claim answers to "{text}".</p>{/if}
    {:else}
      <p class="mt-5 max-w-[44rem]">
        Claims come with the workloads that ask for them, or by themselves: write a PersistentVolumeClaim in <a
          class="word"
          href="/r/{encodeURIComponent(data.id)}/drafts">a draft</a
        > and send it.
      </p>
    {/if}
  </div>
  {#if data.claim}
    <ClaimSheet id={data.id} flag={data.cluster.flag} claim={data.claim} onclose={() => open(null)} />
  {/if}
</div>
