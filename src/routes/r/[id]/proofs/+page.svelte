<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import Peg from '$ui/parts/Peg.svelte';
  import MatrixTable from '$ui/workloads/MatrixTable.svelte';
  import { sentenceShown } from '$ui/prefs.svelte';
  import { doCall } from '$ui/call.svelte';
  import { selection } from '$ui/selection.svelte';
  import { lineHref, plural, shortClock } from '$ui/format';

  let { data } = $props();
  let running = $state(false);
  const proved = $derived(new Set(data.proofs.map((one) => `${one.namespace}/${one.set}`)));
  const key = $derived(
    page.url.searchParams.get('set') ?? [...proved][0] ?? (data.sets[0] ? `${data.sets[0].namespace}/${data.sets[0].name}` : '')
  );
  const namespace = $derived(key.split('/')[0] ?? '');
  const set = $derived(key.split('/')[1] ?? '');
  const mine = $derived(data.proofs.filter((one) => one.namespace === namespace && one.set === set));
  const chosenId = $derived(page.url.searchParams.get('proof'));
  const shown = $derived(mine.find((one) => one.id === chosenId) ?? mine.find((one) => one.state === 'broken') ?? mine[0]);
  const ok = $derived(mine.filter((one) => one.state === 'holds' && !one.stale).length);
  const failed = $derived(mine.filter((one) => one.state === 'broken' && !one.stale));
  const stale = $derived(mine.filter((one) => one.stale).length);
  const words = ['none', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve'];
  const word = (n: number) => words[n] ?? String(n);

  async function prove() {
    running = true;
    await doCall('POST', '/rehearsals/{id}/proofs', { params: { id: data.id }, body: { namespace, set } });
    running = false;
  }
  $effect(() => {
    selection.prove = data.cluster.kind === 'dump' ? null : () => void prove();
    return () => (selection.prove = null);
  });
  const choose = (proof: string) => goto(`?${new URLSearchParams({ set: key, proof })}`, { keepFocus: true, noScroll: true });
</script>

<svelte:head><title>Proofs · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  {#if !data.sets.length}
    <h1>Nothing to prove yet.</h1>
    <p class="mt-3">Proofs are run on workloads; none stands on this cluster at this moment.</p>
  {:else}
    <div class="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
      <div>
        <h1>
          {mine.length
            ? stale === mine.length
              ? `What was proved of ${set} is stale.`
              : `${set} holds in ${word(ok)} of ${word(mine.length)} proofs${failed.length ? `; what fails: ${failed.map((one) => one.title).join(', ')}` : ''}.`
            : `${set} has not been proved yet.`}
        </h1>
        <p class="quiet mt-1">
          pack: workload · <span class="mono">{namespace}</span>{stale
            ? ` · ${stale} stale: something they speak of has changed since`
            : ''} · evidence kept with the rehearsal
        </p>
      </div>
      <div class="flex items-center gap-2 whitespace-nowrap">
        {#if data.sets.length > 1}
          <select
            class="select-plain border border-line bg-sheet px-2 py-1"
            value={key}
            onchange={(event) => goto(`?${new URLSearchParams({ set: event.currentTarget.value })}`)}
            aria-label="Workload"
          >
            {#each data.sets as one (one.namespace + one.name)}<option value="{one.namespace}/{one.name}">{one.name}</option>{/each}
          </select>
        {/if}
        <button class="push push-main" onclick={prove} disabled={running || data.cluster.kind === 'dump'}
          >{running ? 'Proving …' : mine.length ? 'Prove again' : 'Prove'}</button
        >
      </div>
    </div>
    {#if data.cluster.kind === 'dump'}<p class="mt-2">
        Nothing can be proved on a dump: its programs don't run here. <a class="word" href="/r/{encodeURIComponent(data.id)}/rehearse"
          >Rehearse from here</a
        > and prove it there.
      </p>{/if}
    {#if !mine.length}
      <p class="mt-5 max-w-[44rem]">
        The pack asks whether every claim is bound as asked, whether members started in order, whether names lead where they should and
        nowhere else, whether the data reads back, and whether a member that is taken away comes back; then, through the engine itself, what
        its kind has to keep: who may and may not get in, what is written here and read there, what a loss does.
      </p>
    {:else}
      <div class="mt-4 grid grid-cols-[minmax(300px,430px)_1fr] gap-x-8 max-[1000px]:grid-cols-1">
        <ul class="border-t border-ink">
          {#each mine as one (one.id)}
            <li class="border-b border-line">
              <button
                class="grid w-full grid-cols-[22px_1fr_auto] px-2 py-2.5 text-left {shown?.id === one.id ? 'bg-tape' : 'hover:bg-tape'}"
                aria-pressed={shown?.id === one.id}
                onclick={() => choose(one.id)}
              >
                <span class="pt-[3px]"><Peg state={one.stale ? 'settling' : one.state} /></span>
                <span
                  ><b class="font-semibold">{one.title}</b><br /><span class="quiet">{one.stale ? `stale: ${one.says}` : one.says}</span
                  ></span
                >
                <span class="mono quiet text-[0.78rem]">{shortClock(one.atMs)}</span>
              </button>
            </li>
          {/each}
        </ul>
        {#if shown}
          <section aria-label="Evidence of {shown.title}">
            <h2 class="text-[1.05rem]">{shown.title}</h2>
            <p class="quiet mb-2">{shown.note ?? shown.says}</p>
            {#if shown.matrix}<MatrixTable matrix={shown.matrix} />{/if}
            {#if shown.checks.length}
              <table class="table-plain table-fixed [overflow-wrap:anywhere]">
                <thead><tr><th class="w-[26%]">asked</th><th class="w-[34%]">expected</th><th>came back</th></tr></thead>
                <tbody>
                  {#each shown.checks as check, i (i)}
                    <tr>
                      <td class="mono break-words">{check.asked}</td>
                      <td class="mono break-words">{sentenceShown(check.expected)}</td>
                      <td class="break-words {check.ok ? '' : 'text-brick'}"
                        ><span class="flex min-w-0 items-baseline gap-2"
                          ><Peg state={check.ok ? 'holds' : 'broken'} size={10} label={check.ok ? 'as expected' : 'not as expected'} /><span
                            class="mono min-w-0">{sentenceShown(check.got)}</span
                          ></span
                        ></td
                      >
                    </tr>
                  {/each}
                </tbody>
              </table>
              <p class="quiet small mt-2">{plural(shown.checks.length, 'answer')} at {shortClock(shown.atMs)}</p>
            {/if}
            {#if shown.state !== 'holds'}
              <div class="remedy mt-4">
                <h3 class="font-semibold">What the evidence says</h3>
                <p>{shown.says}.</p>
                {#each shown.checks.filter((one) => one.claim) as one (one.claim)}
                  <p>
                    <a class="word" href="/r/{encodeURIComponent(data.id)}/claims?{new URLSearchParams({ claim: one.claim! })}"
                      >the claim <span class="mono">{one.claim!.split('/')[1]}</span>, to put a snapshot in its place</a
                    >
                  </p>
                {/each}
                <a class="word" href={lineHref(data.id, { kind: 'StatefulSet', namespace, name: set })}>root line of {set}</a>
              </div>
            {/if}
          </section>
        {/if}
      </div>
    {/if}
  {/if}
</div>
