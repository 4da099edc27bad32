<script lang="ts">
  import { createVirtualizer } from '@tanstack/svelte-virtual';
  import { untrack } from 'svelte';
  import type { ClaimColumn, ClaimRow, ClaimsView } from '$server/views/claims';
  import { call } from '../call.svelte';
  import { gib, plural } from '../format';
  import Peg from '../parts/Peg.svelte';

  interface Props {
    id: string;
    /** The first rows, with the sums. */
    view: ClaimsView;
    /** The address's own query: order and filters. */
    query: Record<string, string>;
    chosen: string | null;
    narrow: boolean;
    onopen(key: string): void;
    onsort(column: ClaimColumn): void;
  }
  let { id, view, query, chosen, narrow, onopen, onsort }: Props = $props();

  const rowHeight = 36;
  const windowRows = 100;
  let scroller: HTMLDivElement | undefined = $state();
  /** Windows of rows that have been fetched, by their number. */
  let windows = $state.raw<ReadonlyMap<number, readonly ClaimRow[]>>(new Map());
  const under = new Set<number>();
  let round = 0;

  /** Widths with the table alone, with a claim's sheet beside it, and in a narrow window; 0px: left out. */
  const columns: readonly { id: ClaimColumn; title: string; wide: string; narrow: string; small: string; right?: boolean }[] = [
    { id: 'name', title: 'Claim', wide: 'minmax(164px,1.6fr)', narrow: 'minmax(118px,1.15fr)', small: 'minmax(110px,1.4fr)' },
    { id: 'namespace', title: 'Namespace', wide: 'minmax(84px,0.6fr)', narrow: '0px', small: 'minmax(70px,0.7fr)' },
    { id: 'asks', title: 'Asks', wide: '66px', narrow: '60px', small: '0px', right: true },
    { id: 'got', title: 'Got', wide: '66px', narrow: '60px', small: '66px', right: true },
    { id: 'class', title: 'Class', wide: 'minmax(92px,0.8fr)', narrow: 'minmax(88px,0.85fr)', small: '0px' },
    { id: 'handle', title: 'Handle', wide: 'minmax(92px,0.8fr)', narrow: '0px', small: '0px' },
    { id: 'holder', title: 'Held by', wide: 'minmax(100px,1fr)', narrow: 'minmax(80px,0.8fr)', small: 'minmax(76px,1fr)' },
    { id: 'node', title: 'Node · zone', wide: 'minmax(84px,0.8fr)', narrow: '70px', small: '0px' },
    { id: 'fill', title: 'Fill', wide: '88px', narrow: '76px', small: '0px' },
    { id: 'state', title: 'State', wide: '108px', narrow: '106px', small: '106px' }
  ];
  let windowWidth = $state(1_280);
  const width = $derived(windowWidth < 1_000 ? ('small' as const) : narrow ? ('narrow' as const) : ('wide' as const));
  const many = $derived(view.namespaces.length > 1);
  const shownColumns = $derived(columns.filter((one) => one[width] !== '0px' && (one.id !== 'namespace' || many)));
  const grid = $derived(shownColumns.map((one) => one[width]).join(' '));
  const shows = $derived(new Set(shownColumns.map((one) => one.id)));

  const virtual = createVirtualizer<HTMLDivElement, HTMLDivElement>({
    count: 0,
    getScrollElement: () => null,
    estimateSize: () => rowHeight,
    overscan: 12
  });
  $effect(() => {
    const [count, element] = [view.matching, scroller];
    untrack(() => $virtual.setOptions({ count, getScrollElement: () => element ?? null }));
  });

  async function fetchWindow(at: number, mine: number) {
    under.add(at);
    const params = new URLSearchParams({ ...query, from: String(at * windowRows), limit: String(windowRows) });
    params.delete('claim');
    const answer = await call('GET', '/rehearsals/{id}/sheets/claims', { params: { id }, query: params });
    under.delete(at);
    if (answer.ok && mine === round) windows = new Map(windows).set(at, answer.value.rows);
  }
  // The first rows come with the page; a page that was loaded anew makes the others old, and those in sight are fetched again.
  $effect(() => {
    const first = view.rows;
    untrack(() => {
      round += 1;
      under.clear();
      const old = windows;
      windows = new Map(
        first.length === view.matching || first.length >= windowRows ? [[0, first]] : [[0, first], ...[...old].filter(([at]) => at > 0)]
      );
      for (const at of old.keys()) if (at > 0) void fetchWindow(at, round);
    });
  });
  const rowAt = (index: number): ClaimRow | undefined => windows.get(Math.floor(index / windowRows))?.[index % windowRows];
  $effect(() => {
    for (const item of $virtual.getVirtualItems()) {
      const at = Math.floor(item.index / windowRows);
      if (!rowAt(item.index) && !under.has(at)) void fetchWindow(at, round);
    }
  });
  const holders = (row: ClaimRow) =>
    row.heldBy.length > 1 ? `${row.heldBy[0]} and ${row.heldBy.length - 1} more` : (row.heldBy[0] ?? 'nobody');
  const place = (row: ClaimRow) =>
    row.nodes.length > 1 ? plural(row.nodes.length, 'node') : row.nodes[0] ? `${row.nodes[0]} · ${row.zone || '–'}` : '–';
  const percent = (fill: number) => Math.floor(fill * 100);

  function onkeydown(event: KeyboardEvent) {
    if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return;
    const rows = [...(scroller?.querySelectorAll<HTMLButtonElement>('button[data-row]') ?? [])];
    const here = rows.findIndex((one) => one === document.activeElement);
    const next = rows[here + (event.key === 'ArrowDown' ? 1 : -1)];
    if (here < 0 || !next) return;
    next.focus();
    next.scrollIntoView({ block: 'nearest' });
    event.preventDefault();
  }
