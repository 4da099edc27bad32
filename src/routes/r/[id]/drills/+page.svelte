<script lang="ts">
  import { goto } from '$app/navigation';
  import Peg from '$ui/parts/Peg.svelte';
  import { doCall } from '$ui/call.svelte';
  import { sentenceShown } from '$ui/prefs.svelte';
  import { plural } from '$ui/format';
  import { stepIn, type Place } from '$ui/drills/grid';
  import { pauseText } from '$ui/drills/words';

  let { data } = $props();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/drills`);
  const dump = $derived(data.cluster.kind === 'dump');
  const squares = $derived(new Map(data.squares.map((one) => [one.key, one])));
  /** A column stands only where its fault can happen to somebody here. */
  const columns = $derived(
    data.columns
      .map((group) => ({
        ...group,
        faults: group.faults.filter((fault) =>
          data.workloads.some((one) => one.offers.some((offer) => offer.fault === fault.id && offer.target !== undefined))
        )
      }))
      .filter((group) => group.faults.length)
  );
  const flat = $derived(columns.flatMap((group) => group.faults));
  const firsts = $derived(new Set(columns.map((group) => group.faults[0]!.id)));
  const fresh = $derived(data.squares.filter((one) => !one.stale));
  const worse = $derived(fresh.filter((one) => one.state === 'worse'));
  const stale = $derived(data.squares.length - fresh.length);
  const possible = $derived(
    data.workloads
      .filter((one) => !one.notNow)
      .flatMap((one) =>
        one.offers.filter((offer) => offer.target !== undefined).map((offer) => `${one.namespace}/${one.name}/${offer.fault}`)
      )
  );
  const open = $derived(possible.filter((key) => !squares.get(key) || squares.get(key)!.stale).length);
  const head = $derived(
    data.squares.length
      ? `${plural(data.squares.length, 'drill')} on ${plural(new Set(data.squares.map((one) => one.key.split('/').slice(0, 2).join('/'))).size, 'workload')}: ${fresh.length - worse.length} as expected, ${worse.length} worse${stale ? `, ${stale} stale` : ''}.`
      : 'Nothing has been tried yet.'
  );
  const running = $derived(data.round?.running ?? false);

  async function run() {
    await doCall('POST', '/rehearsals/{id}/drills/round', { params: { id: data.id }, body: {} });
  }
  async function stop() {
    await doCall('DELETE', '/rehearsals/{id}/drills/round', { params: { id: data.id } });
  }
  const href = (workload: { namespace: string; name: string }, fault: string) =>
    `${base}/${encodeURIComponent(workload.namespace)}/${encodeURIComponent(workload.name)}/${fault}`;

  let at = $state<Place>({ row: 0, column: 0 });
  let table = $state<HTMLTableElement>();
  function keyed(event: KeyboardEvent) {
    const next = stepIn(event.key, at, { rows: data.workloads.length, columns: flat.length });
    if (!next) return;
    event.preventDefault();
    at = next;
    table?.querySelector<HTMLElement>(`[data-square="${next.row}-${next.column}"]`)?.focus();
  }
  /** With more columns their heads stand upright, so that all of them are seen at once on a narrow screen. */
  const mostLevel = 16;
  const narrow = $derived(flat.length > mostLevel);
</script>

<svelte:head><title>Drills · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  {#if dump}
    <h1>Nothing can be tried on a dump.</h1>
    <p class="mt-3">
      Its programs don't run here. <a class="word" href="/r/{encodeURIComponent(data.id)}/rehearse">Rehearse from here</a>, and try faults
      there.
    </p>
  {:else if !data.workloads.length}
    <h1>There is nobody to drill yet.</h1>
    <p class="mt-3">Faults are put into workloads, under load; none stands on this cluster at this moment.</p>
  {:else}
    <div class="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
      <div>
        <h1>{head}</h1>
        <p class="quiet mt-1">
          each on a fork of its moment, with clients that write and read twice a second · under each peg the worst pause of writes, or what
          is lost
          {#if data.squares.length}· <a class="word" href="{base}/csv" download="{data.cluster.name}-drills.csv">CSV</a>{/if}
        </p>
      </div>
      <div class="flex items-center gap-3 whitespace-nowrap">
        {#if running && data.round}
          <progress class="w-[110px] accent-moss" value={data.round.done} max={data.round.total} aria-label="Drills that are done"
          ></progress>
          <span class="quiet" role="status">{data.round.done} of {data.round.total}</span>
          <button class="push" onclick={stop} disabled={data.round.stopped}>{data.round.stopped ? 'Stopping …' : 'Stop'}</button>
        {:else}
          <button class="push push-main" onclick={run} disabled={!open}
            >{open
              ? `Run ${open === possible.length ? `all ${open}` : `the ${open} that ${open === 1 ? 'is' : 'are'} new or stale`}`
              : 'All are fresh'}</button
          >
        {/if}
      </div>
    </div>

    <div class="mt-5 overflow-x-auto">
      <table
        class="w-full border-collapse text-left {narrow ? 'table-fixed' : ''}"
        bind:this={table}
        aria-label="Drills, by workload and fault"
      >
        <thead>
          <tr>
            <td class="w-[150px]"></td>
            {#each columns as group (group.level)}<th
                scope="colgroup"
                colspan={group.faults.length}
                class="border-l border-ink px-1 pb-1 font-semibold">{group.level}</th
              >{/each}
          </tr>
          <tr class="border-b border-ink align-bottom">
            <td></td>
            {#each flat as fault (fault.id)}<th
                scope="col"
                title={fault.why}
                class="small quiet {narrow ? 'pl-1' : 'w-[76px] px-1'} pt-1 pb-2 font-normal {firsts.has(fault.id)
                  ? 'border-l border-ink'
                  : ''}"><span class:upright={narrow}>{fault.title}</span></th
              >{/each}
          </tr>
        </thead>
        <tbody>
          {#each data.workloads as workload, row (workload.namespace + workload.name)}
            <tr class="border-b border-ink {narrow ? 'align-top' : ''}">
              <th scope="row" class="max-w-[150px] py-2 pr-2 font-normal">
                <span class="block truncate font-semibold" title="{workload.namespace}/{workload.name}">{workload.name}</span>
                <span class="small quiet block truncate" title={workload.notNow || workload.kind}
                  >{workload.notNow ? sentenceShown(workload.notNow) : workload.kind}</span
                >
                {#if workload.supposed.length}<a
                    class="small word block truncate"
                    href="/r/{encodeURIComponent(data.id)}/supply/supposed"
                    title={sentenceShown(`${workload.supposed.join('; ')}.`)}>on {plural(workload.supposed.length, 'supposition')}</a
                  >{/if}
              </th>
              {#each flat as fault, column (fault.id)}
                {@const square = squares.get(`${workload.namespace}/${workload.name}/${fault.id}`)}
                {@const offer = workload.offers.find((one) => one.fault === fault.id)}
                <td class="px-0 {firsts.has(fault.id) ? 'border-l border-ink' : ''} {square?.stale ? 'hatched' : ''}">
                  {#if offer?.target === undefined}
                    <span class="block px-1 text-line" title={offer?.not} aria-label="can't happen here: {offer?.not}">·</span>
                  {:else}
                    <a
                      href={href(workload, fault.id)}
                      data-square="{row}-{column}"
                      tabindex={row === at.row && column === at.column ? 0 : -1}
                      onkeydown={keyed}
                      onfocus={() => (at = { row, column })}
                      class="block py-2 {narrow ? 'pl-1' : 'px-1'} hover:bg-tape {square && !square.stale && square.state === 'worse'
                        ? 'text-brick'
                        : ''}"
                      title={square ? sentenceShown(square.says) : `${sentenceShown(offer.target)}: not tried yet`}
                      aria-label="{workload.name}, {fault.title}: {square
                        ? `${square.stale ? 'stale, ' : ''}${square.state === 'worse' ? 'worse than expected' : 'as expected'}, writes paused ${pauseText(square.pauseMs)}${square.lost ? `, ${square.lost} lost` : square.lost === null ? ', what is lost unseen' : ''}`
                        : 'not tried yet'}"
                    >
                      <Peg
                        state={!square ? 'waiting' : square.stale ? 'settling' : square.state === 'worse' ? 'broken' : 'holds'}
                        label=""
                      />
                      <span class="small block {narrow ? 'leading-tight' : 'whitespace-nowrap'}"
                        >{square
                          ? square.stale
                            ? 'stale'
                            : square.lost
                              ? `${square.lost} lost`
                              : narrow
                                ? pauseText(square.pauseMs).replace(/\s(?=min)/, ' ')
                                : pauseText(square.pauseMs)
                          : '–'}</span
                      >
                    </a>
                  {/if}
                </td>
              {/each}
            </tr>
          {/each}
        </tbody>
      </table>
    </div>

    <div class="mt-6 grid grid-cols-2 gap-x-10 gap-y-5 max-[1000px]:grid-cols-1">
      {#each worse.slice(0, 4) as one (one.key)}
        {@const [namespace = '', name = '', fault = ''] = one.key.split('/')}
        <section class="border-l-[3px] border-brick pl-3" aria-label="Worse: {name}, {fault}">
          <h2 class="text-[1.02rem]">{name}, {flat.find((two) => two.id === fault)?.title ?? fault}</h2>
          <p class="mt-1">{sentenceShown(one.says)}</p>
          {#if one.cause}<p class="quiet mt-1">{sentenceShown(one.cause)}.</p>{/if}
          {#if one.remedy}<p class="mt-1"><b class="font-semibold">Remedy</b> {sentenceShown(one.remedy)}</p>{/if}
          <p class="mt-2"><button class="push" onclick={() => goto(href({ namespace, name }, fault))}>See the drill</button></p>
        </section>
      {/each}
      {#if data.round && !data.round.running && data.round.skipped.length}
        <section aria-label="Not run">
          <h2 class="text-[1.02rem]">Not run in the last round</h2>
          <ul class="mt-1">
            {#each data.round.skipped.slice(0, 6) as one (one.workload + one.fault)}<li>
                <b class="font-semibold">{one.workload}</b>, {flat.find((two) => two.id === one.fault)?.title ?? one.fault}:
                <span class="quiet">{sentenceShown(one.why)}</span>
              </li>{/each}
          </ul>
        </section>
      {/if}
    </div>
  {/if}
</div>

<style>
  .upright {
    display: inline-block;
    writing-mode: vertical-rl;
    rotate: 180deg;
    white-space: nowrap;
  }
</style>
