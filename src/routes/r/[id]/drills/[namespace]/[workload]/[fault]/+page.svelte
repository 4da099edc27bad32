<script lang="ts">
  import { goto } from '$app/navigation';
  import { wordsOf } from '$core/shared';
  import Peg from '$ui/parts/Peg.svelte';
  import Slot from '$ui/parts/Slot.svelte';
  import LoadChart from '$ui/drills/LoadChart.svelte';
  import DrillLanes from '$ui/drills/DrillLanes.svelte';
  import { doCall, newDraft, notices } from '$ui/call.svelte';
  import { sentenceShown } from '$ui/prefs.svelte';
  import { selection } from '$ui/selection.svelte';
  import { lineHref, shortClock } from '$ui/format';
  import { limits, rowTitles } from '$ui/drills/words';

  let { data } = $props();
  const drill = $derived(data.drill);
  const { namespace, name } = $derived(data.workload);
  const fault = $derived(data.offer.fault);
  let running = $state(false);
  const asked = $derived(drill?.expectation ?? data.foreseen?.expectation);
  let changed = $state<{ writesPauseMs?: number; readsPauseMs?: number; wholeMs?: number }>({});
  const value = (key: 'writesPauseMs' | 'readsPauseMs' | 'wholeMs'): number => changed[key] ?? asked?.[key] ?? -1;
  /** A time that somebody wrote over the API stands beside those to choose from. */
  const options = (now: number): readonly (readonly [number, string])[] =>
    limits.some(([one]) => one === now) ? limits : [...limits, [now, wordsOf(now)] as const].sort((a, b) => a[0] - b[0]);
  let wayChosen = $state<'inside' | 'outside' | null>(null);
  const way = $derived(wayChosen ?? drill?.way ?? 'inside');
  const demanded = $derived(Object.keys(changed).length > 0);
  const tooMuch = $derived(
    data.foreseen?.goesOn === false &&
      data.offer.target !== undefined &&
      value('writesPauseMs') >= 0 &&
      value('writesPauseMs') < data.faultMs &&
      demanded
      ? `By arithmetic that can't hold: ${data.foreseen.why}.`
      : ''
  );

  async function run() {
    if (running || data.workload.notNow) return;
    running = true;
    const wish = demanded
      ? {
          expectation: {
            ...(value('writesPauseMs') >= 0 ? { writesPauseMs: value('writesPauseMs') } : {}),
            ...(value('readsPauseMs') >= 0 ? { readsPauseMs: value('readsPauseMs') } : {}),
            lost: 0,
            ...(asked?.steadyMs === undefined ? {} : { steadyMs: Math.max(asked.steadyMs, value('writesPauseMs')) }),
            ...(value('wholeMs') >= 0 ? { wholeMs: value('wholeMs') } : {})
          }
        }
      : {};
    const made = await doCall('POST', '/rehearsals/{id}/drills', {
      params: { id: data.id },
      body: { namespace, workload: name, fault, ...wish, way }
    });
    running = false;
    if (made) changed = {};
  }
  async function fork() {
    const made = await doCall('POST', '/rehearsals/{id}/drills/fork', {
      params: { id: data.id },
      body: { namespace, workload: name, fault }
    });
    if (!made) return;
    notices.say('The fault has just been put in on this fork. Run the clock to see what follows.');
    await goto(`/r/${encodeURIComponent(made.id)}/members`);
  }
  async function draft() {
    const id = await newDraft(data.cluster.name, `${name}: ${data.offer.title}`.slice(0, 100), data.remedyYaml);
    if (id !== undefined) await goto(`/r/${encodeURIComponent(data.id)}/drafts/${id}`);
  }
  $effect(() => {
    selection.draft = data.remedyYaml ? () => void draft() : null;
    return () => (selection.draft = null);
  });
</script>

<svelte:head><title>{data.offer.title} · {name} · Root Barn</title></svelte:head>

