<script lang="ts">
  import { untrack } from 'svelte';
  import type { Answers } from '$server/api/types';
  import { call, doCall, notices } from '../call.svelte';
  import { openDraft } from './draft';
  import KeptSizings from './KeptSizings.svelte';
  import YamlBox from '../parts/YamlBox.svelte';

  type Kept = Answers['Sizings']['items'][number];
  interface Props {
    id: string;
    /** The list to begin with. */
    start: string;
    one: Kept | null;
    kept: readonly Kept[];
    /** All names that are taken, of other calculations too. */
    names: readonly string[];
    base: string;
  }
  let { id, start, one, kept, names, base }: Props = $props();

  let text = $state(untrack(() => one?.written.prices ?? start));
  let name = $state(untrack(() => one?.name ?? ''));
  /** The kept one that stands here. What is kept from here is not read back: somebody may be writing on already. */
  let opened = $state(untrack(() => one?.id ?? null));
  $effect.pre(() => {
    const next = one;
    untrack(() => {
      if ((next?.id ?? null) === opened) return;
      opened = next?.id ?? null;
      text = next?.written.prices ?? start;
      name = next?.name ?? '';
    });
  });
  let found = $state.raw<Answers['Cost'] | null>(null);
  let last = $state.raw<NonNullable<Answers['Cost']['bill']> | null>(null);
  let asks = 0;
  const words = { nodes: 'nodes', volumes: 'volumes', snapshots: 'snapshots', addresses: 'addresses', traffic: 'between zones' } as const;
  const kinds = ['nodes', 'volumes', 'snapshots', 'addresses', 'traffic'] as const;
  const money = (value: number) => value.toLocaleString('en', { minimumFractionDigits: 2, maximumFractionDigits: 2 });
  const size = (bytes: number) => `${Number((bytes / 2 ** 30).toFixed(1)).toLocaleString('en')} GiB`;
  const problems = $derived(
    (found?.faults ?? []).map((each) => ({ message: each.says, remedy: 'Correct it, or take it out.', at: { line: each.line, column: 1 } }))
  );
  const idle = $derived((last?.idle ?? []).reduce((sum, each) => sum + each.month, 0));
  const shown = $derived(last?.workloads.filter((each) => each.total > 0) ?? []);
  const cheaper = $derived(
    shown.flatMap(({ namespace, name, instead }) =>
      instead.filter((two) => two.more < 0).map((two) => ({ ...two, of: `${namespace}/${name}`, target: { namespace, name } }))
    )
  );
  async function draft({ target, from, to }: (typeof cheaper)[number]) {
    await openDraft(id, await doCall('POST', '/rehearsals/{id}/cost/draft', { params: { id }, body: { of: target, from, to } }));
  }

  // Whatever is written is reckoned anew, a moment after the last key.
  $effect(() => {
    const prices = text;
    const timer = setTimeout(
      async () => {
        const nth = (asks += 1);
        const answer = await call('POST', '/rehearsals/{id}/cost', { params: { id }, body: { prices } });
        if (nth !== asks) return;
        if (!answer.ok) return notices.complain(answer.trouble);
        found = answer.value;
        if (found.bill) last = found.bill;
      },
      untrack(() => (found ? 300 : 0))
    );
    return () => clearTimeout(timer);
  });
</script>

