<script lang="ts">
  import { untrack } from 'svelte';
  import type { Answers } from '$server/api/types';
  import { call, doCall, notices } from '../call.svelte';
  import { openDraft } from './draft';
  import KeptSizings from './KeptSizings.svelte';
  import NodesDrawing from './NodesDrawing.svelte';
  import NodesFigures from './NodesFigures.svelte';

  type Kept = Answers['Sizings']['items'][number];
  type Ask = NonNullable<Answers['NodesTaken']['ask']>;
  interface Props {
    id: string;
    workloads: Answers['Calculations']['workloads'];
    /** What stands, with what of it couldn't be taken. */
    start: Answers['NodesTaken'];
    one: Kept | null;
    kept: readonly Kept[];
    /** Price lists that are kept. */
    lists: readonly Kept[];
    /** All names that are taken, of other calculations too. */
    names: readonly string[];
    base: string;
  }
  let { id, workloads, start, one, kept, lists, names, base }: Props = $props();

  const empty: Ask = {
    members: [{ name: 'members', count: '3', cpu: '1', memory: '4Gi', slots: '1', disk: '', apart: 'both' }],
    nodes: [{ name: 'nodes', cpu: '4', memory: '16Gi', slots: '20', disk: '', most: '', price: '' }],
    zones: '3'
  };
  const parse = ({ written }: Kept): Ask & { by: 'nodes' | 'price' } => ({
    members: JSON.parse(written.members ?? '[]') as Ask['members'],
    nodes: JSON.parse(written.nodes ?? '[]') as Ask['nodes'],
    zones: written.zones ?? '1',
    by: written.by === 'price' ? 'price' : 'nodes'
  });
  const copy = (from: Ask): Ask => JSON.parse(JSON.stringify(from)) as Ask;
  const begun = (which: Kept | null) => {
    const kept = which ? parse(which) : undefined;
    return {
      ask: copy(kept ?? start.ask ?? empty),
      by: kept?.by ?? ('nodes' as const),
      of: which?.of ? `${which.of.namespace}/${which.of.name}` : '',
      taken: which?.taken ? parse({ ...which, written: which.taken }) : start.ask ? copy(start.ask) : null,
      said: which ? '' : start.ask ? `Not taken: ${start.says}.` : `Nothing was taken: ${start.says}.`,
      name: which?.name ?? ''
    };
  };
  const first = untrack(() => begun(one));
  let ask = $state<Ask>(first.ask);
  let by = $state<'nodes' | 'price'>(first.by);
  let of = $state(first.of);
  let taken = $state<Ask | null>(first.taken);
  let said = $state(first.said);
  let name = $state(first.name);
  /** The kept one that stands here. What is kept from here is not read back: somebody may be writing on already. */
  let opened = $state(untrack(() => one?.id ?? null));
  $effect.pre(() => {
    const next = one;
    untrack(() => {
      if ((next?.id ?? null) === opened) return;
      opened = next?.id ?? null;
      before = [];
      ({ ask, by, of, taken, said, name } = begun(next));
      pack(0);
    });
  });
  let found = $state.raw<Answers['Packed'] | null>(null);
  let last = $state.raw<NonNullable<Answers['Packed']['fit']> | null>(null);
  let working = $state(false);
  let before = $state.raw<{ ask: Ask; by: 'nodes' | 'price' }[]>([]);
  let asks = 0;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const faults = $derived((found?.faults ?? {}) as Record<string, string>);
  const apartWords = [
    ['both', 'zones and nodes'],
    ['zones', 'zones'],
    ['nodes', 'nodes'],
    ['no', 'not']
  ] as const;
  const memberCells = [
    ['count', 'members', 5],
    ['cpu', 'CPU', 6],
    ['memory', 'memory', 7],
    ['slots', 'slots', 4],
    ['disk', 'own disk', 7]
  ] as const;
  const nodeCells = [
    ['cpu', 'CPU', 6],
    ['memory', 'memory', 7],
    ['slots', 'slots', 4],
    ['disk', 'own disk', 7],
    ['most', 'at most', 5],
    ['price', 'a month', 6]
  ] as const;

  function pack(waitMs = 250) {
    clearTimeout(timer);
    working = true;
    timer = setTimeout(async () => {
      const nth = (asks += 1);
      const body = { ...$state.snapshot(ask), by };
      // A picture at once, and the best of it when it is found.
      for (const effort of ['first', 'whole'] as const) {
        const answer = await call('POST', '/packed', { body: { ...body, effort } });
        if (nth !== asks) return;
        working = effort === 'first' && answer.ok && answer.value.fit !== null;
        if (!answer.ok) return notices.complain(answer.trouble);
        if (effort === 'whole' || !answer.value.fit || !found?.fit) found = answer.value;
        if (answer.value.fit) last = answer.value.fit;
        if (!working) return;
      }
    }, waitMs);
  }
  $effect(() => {
    untrack(() => pack(0));
    return () => clearTimeout(timer);
  });
  /** Rows that come and go can be brought back. */
  function alter(change: () => void) {
    before = [...before.slice(-19), { ask: $state.snapshot(ask) as Ask, by }];
    change();
    pack(0);
  }
  function back() {
    const last = before.at(-1);
    if (!last) return;
    before = before.slice(0, -1);
    ask = last.ask;
    by = last.by;
    pack(0);
  }
  async function take(key: string) {
    const [namespace, ...rest] = key.split('/');
    const query = key ? { namespace: namespace!, workload: rest.join('/') } : {};
    const answer = await call('GET', '/rehearsals/{id}/sizing/nodes', { params: { id }, query });
    if (!answer.ok) return notices.complain(answer.trouble);
    const { ask: next, says } = answer.value;
    said = next ? `Not taken: ${says}.` : `Nothing was taken: ${says}.`;
    if (!next) return;
    of = key;
    taken = copy(next);
    // Prices and limits that were written stay with the nodes of that name.
    const known = new Map(ask.nodes.map((each) => [each.name, each]));
    alter(() => {
      ask = {
        ...copy(next),
        nodes: next.nodes.map((each) => ({ ...each, price: known.get(each.name)?.price ?? '', most: known.get(each.name)?.most ?? '' }))
      };
    });
  }
  async function draft() {
    const members = ($state.snapshot(ask) as Ask).members;
    const body = { ...target(), members };
    await openDraft(id, await doCall('POST', '/rehearsals/{id}/sizing/nodes/draft', { params: { id }, body }));
  }
  function target() {
    const chosen = workloads.find((each) => `${each.namespace}/${each.name}` === of);
    return chosen ? { of: { namespace: chosen.namespace, name: chosen.name } } : {};
  }
  /** Prices by a list that is kept, for nodes that stand here. */
  async function price(list: string) {
    const [namespace, ...rest] = of.split('/');
    const query = { list: Number(list), ...(of ? { namespace: namespace!, workload: rest.join('/') } : {}) };
    const answer = await call('GET', '/rehearsals/{id}/sizing/nodes', { params: { id }, query });
    if (!answer.ok) return notices.complain(answer.trouble);
    const { ask: next, says } = answer.value;
    if (!next) return (said = `Nothing was taken: ${says}.`);
    const prices = new Map(next.nodes.map((each) => [each.name, each.price]));
    const none = ask.nodes.filter((each) => !prices.get(each.name)).map((each) => each.name);
    alter(() => {
      ask.nodes = ask.nodes.map((each) => ({ ...each, price: prices.get(each.name) || each.price }));
    });
    said = none.length ? `The list has no price for ${none.join(', ')}.` : '';
  }
  function body() {
    const texts = (from: Ask) => ({ members: JSON.stringify(from.members), nodes: JSON.stringify(from.nodes), zones: from.zones });
    return {
      calc: 'nodes' as const,
      written: { ...texts($state.snapshot(ask) as Ask), by },
      ...target(),
      ...(taken ? { taken: texts($state.snapshot(taken) as Ask) } : {})
    };
  }
  const fault = (list: string, row: number, cell: string) => faults[`${list}.${row}.${cell}`];
  const fresh = (all: readonly { name: string }[], stem: string) => {
    let nth = all.length + 1;
    while (all.some((each) => each.name === `${stem} ${nth}`)) nth += 1;
    return `${stem} ${nth}`;
  };
