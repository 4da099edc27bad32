<script lang="ts">
  import { goto } from '$app/navigation';
  import { wordsOf } from '$core/shared';
  import type { Answers } from '$server/api/types';
  import Flag from '$ui/parts/Flag.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import { doCall } from '$ui/call.svelte';
  import { gib, kinId, plural } from '$ui/format';
  import { sentenceShown } from '$ui/prefs.svelte';

  let { data } = $props();
  type Way = NonNullable<Answers['Moves']['move']>['ways'][number];
  const { namespace, workload } = $derived(data);
  const move = $derived(data.moves.move);
  const to = $derived(data.moves.to);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  /** What was tried, by cluster and way; stale once anything that the move rests on is another. */
  let tried = $state.raw<Readonly<Record<string, { readonly found: Answers['TriedMove']; readonly of: string }>>>({});
  let trying = $state<string | null>(null);
  const stamp = $derived(JSON.stringify(move));
  const outcome = (way: string) => tried[`${to} ${way}`];
  const open = $derived(move?.ways.filter((one) => one.not === null) ?? []);

  async function tryWay(way: Way['way']) {
    trying = way;
    const [of, at] = [stamp, to];
    const found = await doCall('POST', '/rehearsals/{id}/moves/try', {
      params: { id: data.id },
      body: { namespace, workload, to: at, way }
    });
    trying = null;
    if (found) tried = { ...tried, [`${at} ${way}`]: { found, of } };
    return found !== undefined;
  }
  async function tryAll() {
    for (const one of open) if (!(await tryWay(one.way))) return;
  }
  async function draft(way: Way['way'], step: number) {
    const made = await doCall('POST', '/rehearsals/{id}/moves/draft', {
      params: { id: data.id },
      body: { namespace, workload, to, way, step }
    });
    if (made) await goto(`/r/${encodeURIComponent(kinId(data.id, made.cluster))}/drafts/${made.id}`);
  }
  const pauseWords = (ms: number) => (ms < 1_000 ? 'none' : wordsOf(ms));
  const headline = $derived.by(() => {
    if (!move) return data.moves.says;
    const done = open.flatMap((one) => outcome(one.way)?.found ?? []).filter((one) => one.state === 'holds');
    if (!open.length) return `${workload} can't go to ${to} as it stands.`;
    if (!done.length) return `${workload} can go to ${to} ${plural(open.length, 'way')}.`;
    const least = Math.min(...done.map((one) => one.pauseMs));
    return `${workload} comes to ${to} with a pause of ${pauseWords(least)} at best.`;
  });
</script>