<div class="grid grid-cols-[minmax(0,1fr)_360px] gap-x-8 max-[1100px]:grid-cols-1">
  <section aria-label="Cost">
    <p class="quiet">
      Sizing · cost{#if one}, kept as <em>{one.name}</em>{/if}
    </p>
    <h1 class={found?.bill ? '' : 'opacity-50'} aria-live="polite">
      {#if last}A month costs {money(last.total)} {last.unit}; {money(idle)} of it nobody uses.{:else}What does a month of it cost?{/if}
    </h1>
    {#if last?.over}<p class="mt-1 text-ochre">{last.over}</p>{/if}
    {#each last?.unpriced ?? [] as what (what)}<p class="mt-1 text-ochre">No price: {what}. It is counted as nothing.</p>{/each}
    {#each last?.unseen ?? [] as what (what)}<p class="quiet mt-1">Unseen: {what}.</p>{/each}
    {#if last}
      <div class="mt-4 overflow-x-auto {found?.bill ? '' : 'opacity-50'}">
        <table class="w-full min-w-[560px]">
          <thead>
            <tr class="small border-b border-ink text-left"
              ><th class="py-1 font-normal">whose</th>{#each kinds as kind (kind)}<th class="num py-1 pl-3 text-right font-normal"
                  >{words[kind]}</th
                >{/each}<th class="num py-1 pl-3 text-right font-normal">a month</th></tr
            >
          </thead>
          <tbody>
            {#each shown as each (`${each.namespace}/${each.name}`)}
              <tr class="border-b border-line">
                <th scope="row" class="py-1 text-left font-normal break-all"
                  ><a class="word" href="/r/{encodeURIComponent(id)}/members/{each.namespace}/{each.name}">{each.name}</a>
                  <span class="quiet small">{each.namespace}</span></th
                >
                {#each kinds as kind (kind)}<td class="num pl-3 text-right">{each.by[kind] ? money(each.by[kind]) : '–'}</td>{/each}
                <td class="num pl-3 text-right"><b>{money(each.total)}</b></td>
              </tr>
            {/each}
            <tr class="border-b border-line"
              ><th scope="row" class="py-1 text-left font-normal"
                >the place itself <span class="quiet small">daemon sets, drivers, operators</span></th
              ><td colspan="5"></td><td class="num pl-3 text-right">{money(last.place)}</td></tr
            >
            <tr class="border-b border-line"
              ><th scope="row" class="py-1 text-left font-normal">nobody</th><td colspan="5"></td><td class="num pl-3 text-right"
                >{money(idle)}</td
              ></tr
            >
            <tr class="border-t border-ink"
              ><th scope="row" class="py-1 text-left">all</th>{#each kinds as kind (kind)}<td class="num pl-3 text-right"
                  >{money(last.by[kind])}</td
                >{/each}<td class="num pl-3 text-right"><b>{money(last.total)}</b></td></tr
            >
          </tbody>
        </table>
      </div>

      <h2 class="mt-6">What nobody uses</h2>
      {#if last.idle.length}
        <table class="mt-1 w-full">
          <tbody>
            {#each last.idle as each (`${each.kind} ${each.what}`)}
              <tr class="border-b border-line"
                ><th scope="row" class="py-1 text-left font-normal break-all">{each.what}</th><td class="quiet small">{each.why}</td><td
                  class="num pl-3 text-right">{money(each.month)}</td
                ></tr
              >
            {/each}
          </tbody>
        </table>
      {:else}<p class="quiet mt-1">Nothing.</p>{/if}

      <h2 class="mt-6">What would be less</h2>
      {#if cheaper.length || shown.some((each) => each.smaller)}
        <ul class="mt-1 border-t border-line">
          {#each cheaper as each (`${each.of} ${each.from} ${each.to}`)}
            <li class="border-b border-line py-1">
              {each.of} in <b>{each.to}</b> instead of {each.from}: {money(-each.more)} less.
              {#if each.lacks}<span class="text-brick">It doesn't do: {each.lacks}.</span>{:else}<button
                  class="word"
                  onclick={() => draft(each)}>put in a draft</button
                >{/if}
            </li>
          {/each}
          {#each shown.filter((each) => each.smaller) as each (`${each.namespace}/${each.name}`)}
            <li class="border-b border-line py-1">
              {each.namespace}/{each.name} on {size(each.smaller!.to)} instead of {size(each.smaller!.from)}: {money(each.smaller!.month)} less.
              <span class="quiet small">What is in it and 30 % more; volumes don't shrink, so it has to be made anew and filled.</span>
            </li>
          {/each}
        </ul>
      {:else}<p class="quiet mt-1">Nothing that is seen here.</p>{/if}
      <p class="small quiet mt-4 max-w-[52rem]">
        A node is shared out by requests, the larger share of CPU and memory. A month has 730.485 hours. Between zones goes what members
        outside the busiest zone take. Rounded only where it is shown.
      </p>
    {/if}
  </section>
  <aside class="max-[1100px]:mt-6">
    <h2>Price list</h2>
    <p class="small quiet">A document of kind PriceList: your prices, in your unit. What it says beyond that is refused.</p>
    <div class="mt-2 h-[24rem] border border-line"><YamlBox bind:text {problems} /></div>
    {#each found?.faults ?? [] as fault, i (i)}<p class="small text-brick" role="alert">Line {fault.line}: {fault.says}.</p>{/each}
    <KeptSizings
      {id}
      {one}
      {kept}
      {names}
      {base}
      calc="cost"
      bind:name
      ready={found?.bill != null}
      body={() => ({ calc: 'cost', written: { prices: text } })}
      onkept={(made) => (opened = made)}
    />
  </aside>
</div>
