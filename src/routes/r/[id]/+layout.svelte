<script lang="ts">
  import { afterNavigate, goto } from '$app/navigation';
  import { page } from '$app/state';
  import { untrack, type Snippet } from 'svelte';
  import Header from '$ui/frame/Header.svelte';
  import Stack from '$ui/frame/Stack.svelte';
  import Tape from '$ui/frame/Tape.svelte';
  import Find from '$ui/frame/Find.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import Fork from '$ui/frame/Fork.svelte';
  import Flag from '$ui/parts/Flag.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import { Clockwork } from '$ui/frame/clockwork.svelte';
  import { isTyping } from '$ui/frame/keys';
  import { clockText, lineHref, setCalendar } from '$ui/format';
  import { notices } from '$ui/call.svelte';
  import { prefs } from '$ui/prefs.svelte';
  import { selection } from '$ui/selection.svelte';
  import { Frame, provideFrame } from '$ui/frame/frame.svelte';
  import NoticeLine from '$ui/frame/NoticeLine.svelte';
  import Undo from '$ui/frame/Undo.svelte';
  import { othersWords, Presence } from '$ui/presence.svelte';
  import type { LayoutData } from './$types';

  let { data, children }: { data: LayoutData; children: Snippet } = $props();
  const dump = $derived(data.cluster.kind === 'dump');
  setCalendar(untrack(() => data.cluster.kind === 'dump'));
  $effect.pre(() => setCalendar(dump));
  let shown = $state<'find' | 'keys' | 'fork' | 'undo' | null>(null);
  const work = new Clockwork(() => data.id);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  // By itself, so that a refresh doesn't look like another rehearsal.
  const id = $derived(data.id);
  const frame = provideFrame(
    new Frame(
      untrack(() => data.frame),
      () => untrack(() => page.data.asOf as number | undefined)
    )
  );
  $effect.pre(() => frame.take(data.frame));
  const now = $derived(frame.now.id === data.id ? frame.now : data.frame);
  const time = $derived(now.clock);
  /** Open where somebody watches and something moves, unless the reader has chosen. */
  const tapeOpen = $derived(prefs.tapeChosen ?? (page.url.pathname.includes('/members') && !(time.settled && !time.running)));

  $effect(() => frame.watch(id));
  let presence = $state.raw<Presence | null>(null);
  $effect(() => {
    const here = new Presence({ rehearsal: id });
    presence = here;
    return here.start();
  });
  const others = $derived(othersWords(presence?.others ?? []));
  // Whoever came by a key or a button that is gone goes on from the sheet.
  afterNavigate(() => {
    if (document.activeElement === null || document.activeElement === document.body)
      document.getElementById('sheet')?.focus({ preventScroll: true });
  });

  const levels = ['ground', 'supply', 'claims', 'members', 'proofs'];

  function act(key: string): boolean {
    const level = levels[Number(key) - 1];
    if (level) void goto(`${base}/${level}`);
    else if (key === 't') {
      const ref = selection.ref ?? now.stack.trace;
      if (ref) void goto(lineHref(data.id, ref));
      else notices.say('Nothing is selected, and nothing is broken.');
    } else if (key === 'd') {
      if (selection.draft) selection.draft();
      else void goto(`${base}/drafts`);
    } else if (key === 'p') {
      if (selection.prove) selection.prove();
      else void goto(`${base}/proofs`);
    } else if (key === 'h') void goto(`${base}/handover`);
    else if (key === 'e') void goto('/');
    else if (dump && ' .,sflu'.includes(key)) notices.say('This is a dump: its clock stands still. Rehearse from here to run it on.');
    else if (key === ' ') void work.toggle(time.running, prefs.speed);
    else if (key === '.') void work.move({ step: 1 });
    else if (key === ',') void work.move({ step: -1 });
    else if (key === 's') void work.move({ until: 'settled' });
    else if (key === 'f') shown = 'fork';
    else if (key === 'u') shown = 'undo';
    else if (key === 'l') prefs.setTape(!tapeOpen);
    else if (key === '/') shown = 'find';
    else if (key === 'c') prefs.setCovered(!prefs.covered);
    else if (key === 'n') prefs.setTheme(prefs.theme === 'paper' ? 'night' : 'paper');
    else if (key === '?') shown = 'keys';
    else return false;
    return true;
  }

  function onkeydown(event: KeyboardEvent) {
    if (isTyping(event) || !prefs.singleKeys || shown) return;
    const onControl = event.target instanceof HTMLElement && ['BUTTON', 'A', 'SUMMARY'].includes(event.target.tagName);
    if (event.key === ' ' && onControl) return;
    if (act(event.key)) event.preventDefault();
  }

  async function pick(event: Event & { currentTarget: HTMLSelectElement }) {
    const at = page.url.pathname.split('/').slice(3).join('/');
    await goto(`/r/${encodeURIComponent(event.currentTarget.value)}/${at.startsWith('drafts/') ? 'drafts' : at}${page.url.search}`);
  }