<svelte:head><title>Move {workload} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <p class="small">
    <a class="word" href="{base}/members/{namespace}/{workload}">{workload}</a>
    <span class="quiet">· <a class="word" href="{base}/links">Links</a></span>
  </p>
  <h1 class="mt-1">{headline}</h1>
  {#if data.moves.others.length}
    <p class="mt-2">
      From {data.moves.here} to
      <select
        class="border-b border-ink bg-sheet px-1"
        value={to}
        onchange={(event) => goto(`?to=${encodeURIComponent(event.currentTarget.value)}`, { keepFocus: true, noScroll: true })}
        aria-label="The other cluster"
      >
        {#each data.moves.others as one (one)}<option value={one}>{one}</option>{/each}
      </select>{#if move}, where its claims ask for {gib(move.bytes)}.{/if}
    </p>
  {:else}
    <p class="mt-2">Only clusters that are linked can take it: <a class="word" href="{base}/links">link one</a> first.</p>
  {/if}
  {#if move}
    {#each move.unfit as says (says)}
      <p class="text-brick"><Peg state="broken" /> It doesn't fit {to}: {sentenceShown(says)}.</p>
    {/each}
    <p class="mt-3">
      <button class="push push-main" onclick={tryAll} disabled={trying !== null || !open.length}
        >{trying ? `Tries it on a fork: ${move.ways.find((one) => one.way === trying)?.title} …` : 'Try it on a fork'}</button
      >
      <span class="quiet small ml-2"
        >a client writes once a second all the while, and each step is taken the moment the one before is through; the fork is thrown away</span
      >
    </p>
    <div class="mt-4 grid grid-cols-1 gap-x-8 gap-y-6 xl:grid-cols-3">
      {#each move.ways as one (one.way)}
        {@const out = outcome(one.way)}
        <section aria-label={one.title} class="min-w-0">
          <h2 class="border-b border-ink pb-1">{one.title[0]!.toUpperCase()}{one.title.slice(1)}</h2>
          {#if one.not !== null}
            <p class="quiet mt-2">Not this way: {one.not}.</p>
          {:else}
            <dl class="mt-2 grid grid-cols-[5.5rem_minmax(0,1fr)] gap-x-3">
              <dt class="quiet">Pause</dt>
              <dd>
                {#if out}{out.found.state === 'holds' ? pauseWords(out.found.pauseMs) : 'it did not come to its end'}{:else}<span
                    class="quiet">{one.pause}</span
                  >{/if}
              </dd>
              <dt class="quiet">In all</dt>
              <dd>
                {#if out}{wordsOf(out.found.tookMs)}{:else}<span class="quiet">not tried</span>{/if}
              </dd>
              <dt class="quiet">Writes</dt>
              <dd>
                {#if out}
                  {@const { acknowledged, refused, unknown } = out.found.writes}
                  <span class={out.found.lost ? 'text-brick' : ''}
                    >{acknowledged} counted, {out.found.lost === undefined
                      ? 'which of them are there at the end is unseen'
                      : out.found.lost
                        ? `${out.found.lost} of them lost`
                        : 'all of them there at the end'}</span
                  >{#if refused + unknown}, {refused + unknown} not accepted{/if}
                {:else}<span class="quiet">not tried</span>{/if}
              </dd>
            </dl>
            {#if out && out.of !== stamp}<p class="small text-ochre">It was tried on what stood before: try it again.</p>{/if}
            <ol class="mt-2">
              {#each one.steps as step, i (i)}
                {@const done = out?.found.steps[i]}
                <li class="grid grid-cols-[10px_1.2rem_minmax(0,1fr)] gap-x-2 border-t border-ink/20 py-2">
                  {#if data.flags[step.cluster]}<Flag flag={data.flags[step.cluster]!} class="h-[34px] w-[10px]" />{:else}<span></span>{/if}
                  <span class="quiet">{i + 1}</span>
                  <div class="min-w-0">
                    <p>{step.says} <span class="quiet small">{step.cluster}</span></p>
                    {#if step.sends.length}<p class="quiet small truncate" title={step.sends.join(', ')}>{step.sends.join(', ')}</p>{/if}
                    {#if step.done && !done}<p class="small"><Peg state="holds" /> done before</p>
                    {:else if step.waits && !done}<p class="small"><Peg state="settling" /> stands, and is not through</p>{/if}
                    {#if done}
                      <p class="small {done.state === 'broken' ? 'text-brick' : ''}">
                        <Peg state={done.state} />
                        {done.state === 'waiting' ? 'not come to' : `took ${wordsOf(done.tookMs)}`}{#if done.why}: {sentenceShown(
                            done.why
                          )}{/if}
                      </p>
                    {/if}
                    {#if step.sends.length && step.after}<p class="quiet small">Step {step.after} comes first.</p>
                    {:else if step.sends.length}<button class="word small" onclick={() => draft(one.way, i)}
                        >put in a draft for {step.cluster}</button
                      >{/if}
                  </div>
                </li>
              {/each}
            </ol>
            <p class="small"><b class="font-semibold">Way back.</b> <span class="quiet">{one.back}</span></p>
          {/if}
        </section>
      {/each}
    </div>
  {/if}
</div>
