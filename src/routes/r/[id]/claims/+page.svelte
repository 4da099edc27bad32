<script lang="ts">
  import { frameHere } from '$ui/frame/frame.svelte';
  import { goto } from '$app/navigation';
  import { navigating, page } from '$app/state';
  import ClaimSheet from '$ui/sheets/ClaimSheet.svelte';
  import ClaimTable from '$ui/sheets/ClaimTable.svelte';
  import { gib, plural } from '$ui/format';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  const frame = frameHere();
  const view = $derived(data.view);
  const query = $derived(Object.fromEntries(page.url.searchParams));
  const chosen = $derived(page.url.searchParams.get('claim'));
  const filters = ['text', 'namespace', 'class', 'state', 'full'] as const;
  const narrowed = $derived(filters.some((one) => query[one]));
  const headline = $derived.by(() => {
    if (!view.total) return 'Nothing has been claimed.';
    const parts = [
      view.bound === view.total ? 'all bound' : `${view.bound} bound`,
      view.growing ? (view.growing === 1 ? 'one is growing' : `${view.growing} are growing`) : '',
      view.damaged ? `${view.damaged} damaged` : '',
      view.pending ? `${view.pending} pending` : '',
      view.lonely ? `${view.lonely} held by nobody` : ''
    ];
    return `${plural(view.total, 'claim')}; ${parts.filter(Boolean).join(', ')}.`;
  });

  function go(change: Record<string, string | null>, replaceState = false) {
    // What was pressed just now may still be on its way: the next press goes on from there.
    const to = navigating.to?.url;
    const params = new URLSearchParams((to?.pathname === page.url.pathname ? to : page.url).searchParams);
    for (const [key, value] of Object.entries(change)) {
      if (value === null || value === '') params.delete(key);
      else params.set(key, value);
    }
    void goto(`?${params}`, { keepFocus: true, noScroll: true, replaceState });
  }
  const open = (key: string | null) => go({ claim: key === chosen ? null : key });
  const sort = (column: string) =>
    go(query.sort === column ? (query.down ? { sort: null, down: null } : { down: 'true' }) : { sort: column, down: null });
  let timer: ReturnType<typeof setTimeout>;
  function typed(event: Event & { currentTarget: HTMLInputElement }) {
    const text = event.currentTarget.value.trim();
    clearTimeout(timer);
    timer = setTimeout(() => go({ text }, true), 200);
  }
  const csv = $derived.by(() => {
    const params = new URLSearchParams(page.url.searchParams);
    params.delete('claim');
    return `/r/${encodeURIComponent(data.id)}/claims/csv?${params}`;
  });

  $effect(() => {
    const [namespace = '', name = ''] = (chosen ?? '').split('/');
    selection.ref = chosen ? { kind: 'PersistentVolumeClaim', namespace, name } : null;
    return () => (selection.ref = null);
  });
</script>

<svelte:head><title>Claims · {data.cluster.name} · Root Barn</title></svelte:head>

{#snippet choice(name: 'namespace' | 'class' | 'state', all: string, values: readonly string[])}
  {#if values.length > 1 || query[name]}
    <select
      class="max-w-[11rem] border-b border-ink bg-sheet text-ink"
      aria-label={all}
      value={query[name] ?? ''}
      onchange={(event) => go({ [name]: event.currentTarget.value })}
    >
      <option value="">{all}</option>
      {#each values as one (one)}<option value={one}>{one}</option>{/each}
    </select>
  {/if}
{/snippet}

<div class="grid h-full min-h-[320px] {data.claim ? 'grid-cols-[minmax(0,1fr)_318px] max-[1000px]:grid-cols-1' : 'grid-cols-1'}">
  <div class="flex min-h-0 min-w-0 flex-col px-[26px] pt-5">
    <h1>{headline}</h1>
    <p class="quiet mt-1 mb-3 flex flex-wrap items-center gap-x-3 gap-y-1">
      handed out {gib(view.gotBytes)}{view.elastic
        ? ` and ${view.elastic === 1 ? 'one elastic share' : `${view.elastic} elastic shares`}`
        : ''}
      {#if frame.now.stack.claims.wanted > view.total}· {plural(
          frame.now.stack.claims.wanted - view.total,
          'more comes with its member',
          'more come with their members'
        )}{/if}
      {#if view.total}
        {@render choice('namespace', 'all namespaces', view.namespaces)}
        {@render choice('class', 'all classes', view.classes)}
        {@render choice('state', 'all states', view.labels)}
        <label class="no-print"
          >fill above <input
            class="w-[3.2rem] border-b border-ink bg-sheet text-right text-ink"
            type="number"
            min="0"
            max="100"
            value={query.full ?? '0'}
            onchange={(event) => go({ full: event.currentTarget.value === '0' ? null : event.currentTarget.value })}
          /> %</label
        >
        <input
          class="small w-[12rem] border border-line bg-sheet px-2 py-0.5 text-ink"
          value={query.text ?? ''}
          oninput={typed}
          placeholder="name, class, holder, node"
          aria-label="Narrow the claims"
        />
        <span>{plural(view.matching, 'row')}</span>
        <a class="word small" href={csv} download="{data.cluster.name}-claims.csv">CSV</a>
        {#if narrowed}<button class="word small" onclick={() => go({ text: null, namespace: null, class: null, state: null, full: null })}
            >show all</button
          >{/if}
      {/if}
    </p>
    {#if view.total}
      <ClaimTable id={data.id} {view} {query} {chosen} narrow={data.claim !== null} onopen={open} onsort={sort} />
      {#if !view.matching}<p class="quiet pb-6">
          No claim answers to this; <button
            class="word"
            onclick={() => go({ text: null, namespace: null, class: null, state: null, full: null })}>show all</button
          >.
        </p>{/if}
    {:else}
      <p class="mt-2 max-w-[44rem]">
        Claims come with the workloads that ask for them, or by themselves: write a PersistentVolumeClaim in <a
          class="word"
          href="/r/{encodeURIComponent(data.id)}/drafts">a draft</a
        > and send it.
      </p>
    {/if}
  </div>
  {#if data.claim}
    <ClaimSheet id={data.id} cluster={data.cluster} claim={data.claim} nowMs={frame.now.clock.nowMs} onclose={() => open(null)} />
  {/if}
</div>
