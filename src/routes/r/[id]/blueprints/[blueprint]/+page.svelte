<script lang="ts">
  import { frameHere } from '$ui/frame/frame.svelte';
  import { goto } from '$app/navigation';
  import { untrack } from 'svelte';
  import type { BlueprintSheet } from '$server/views/blueprint';
  import Peg from '$ui/parts/Peg.svelte';
  import Brief from '$ui/parts/Brief.svelte';
  import { call, doCall, notices } from '$ui/call.svelte';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  const frame = frameHere();
  let answers = $state<Record<string, string>>(untrack(() => ({ ...data.first.answers })));
  let sheet = $state<BlueprintSheet>(untrack(() => data.first));
  let shown = $state<'questions' | 'manifests'>('questions');
  let making = $state(false);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  const hurts = $derived(sheet.faults.length > 0 || sheet.remarks.some((one) => one.state === 'broken'));

  $effect(() => {
    void [frame.now.rehearsal.revision, frame.now.clock.nowMs];
    const wanted = { ...answers };
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      const answer = await call('POST', '/rehearsals/{id}/blueprints/{blueprint}', {
        params: { id: data.id, blueprint: sheet.id },
        body: { answers: wanted },
        signal: stop.signal
      });
      if (!stop.signal.aborted && answer.ok) sheet = answer.value;
    }, 60);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  async function draft(): Promise<void> {
    if (sheet.faults.length || making) return;
    making = true;
    const made = await doCall('POST', '/rehearsals/{id}/blueprints/{blueprint}/draft', {
      params: { id: data.id, blueprint: sheet.id },
      body: { answers }
    });
    making = false;
    if (!made) return;
    if (sheet.secrets.length) notices.say(`${sheet.secrets.join(', ')}: new values were drawn; they stand in the draft, covered.`);
    await goto(`${base}/drafts/${made.id}`);
  }
  $effect(() => {
    selection.draft = () => void draft();
    return () => (selection.draft = null);
  });
  const tone = {
    data: 'bg-moss text-sheet',
    parity: 'hatched-ink',
    member: 'border border-ink',
    first: 'bg-ink text-sheet',
    none: ''
  } as const;
</script>

<svelte:head><title>{sheet.title} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="grid min-h-full grid-cols-[minmax(0,1.05fr)_minmax(0,1fr)] max-[1000px]:grid-cols-1">
  <div class="px-[26px] py-5">
    <h1 class="sr-only">Deploy {sheet.title}</h1>
    <p>
      <span class="font-semibold">“{answers.name}”</span>
      <a class="quiet hover:underline" href="{base}/blueprints">blueprint {sheet.title}</a>
      {#each ['questions', 'manifests'] as const as one (one)}
        <button
          class="ml-3 {shown === one ? 'border-b-2 border-ink font-semibold' : 'quiet hover:underline'}"
          aria-pressed={shown === one}
          onclick={() => (shown = one)}>{one}</button
        >
      {/each}
    </p>
    {#if shown === 'questions'}
      <p class="mt-3 max-w-[36rem] text-[1.15rem] leading-[2.1]">
        <Brief {sheet} {answers} onchange={(question, value) => (answers = { ...answers, [question]: value })} />
      </p>
    {:else}
      <p class="quiet mt-3">As they would go into a draft. Values of secrets are drawn when it is made, and covered.</p>
      <pre class="mt-2 max-h-[62vh] overflow-auto border border-line bg-tape p-3 text-[0.78rem]">{sheet.yaml ||
          'Mend the answers first.'}</pre>
    {/if}
    <div class="mt-4 border-t border-ink pt-3">
      {#each sheet.faults as one (one.question)}<p class="mb-1 text-brick"><Peg state="broken" size={11} /> {one.message}</p>{/each}
      {#each sheet.remarks as one (one.says)}<p class="mb-1"><Peg state={one.state} size={11} /> {one.says}</p>{/each}
      <div class="mt-3 flex flex-wrap items-baseline gap-3">
        <button class="push push-main" disabled={sheet.faults.length > 0 || making || data.cluster.kind === 'dump'} onclick={draft}
          >Put in a draft</button
        >
        <span class="key">d</span>
        <span class="quiet"
          >{sheet.faults.length
            ? 'Mend the answers above first.'
            : data.cluster.kind === 'dump'
              ? 'Nothing can be sent to a dump; rehearse from it first.'
              : hurts
                ? 'What is broken above will be found again there.'
                : 'There its change sheet says what it will do.'}</span
        >
      </div>
    </div>
  </div>
  <div class="border-l border-line px-6 py-5">
    {#if sheet.alters}<p class="mb-4 border-l-4 border-brick pl-3 font-semibold text-brick" role="alert">{sheet.alters}</p>{/if}
    {#if sheet.figures.length}
      <dl class="grid grid-cols-4 gap-x-4 border-t border-ink border-b-line pt-3">
        {#each sheet.figures as one (one.label)}
          <div>
            <dt class="quiet small">{one.label}</dt>
            <dd class="text-[1.25rem] leading-tight font-semibold">{one.value}</dd>
            {#if one.note}<dd class="quiet small">{one.note}</dd>{/if}
          </div>
        {/each}
      </dl>
      {#if sheet.drawn.length}
        <div class="mt-6 border-t border-line pt-5">
          {#each sheet.drawn as row (row.name)}
            <div class="mb-2 flex items-center gap-3">
              <span class="mono w-[10.5rem] shrink-0 truncate" title={row.name}>{row.name}</span>
              <span class="flex min-w-0 flex-1 gap-1.5">
                {#each row.parts as part, i (i)}<span
                    class="min-w-0 flex-1 truncate px-1 py-1 text-center text-[0.8rem] {row.parts.length === 1
                      ? 'max-w-[14rem]'
                      : 'max-w-[5rem]'} {tone[part.kind]}"><span class="px-0.5">{part.word}</span></span
                  >{/each}
              </span>
            </div>
          {/each}
        </div>
      {/if}
      {#if sheet.ladder}
        <h2 class="quiet small mt-5 mb-2 font-normal">{sheet.ladder.title}</h2>
        {#each sheet.ladder.rows as row (row.label)}
          <div class="mb-2 grid grid-cols-[5.5rem_1fr] items-center gap-2">
            <span class={row.chosen ? 'font-semibold' : 'quiet'}>{row.label}</span>
            <span class="grid grid-cols-[9rem_1fr] items-center gap-3"
              ><span class="block h-4 border border-ink {row.chosen ? 'bg-ink' : ''}" style="width:{Math.max(3, row.share * 100)}%"
              ></span><span class={row.chosen ? '' : 'quiet'}>{row.says}</span></span
            >
          </div>
        {/each}
      {/if}
    {:else}
      <p class="quiet">The figures come back when every answer is one.</p>
    {/if}
  </div>
</div>