</script>

<svelte:window bind:innerWidth={windowWidth} />

<div class="flex min-h-0 flex-1 flex-col" role="table" aria-label="Claims" aria-rowcount={view.matching + 1}>
  <!-- svelte-ignore a11y_no_static_element_interactions -->
  <div bind:this={scroller} class="min-h-0 flex-1 overflow-y-auto" {onkeydown} data-testid="claims-scroll">
    <div
      class="sticky top-0 z-10 grid {width === 'wide' ? 'gap-x-3' : 'gap-x-2'} border-b border-line bg-sheet whitespace-nowrap"
      style:grid-template-columns={grid}
      role="row"
    >
      {#each shownColumns as one (one.id)}
        <span
          class="small quiet {one.right ? 'text-right' : ''}"
          role="columnheader"
          aria-sort={(query.sort ?? 'name') === one.id ? (query.down ? 'descending' : 'ascending') : 'none'}
        >
          <button class="py-1 hover:underline" onclick={() => onsort(one.id)}
            >{one.title}{(query.sort ?? 'name') === one.id && query.sort ? (query.down ? ' ↓' : ' ↑') : ''}</button
          >
        </span>
      {/each}
    </div>
    <div class="relative" style:height="{$virtual.getTotalSize()}px">
      {#each $virtual.getVirtualItems() as item (item.index)}
        {@const row = rowAt(item.index)}
        {@const key = row ? `${row.namespace}/${row.name}` : ''}
        <div
          class="absolute inset-x-0 grid items-center {width === 'wide' ? 'gap-x-3' : 'gap-x-2'} border-b border-line {row && chosen === key
            ? 'bg-tape'
            : 'hover:bg-tape'}"
          style:grid-template-columns={grid}
          style:height="{rowHeight}px"
          style:transform="translateY({item.start}px)"
          role="row"
          aria-rowindex={item.index + 2}
        >
          {#if row}
            <span class="min-w-0" role="cell"
              ><button
                data-row
                class="mono block w-full truncate text-left hover:underline"
                title={key}
                aria-expanded={chosen === key}
                onclick={() => onopen(key)}>{row.name}</button
              ></span
            >
            {#if shows.has('namespace')}<span class="mono truncate" role="cell">{row.namespace}</span>{/if}
            {#if shows.has('asks')}<span class="text-right whitespace-nowrap" role="cell">{gib(row.askedBytes)}</span>{/if}
            <span class="text-right whitespace-nowrap" role="cell"
              >{row.gotBytes === null ? '–' : row.elastic ? 'elastic' : gib(row.gotBytes)}</span
            >
            {#if shows.has('class')}<span class="mono truncate" role="cell" title={row.class}>{row.class || '""'}</span>{/if}
            {#if shows.has('handle')}<span class="mono truncate" role="cell" title={row.volume}>{row.handle || '–'}</span>{/if}
            <span class="truncate {row.heldBy.length ? 'mono' : 'quiet'}" role="cell" title={row.heldBy.join(', ')}>{holders(row)}</span>
            {#if shows.has('node')}<span class="truncate" role="cell" title={row.nodes.join(', ')}>{place(row)}</span>{/if}
            {#if shows.has('fill')}<span class="flex items-center gap-1.5 whitespace-nowrap" role="cell">
                {#if row.fill !== null}
                  <span class="relative inline-block h-[6px] {narrow ? 'w-[32px]' : 'w-[44px]'} border-b border-line" aria-hidden="true"
                    ><span
                      class="absolute bottom-0 left-0 h-[6px] {row.fill >= 0.8 ? 'bg-brick' : 'bg-ink'}"
                      style:width="{Math.min(100, row.fill * 100)}%"
                    ></span></span
                  >{percent(row.fill)} %
                {:else}<span class="quiet">–</span>{/if}
              </span>{/if}
            <span class="whitespace-nowrap" role="cell"><Peg state={row.state} /> {row.label}</span>
          {:else}<span class="quiet small" role="cell">…</span>{/if}
        </div>
      {/each}
    </div>
  </div>
</div>