</script>

<svelte:window {onkeydown} />

<div class="app-frame flex h-screen min-h-[560px] flex-col">
  <p class="print-only border-b border-ink pb-1 font-semibold">
    {data.cluster.name}{now.rehearsal.fork ? `, fork ${now.rehearsal.fork}` : ''} · {clockText(time.nowMs)} · Root Barn {now.version}
  </p>
  <a href="#sheet" class="absolute -top-20 left-2 z-50 bg-ink px-3 py-1 text-sheet focus:top-2">To the sheet</a>
  <Flag flag={data.cluster.flag} class="h-[6px] shrink-0" />
  <Header title={data.cluster.name} onfind={() => (shown = 'find')} onkeys={() => (shown = 'keys')}>
    {#snippet middle()}
      {#if dump}
        <span class="quiet whitespace-nowrap">read from a dump, as of {clockText(time.nowMs)} UTC</span>
        <a class="word whitespace-nowrap" href="{base}/rehearse">Rehearse from here</a>
      {:else}
        <label class="quiet flex items-center gap-1 whitespace-nowrap">
          rehearsal ·
          <select class="max-w-[15rem] bg-sheet italic" value={data.id} onchange={pick} aria-label="Rehearsal">
            {#each now.rehearsals as one (one.id)}<option value={one.id}>{one.fork ? `fork ${one.fork}` : 'trunk'}</option>{/each}
          </select>
        </label>
        <button class="quiet whitespace-nowrap hover:text-ink" onclick={() => (shown = 'fork')}>fork here <span class="key">f</span></button
        >
        {#if others}<span class="quiet small max-w-[14rem] truncate" title={others}>{others}</span>{/if}
      {/if}
    {/snippet}
    {#snippet clock()}
      {#if !dump}
        <span class="mono whitespace-nowrap" data-testid="clock">{clockText(work.dragged ?? time.nowMs)}</span>
        <span class="quiet w-[6.2rem] whitespace-nowrap" data-testid="standing"
          >{time.running ? `runs ${time.running}×` : time.nowMs < time.frontierMs ? 'looking back' : time.settled ? 'settled' : 'paused'}
          <span class="key">space</span></span
        >
        <button class="quiet whitespace-nowrap hover:text-ink" onclick={() => (shown = 'undo')} disabled={!now.tape.marks.length}
          >undo <span class="key">u</span></button
        >
      {/if}
    {/snippet}
  </Header>
  {#if now.unkept}<p role="alert" class="shrink-0 border-b border-ink bg-ink px-[18px] py-1 text-sheet">{now.unkept}</p>{/if}
  {#if now.fault}<div role="alert" class="flex shrink-0 flex-wrap items-baseline gap-x-4 border-b border-ink px-[18px] py-1">
      <p><Peg state="unseen" size={12} /> {now.fault} What you see is the last good moment; nothing can be sent.</p>
      <button class="word" onclick={() => (shown = 'undo')}>take the latest action back</button>
      <a class="word" href="/api/v1/clusters/{encodeURIComponent(data.cluster.name)}/export" download="{data.cluster.name}.json"
        >export it</a
      >
    </div>{/if}
  <div class="flex min-h-0 flex-1 max-[1000px]:flex-col">
    <Stack id={data.id} stack={now.stack} drafts={now.drafts} worse={now.worse} kin={now.kin} {dump} />
    <main id="sheet" tabindex="-1" class="relative min-w-0 flex-1 overflow-auto outline-none">{@render children()}</main>
  </div>
  <NoticeLine />
  {#if !dump}<Tape id={data.id} tape={now.tape} clock={time} {work} open={tapeOpen} />{/if}
</div>

{#if shown === 'find'}<Find id={data.id} onclose={() => (shown = null)} />{/if}
{#if shown === 'keys'}<Keys onclose={() => (shown = null)} />{/if}
{#if shown === 'fork'}<Fork
    id={data.id}
    rehearsal={now.rehearsal}
    flag={data.cluster.flag}
    onundo={() => (shown = 'undo')}
    onclose={() => (shown = null)}
  />{/if}
{#if shown === 'undo'}<Undo
    marks={now.tape.marks}
    flag={data.cluster.flag}
    fault={now.fault !== null}
    onundo={() => work.undo()}
    onclose={() => (shown = null)}
  />{/if}