</script>

{#snippet cellOf(
  list: 'members' | 'nodes',
  row: number,
  cell: string,
  label: string,
  width: number,
  value: string,
  put: (text: string) => void
)}
  <input
    class="w-full border-b-2 bg-sheet px-1 {fault(list, row, cell) ? 'border-brick text-brick' : 'border-line focus:border-ink'}"
    style:min-width="{width}ch"
    aria-label="{label} of {ask[list][row]!.name}"
    aria-invalid={fault(list, row, cell) !== undefined}
    title={fault(list, row, cell) ?? label}
    {value}
    oninput={(event) => {
      put(event.currentTarget.value);
      pack();
    }}
    autocomplete="off"
    spellcheck="false"
  />
{/snippet}

<div class="grid grid-cols-[minmax(0,1fr)_300px] gap-x-8 max-[1100px]:grid-cols-1">
  <section aria-label="Node fit">
    <p class="quiet">
      Sizing · node fit{of ? ` · taken from ${of}` : taken ? ' · taken from what stands' : ''}{#if one}, kept as <em>{one.name}</em>{/if}
    </p>
    <h1 class={found?.fit && !working ? '' : 'opacity-50'} aria-live="polite">
      {#if last}{last.headline}{:else if working}Packing…{:else}How many nodes hold these members?{/if}
    </h1>
    {#each last?.blocks ?? [] as block (block)}<p class="mt-1 text-brick">{block}</p>{/each}

    <div class="mt-3 overflow-x-auto">
      <table class="w-full min-w-[640px]">
        <thead>
          <tr class="small border-b border-ink text-left">
            <th class="w-[22%] py-1 font-normal">who is placed</th>
            {#each memberCells as [cell, label] (cell)}<th class="pr-2 font-normal">{label}</th>{/each}
            <th class="pr-2 font-normal">apart over</th><th><span class="sr-only">Take away</span></th>
          </tr>
        </thead>
        <tbody>
          {#each ask.members as line, i (i)}
            <tr>
              <td class="py-1 pr-2">{@render cellOf('members', i, 'name', 'Name', 10, line.name, (text) => (line.name = text))}</td>
              {#each memberCells as [cell, label, width] (cell)}
                <td class="pr-2">{@render cellOf('members', i, cell, label, width, line[cell], (text) => (line[cell] = text))}</td>
              {/each}
              <td class="pr-2">
                <select
                  class="w-full border-b-2 border-line bg-sheet"
                  aria-label="{line.name}: apart over"
                  bind:value={line.apart}
                  onchange={() => pack(0)}
                >
                  {#each apartWords as [way, word] (way)}<option value={way}>{word}</option>{/each}
                </select>
              </td>
              <td class="text-right">
                <button
                  class="word small whitespace-nowrap"
                  disabled={ask.members.length === 1}
                  aria-label="Take {line.name} away"
                  onclick={() => alter(() => ask.members.splice(i, 1))}>take away</button
                >
              </td>
            </tr>
          {/each}
        </tbody>
        <thead>
          <tr class="small border-b border-ink text-left">
            <th class="pt-4 pb-1 font-normal">on which nodes</th>
            {#each nodeCells as [cell, label] (cell)}<th class="pt-4 pr-2 pb-1 font-normal">{label}</th>{/each}
            <th><span class="sr-only">Take away</span></th>
          </tr>
        </thead>
        <tbody>
          {#each ask.nodes as line, i (i)}
            <tr>
              <td class="py-1 pr-2">{@render cellOf('nodes', i, 'name', 'Name', 10, line.name, (text) => (line.name = text))}</td>
              {#each nodeCells as [cell, label, width] (cell)}
                <td class="pr-2">{@render cellOf('nodes', i, cell, label, width, line[cell], (text) => (line[cell] = text))}</td>
              {/each}
              <td class="text-right">
                <button
                  class="word small whitespace-nowrap"
                  disabled={ask.nodes.length === 1}
                  aria-label="Take {line.name} away"
                  onclick={() => alter(() => ask.nodes.splice(i, 1))}>take away</button
                >
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
    <p class="small mt-2 flex flex-wrap gap-x-4 gap-y-1">
      <button
        class="word"
        disabled={ask.members.length >= 60}
        onclick={() =>
          alter(() =>
            ask.members.push({ name: fresh(ask.members, 'members'), count: '1', cpu: '1', memory: '1Gi', slots: '', disk: '', apart: 'no' })
          )}>add members</button
      >
      <button
        class="word"
        disabled={ask.nodes.length >= 20}
        onclick={() =>
          alter(() =>
            ask.nodes.push({ name: fresh(ask.nodes, 'nodes'), cpu: '8', memory: '32Gi', slots: '20', disk: '', most: '', price: '' })
          )}>add a kind of nodes</button
      >
      {#if before.length}<button class="word" onclick={back}>undo</button>{/if}
      <label
        >over <input
          class="w-[3ch] border-b-2 bg-sheet text-center {faults.zones ? 'border-brick' : 'border-line'}"
          aria-label="Zones"
          aria-invalid={faults.zones !== undefined}
          bind:value={ask.zones}
          oninput={() => pack()}
        /> zones</label
      >
      <label
        >as <select class="border-b-2 border-line bg-sheet" aria-label="What is to be least" bind:value={by} onchange={() => pack(0)}>
          <option value="nodes">few nodes</option>
          <option value="price">cheap</option>
        </select> as can be</label
      >
    </p>
    {#each Object.entries(faults) as [cell, says] (cell)}
      {@const [list, row, what] = cell.split('.')}
      <p class="small text-brick" role="alert">
        {row === undefined ? list : `${ask[list as 'members' | 'nodes'][Number(row)]?.name}, ${what}`}: {says}
      </p>
    {/each}

    {#if last}
      <div class="mt-5 {found?.fit && !working ? '' : 'opacity-50'}"><NodesDrawing fit={last} /></div>
      <div class="small mt-4 max-w-[52rem]">
        <p>
          <span class="mono">first fit decreasing, then columns, then whole numbers over them</span>
          <span class="quiet">Johnson 1973; Gilmore and Gomory 1961; bound: Farley 1990</span>
        </p>
        {#each last.notes as note (note)}<p class="quiet mt-1">{note}</p>{/each}
      </div>
    {/if}
  </section>
  <aside class="max-[1100px]:mt-6">
    {#if last}<NodesFigures fit={last} {by} still={found?.fit != null && !working} />{/if}
    <p class="mt-4">
      <label
        >Take it from
        <select
          class="max-w-[11rem] border-b-2 border-ink bg-sheet"
          value={of}
          onchange={(event) => take(event.currentTarget.value)}
          aria-label="Take it from"
        >
          <option value="">all that stands</option>
          {#each workloads as each (`${each.namespace}/${each.name}`)}<option value="{each.namespace}/{each.name}"
              >{each.namespace}/{each.name}</option
            >{/each}
        </select></label
      >
    </p>
    {#if lists.length}
      <p class="mt-2">
        <label
          >Prices from
          <select
            class="max-w-[11rem] border-b-2 border-ink bg-sheet"
            value=""
            onchange={(event) => price(event.currentTarget.value)}
            aria-label="Prices from"
          >
            <option value="" disabled>a list</option>
            {#each lists as each (each.id)}<option value={String(each.id)}>{each.name}</option>{/each}
          </select></label
        >
      </p>
    {/if}
    {#if said}<p class="small quiet mt-1">{said}</p>{/if}
    <p class="mt-3">
      <button class="push push-main" disabled={!found?.fit} onclick={draft}>Put in a draft</button>
      <span class="small quiet block">Counts, CPU and memory of rows that stand here.</span>
    </p>
    <KeptSizings
      {id}
      {one}
      {kept}
      {names}
      {base}
      calc="nodes"
      bind:name
      ready={found?.fit != null}
      {body}
      onkept={(made) => (opened = made)}
    />
  </aside>
</div>
