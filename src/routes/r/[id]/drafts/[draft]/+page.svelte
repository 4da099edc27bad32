<script lang="ts">
  import { goto } from '$app/navigation';
  import { untrack } from 'svelte';
  import Editor from '$ui/sheets/Editor.svelte';
  import ChangeSheet, { type SheetData } from '$ui/sheets/ChangeSheet.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import { call, doCall, notices, type Trouble } from '$ui/call.svelte';
  import { clockText } from '$ui/format';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  let text = $state(untrack(() => data.draft.text));
  let name = $state(untrack(() => data.draft.name));
  let kept = $state(true);
  let sheet = $state<SheetData | null>(null);
  let trouble = $state<Trouble | null>(null);
  let sent = $state<{ nowMs: number; at: string } | null>(null);
  let editor: { show(line: number, column?: number): void } | undefined = $state();
  const path = $derived(`/rehearsals/${encodeURIComponent(data.id)}`);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);

  async function keep() {
    if (await doCall('PUT', `/drafts/${data.draft.id}`, { name, text })) kept = true;
  }
  // Kept at every pause in writing; looked at against the cluster at the same time, and whenever the cluster moves.
  $effect(() => {
    void [text, name];
    if (untrack(() => text === data.draft.text && name === data.draft.name && kept)) return;
    kept = false;
    const timer = setTimeout(() => void keep(), 400);
    return () => clearTimeout(timer);
  });
  $effect(() => {
    void [data.rehearsal.revision, data.clock.nowMs];
    const wanted = text;
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      if (!wanted.trim()) {
        [sheet, trouble] = [null, null];
        return;
      }
      const answer = await call<SheetData>('POST', `${path}/change-sheet`, wanted, { yaml: true, signal: stop.signal });
      if (stop.signal.aborted) return;
      if (answer.ok) [sheet, trouble] = [answer.value, null];
      else [sheet, trouble] = [null, answer.trouble];
    }, 150);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  type Ref = { namespace: string; name: string };
  async function send(replace: Ref[], target = data.id): Promise<boolean> {
    await keep();
    const query = replace.length
      ? `?${new URLSearchParams({ replace: replace.map((one) => `${one.namespace}/${one.name}`).join(',') })}`
      : '';
    const done = await doCall<{ nowMs: number }>('POST', `/rehearsals/${encodeURIComponent(target)}/send${query}`, text, {
      yaml: true,
      ...(target === data.id ? { revision: data.rehearsal.revision } : {})
    });
    if (!done) return false;
    sent = { nowMs: done.nowMs, at: target };
    notices.say(`Sent to ${target} at ${clockText(done.nowMs)}. Run the clock (space), or until settled (s).`);
    return true;
  }
  async function rehearse(replace: Ref[]) {
    const fork = `try-${Date.now().toString(36)}`;
    const made = await doCall<{ id: string }>('POST', `${path}/forks`, { name: fork });
    if (!made || !(await send(replace, made.id))) return;
    await doCall('POST', `/rehearsals/${encodeURIComponent(made.id)}/clock`, { until: 'settled' });
    notices.say(`Rehearsed on the fork ${fork}, which has settled; ${data.id} is untouched.`);
    await goto(`/r/${encodeURIComponent(made.id)}/members`);
  }
  $effect(() => {
    selection.draft = () => void goto(`${base}/drafts`);
    return () => (selection.draft = null);
  });
</script>

<svelte:head><title>Draft {name} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="grid h-full min-h-[380px] grid-cols-[minmax(0,1fr)_420px]">
  <div class="flex min-h-0 min-w-0 flex-col">
    <div class="flex items-baseline gap-3 px-[18px] pt-4 pb-2">
      <span class="font-semibold">Draft</span>
      <input
        class="min-w-0 flex-1 border-b border-line bg-sheet font-semibold"
        bind:value={name}
        maxlength="120"
        aria-label="Name of the draft"
      />
      <span class="quiet small" role="status">{kept ? 'kept' : 'keeping …'}</span>
      <span class="quiet small whitespace-nowrap"><span class="key">Esc</span> <span class="key">Tab</span> leaves the editor</span>
      <a class="word small" href="{base}/drafts">all drafts</a>
    </div>
    <Editor bind:this={editor} bind:text problems={trouble?.problems ?? []} />
    {#if trouble}
      <ul class="max-h-[132px] shrink-0 overflow-auto border-t border-line px-[18px] py-2" aria-label="Findings">
        {#each trouble.problems ?? [] as one, i (i)}
          <li class="py-0.5">
            <Peg state="broken" size={10} label="error" />
            {#if one.at.line}<button class="word font-semibold" onclick={() => editor?.show(one.at.line!, one.at.column)}
                >{one.at.line}:{one.at.column}</button
              >{/if}
            {one.message} <span class="quiet">{one.remedy}</span>
          </li>
        {:else}<li class="text-brick">{trouble.detail} {trouble.remedy}</li>{/each}
      </ul>
    {/if}
  </div>
  <div class="min-h-0 overflow-auto border-l border-line px-5 py-4">
    <ChangeSheet
      {sheet}
      unreadable={trouble !== null}
      target={data.id}
      cluster={data.cluster}
      nowMs={data.clock.nowMs}
      onsend={(replace) => send(replace)}
      onrehearse={rehearse}
    />
    {#if sent}
      <p class="mt-3">
        Sent to <span class="mono">{sent.at}</span> at {clockText(sent.nowMs)}.
        <a class="word" href="/r/{encodeURIComponent(sent.at)}/members">Watch the members</a>
      </p>
    {/if}
  </div>
</div>