<div class="grid grid-cols-[minmax(0,1fr)_330px] max-[1000px]:grid-cols-1">
  <div class="min-w-0 px-[26px] py-5">
    <p class="quiet"><a class="word" href="/r/{encodeURIComponent(data.id)}/drills">Drills</a> · {name}</p>
    {#if drill}
      <h1 class="mt-0.5">{sentenceShown(drill.says)}</h1>
      <p class="quiet mt-1">
        two writes and two reads a second, from {drill.way ?? 'inside'}, for {wordsOf(drill.overMs)} · on a fork of {shortClock(
          drill.atMs
        )}{drill.stale ? ' · stale: what it tried has changed since' : ''}
      </p>
      {#if drill.supposed?.length}
        <p class="quiet mt-1" data-testid="supposed">
          Supposed: {sentenceShown(drill.supposed.join('; '))}.
        </p>
      {/if}
      <div class="mt-4">
        <LoadChart {drill} />
        <DrillLanes {drill} />
      </div>
      {#if drill.notes.length}<ul class="quiet mt-4">
          {#each drill.notes as note (note)}<li>{sentenceShown(note)}</li>{/each}
        </ul>{/if}
    {:else}
      <h1 class="mt-0.5">{data.offer.title}: not tried yet.</h1>
      <p class="mt-2 max-w-[44rem]">{data.offer.why}</p>
      {#if data.offer.target === undefined}<p class="mt-2">It can't happen here: {sentenceShown(data.offer.not ?? '')}.</p>{:else}<p
          class="mt-2"
        >
          It would strike <b class="font-semibold">{sentenceShown(data.offer.target)}</b>{data.offer.lasts
            ? `, for ${wordsOf(data.faultMs)}`
            : ''}, on a fork of this moment.
        </p>{/if}
      {#if data.workload.supposed.length}<p class="quiet mt-2">Supposed: {sentenceShown(data.workload.supposed.join('; '))}.</p>{/if}
    {/if}
  </div>

  <aside class="border-l border-line px-[22px] py-5 max-[1000px]:border-t max-[1000px]:border-l-0" aria-label="What is expected">
    {#if data.offer.target !== undefined}
      <p class="text-[1.02rem] leading-[2.05]">
        When <b class="font-semibold">{sentenceShown(data.offer.target)}</b> is struck, writes pause
        <Slot
          label="Longest pause of writes"
          value={value('writesPauseMs')}
          options={options(value('writesPauseMs'))}
          wrong={tooMuch !== ''}
          onchange={(one) => (changed = { ...changed, writesPauseMs: one })}
        /> at most, reads
        <Slot
          label="Longest pause of reads"
          value={value('readsPauseMs')}
          options={options(value('readsPauseMs'))}
          onchange={(one) => (changed = { ...changed, readsPauseMs: one })}
        />, nothing acknowledged is lost{data.offer.deletes ? ' for good' : ''}, and all members hold
        <Slot
          label="Until all members hold again"
          value={value('wholeMs')}
          options={options(value('wholeMs'))}
          onchange={(one) => (changed = { ...changed, wholeMs: one })}
        /> after it is over.{#if data.workload.outside}{' '}Clients come from
          <Slot
            label="Where clients come from"
            value={way}
            options={[
              ['inside', 'inside'],
              ['outside', 'outside']
            ]}
            onchange={(one) => (wayChosen = one)}
          />.{/if}
      </p>
      <p class="quiet small mt-1">
        {drill?.demanded || demanded ? 'Asked for by you.' : 'What can be expected here; ask for more by changing it.'}
        {#if data.foreseen}{@const why = data.foreseen.why}{sentenceShown(why.charAt(0).toUpperCase() + why.slice(1))}.{/if}
      </p>
      {#if tooMuch}<p class="mt-1 text-brick" role="status">{sentenceShown(tooMuch)}</p>{/if}
      {#if data.workload.notNow}<p class="mt-2 text-brick">{sentenceShown(data.workload.notNow)}.</p>{/if}
      <p class="mt-3 flex flex-wrap gap-2">
        <button class="push push-main" onclick={run} disabled={running || data.workload.notNow !== ''}
          >{running ? 'Running …' : drill ? 'Run again' : 'Run it'}</button
        >
        {#if drill && drill.measured.back === undefined}<button class="push" onclick={fork}>Open the fork</button>{/if}
      </p>
    {/if}
    {#if drill}
      <table class="mt-4 w-full">
        <thead
          ><tr class="quiet small text-right"
            ><th class="text-left font-normal"><span class="sr-only">what</span></th><th class="font-normal">expected</th><th
              class="font-normal">measured</th
            ></tr
          ></thead
        >
        <tbody>
          {#each drill.rows as row (row.id)}
            <tr class="border-t border-line align-baseline">
              <th scope="row" class="py-1.5 text-left font-normal"
                ><Peg state={row.ok ? 'holds' : 'broken'} size={10} label={row.ok ? 'as expected' : 'worse'} />&ensp;{rowTitles[row.id]}</th
              >
              <td class="py-1.5 pl-2 text-right whitespace-nowrap">{sentenceShown(row.expected)}</td>
              <td class="py-1.5 pl-2 text-right font-semibold {row.id === 'others' ? '' : 'whitespace-nowrap'} {row.ok ? '' : 'text-brick'}"
                >{sentenceShown(row.measured)}</td
              >
            </tr>
          {/each}
        </tbody>
      </table>
      {#if drill.measured.lost.length}
        <h2 class="mt-4 text-[1.02rem]">Lost writes</h2>
        <p class="mono small break-words">
          {drill.measured.lost.map((n) => `w${n}`).join(' ')}{(drill.measured.lostCount ?? 0) > drill.measured.lost.length ? ' …' : ''}
        </p>
        {#if drill.measured.back}<p class="quiet small mt-1">
            {drill.measured.back.plan} leads back to {wordsOf(drill.beganMs - drill.measured.back.toMs)} before the delete{drill.measured
              .back.tookMs === null
              ? `: ${sentenceShown(drill.measured.back.says)}`
              : `; it was put back in ${wordsOf(drill.measured.back.tookMs)}, and ${drill.measured.back.count ?? 'an unseen number'} of them are there again`}.
          </p>{/if}
      {/if}
      {#if drill.cause}
        <div class="mt-4 {drill.state === 'worse' ? 'border-l-[3px] border-brick pl-3' : ''}">
          <h2 class="text-[1.02rem]">{{ break: 'What broke first', known: 'Why', told: 'What clients were told' }[drill.cause.from]}</h2>
          <p class="mt-1">{sentenceShown(drill.cause.says)}.</p>
          {#if drill.state === 'worse' && drill.cause.remedy}<p class="mt-1">
              <b class="font-semibold">Remedy</b>
              {sentenceShown(drill.cause.remedy)}
            </p>{/if}
          <p class="mt-2 flex flex-wrap items-baseline gap-3">
            {#if data.remedyYaml && drill.state === 'worse'}<span
                ><button class="push push-main" onclick={draft}>Put in a draft</button> <span class="key">d</span></span
              >{/if}
            <a class="word" href={lineHref(data.id, drill.cause.subject)}>root line of {drill.cause.subject.name}, now</a>
          </p>
        </div>
      {/if}
    {/if}
  </aside>
</div>
