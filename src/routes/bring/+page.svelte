<script lang="ts">
  import { goto } from '$app/navigation';
  import type { Answers } from '$server/api/types';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import { pageKey } from '$ui/frame/page-keys';
  import PickFiles from '$ui/drafts/PickFiles.svelte';
  import { droppedFiles } from '$ui/drafts/dropped';
  import type { DraftFile } from '$ui/drafts/types';
  import Peg from '$ui/parts/Peg.svelte';
  import { call, type Called, type Trouble } from '$ui/call.svelte';
  import { plural } from '$ui/format';

  let text = $state('');
  let keys = $state(false);
  let over = $state(false);
  let found = $state.raw<Answers['Brought'] | null>(null);
  let trouble = $state.raw<Trouble | null>(null);
  let under = $state('');
  let looking = $state(false);
  const fitting = $derived(found?.fits.filter((one) => one.fits) ?? []);
  const others = $derived(found?.fits.filter((one) => !one.fits) ?? []);

  $effect(() => {
    const asked = text;
    if (!asked.trim()) {
      [found, trouble, looking] = [null, null, false];
      return;
    }
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      looking = true;
      const answer = await call('POST', '/bring', { body: asked, signal: stop.signal });
      if (stop.signal.aborted) return;
      [found, trouble] = answer.ok ? [answer.value, null] : [null, answer.trouble];
      looking = false;
    }, 250);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  function take(files: DraftFile[]) {
    text = [text.trim(), ...files.map((one) => one.text.trim())].filter(Boolean).join('\n---\n') + '\n';
  }
  /** One step after the other; the first that fails is told, and what was written stays. */
  async function steps(list: readonly (readonly [says: string, ask: () => Promise<Called<unknown>>])[]): Promise<boolean> {
    for (const [says, ask] of list) {
      under = says;
      const answer = await ask();
      if (answer.ok) continue;
      trouble = answer.trouble;
      under = '';
      return false;
    }
    under = '';
    return true;
  }
  const send = (id: string, body: string) => () => call('POST', '/rehearsals/{id}/send', { params: { id }, body });
  const settle = (id: string) => () => call('POST', '/rehearsals/{id}/clock', { params: { id }, body: { until: 'settled' } });
  async function onFork(cluster: string) {
    const fork = `brought-${Date.now().toString(36)}`;
    const id = `${cluster}~${fork}`;
    const ok = await steps([
      [`A fork of ${cluster} is made …`, () => call('POST', '/rehearsals/{id}/forks', { params: { id: cluster }, body: { name: fork } })],
      ['The manifests are sent …', send(id, text)],
      ['The clock runs until nothing is under way …', settle(id)]
    ]);
    if (ok) await goto(`/r/${encodeURIComponent(id)}/members`);
  }
  async function onProposed() {
    const { name, ground, supply } = found!.proposal;
    const ok = await steps([
      [`${name} is made …`, () => call('POST', '/clusters', { body: ground })],
      ['Drivers and classes are sent …', send(name, supply)],
      ['They come up …', settle(name)],
      ['The manifests are sent …', send(name, text)],
      ['The clock runs until nothing is under way …', settle(name)]
    ]);
    if (ok) await goto(`/r/${encodeURIComponent(name)}/members`);
  }
</script>

<svelte:head><title>Bring manifests · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<Header title="Bring manifests" onkeys={() => (keys = true)} />
<main class="mx-auto grid max-w-[96rem] grid-cols-[minmax(0,1.1fr)_minmax(0,1fr)] gap-x-10 px-[34px] pt-6 pb-10 max-[1000px]:grid-cols-1">
  <div>
    <h1>Where do your manifests fit?</h1>
    <p class="quiet mt-1 mb-3">
      Paste or drop them. They are looked over against every stand-in of the estate, and a cluster is proposed that has what they ask for.
      Nothing is sent to a real cluster.
    </p>
    <!-- svelte-ignore a11y_autofocus -->
    <textarea
      autofocus
      class="mono h-[58vh] w-full border bg-sheet p-3 text-[0.8rem] {over ? 'border-moss' : 'border-line'}"
      bind:value={text}
      spellcheck="false"
      aria-label="Manifests"
      placeholder="apiVersion: apps/v1 …"
      ondragover={(event) => {
        event.preventDefault();
        over = true;
      }}
      ondragleave={() => (over = false)}
      ondrop={async (event) => {
        over = false;
        if (!event.dataTransfer?.files.length) return;
        event.preventDefault();
        take((await droppedFiles(event.dataTransfer)).files);
      }}></textarea>
    <p class="mt-2"><PickFiles look="word" says="read files" {take} /></p>
  </div>
  <div aria-live="polite">
    {#if under || looking}
      <p class="mt-2" role="status"><Peg state="settling" /> {under || 'They are looked over against every stand-in …'}</p>
    {:else if trouble}
      <p class="text-brick" role="alert">{trouble.detail}</p>
      <p>{trouble.remedy}</p>
      {#each trouble.problems?.slice(0, 12) ?? [] as one, i (i)}<p class="small mt-1">
          {one.at.line === undefined ? '' : `Line ${one.at.line}: `}{one.message} <span class="quiet">{one.remedy}</span>
        </p>{/each}
    {/if}
    {#if found && !under && !looking}
      <h2 class="mb-2">{plural(found.objects, 'manifest')} read</h2>
      {#each fitting as one, i (one.cluster)}
        <p class="flex flex-wrap items-baseline gap-3 border-t border-line py-2">
          <span
            ><Peg state="holds" /> <b>{one.cluster}</b> has what they ask for.
            {#if one.alters.length}<span class="block text-brick"
                >{plural(one.alters.length, 'object')} of these names stand there and would be altered: {one.alters
                  .slice(0, 3)
                  .join(', ')}{one.alters.length > 3 ? ' …' : ''}</span
              >{/if}</span
          >
          <button class="push {i === 0 ? 'push-main' : ''} ml-auto" onclick={() => onFork(one.cluster)}
            >Rehearse on a fork of {one.cluster}</button
          >
        </p>
      {/each}
      <div class="border-t border-ink py-3">
        <p class="flex flex-wrap items-baseline gap-3">
          <span><b>{found.proposal.name}</b>, made for them:</span>
          <button class="push {fitting.length ? '' : 'push-main'} ml-auto" onclick={onProposed}>Make it and rehearse there</button>
        </p>
        <ul class="mt-1">
          {#each found.proposal.says as line (line)}<li>{line}</li>{/each}
        </ul>
        {#if found.proposal.lacks.length}
          <p class="mt-2"><Peg state="broken" /> It doesn't have, and they will wait for:</p>
          <ul>
            {#each found.proposal.lacks as line (line)}<li class="break-words">{line}</li>{/each}
          </ul>
        {/if}
      </div>
      {#each others as one (one.cluster)}
        <div class="border-t border-line py-2">
          <p><Peg state="broken" /> <b>{one.cluster}</b> doesn't fit:</p>
          <ul class="small">
            {#each one.faults as fault (fault)}<li class="break-words">{fault}</li>{/each}
          </ul>
        </div>
      {/each}
    {:else if !trouble && !under && !looking}
      <p class="quiet">
        Findings come as you write. Images that the stand-in doesn't know are played as ordinary programs of a supposed size, and said so.
      </p>
    {/if}
  </div>
</main>
{#if keys}<Keys onclose={() => (keys = false)} />{/if}
