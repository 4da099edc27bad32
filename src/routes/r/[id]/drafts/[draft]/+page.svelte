<script lang="ts">
  import type { Ref } from '$core/model';
  import type { Answers } from '$server/api/types';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { untrack } from 'svelte';
  import Editor from '$ui/drafts/Editor.svelte';
  import Findings from '$ui/drafts/Findings.svelte';
  import Questions from '$ui/drafts/Questions.svelte';
  import Rework from '$ui/drafts/Rework.svelte';
  import Conflict from '$ui/drafts/Conflict.svelte';
  import { Desk } from '$ui/drafts/desk.svelte';
  import { hearAside } from '$ui/live';
  import { othersWords, Presence } from '$ui/presence.svelte';
  import { droppedFiles } from '$ui/drafts/dropped';
  import PickFiles from '$ui/drafts/PickFiles.svelte';
  import type { DraftFile, Finding, Link, TextEdit } from '$ui/drafts/types';
  import ChangeSheet from '$ui/sheets/ChangeSheet.svelte';
  import { call, doCall, notices } from '$ui/call.svelte';
  import { inOrder } from '$ui/in-order';
  import { frameHere } from '$ui/frame/frame.svelte';
  import { clockText, lineHref, plural } from '$ui/format';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  const frame = frameHere();
  const desk = untrack(() => new Desk(data.draft.id, () => data.id, data.draft));
  let part = $state(untrack(() => page.url.searchParams.get('rework')));
  let editor: Editor | undefined = $state();
  let side = $state<'sheet' | 'questions' | 'rework'>(untrack(() => (page.url.searchParams.has('rework') ? 'rework' : 'sheet')));
  let sent = $state.raw<Answers['DraftDrift']['items']>([]);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  const errors = $derived(desk.findings.filter((one) => one.severity === 'error' && !one.accepted).length);
  const links = $derived(desk.links.filter((one) => (one.file ?? desk.files[0]?.name) === desk.open));
  const mine = $derived(desk.findings.filter((one) => (one.at.file ?? desk.files[0]?.name) === desk.open));

  // Looked at soon after each key, and against the target a little later; kept at every pause in writing.
  $effect(() => {
    void desk.files;
    const quick = setTimeout(() => void desk.look(false), 30);
    const slow = setTimeout(() => void desk.look(true), 320);
    return () => {
      clearTimeout(quick);
      clearTimeout(slow);
    };
  });
  $effect(() => {
    void [desk.files, desk.name];
    if (untrack(() => desk.kept && desk.name === data.draft.name)) return;
    const timer = setTimeout(() => void desk.keep(), 500);
    return () => clearTimeout(timer);
  });
  $effect(() => {
    void [data.id, frame.now.rehearsal.revision, frame.now.clock.nowMs];
    // While a run is under way there is something new every moment; the sheet is made anew when it has come to rest for a while.
    const timer = setTimeout(() => {
      void desk.look(true);
      void desk.learn();
      void whereSent();
    }, 350);
    return () => clearTimeout(timer);
  });
  async function whereSent() {
    const answer = await call('GET', '/drafts/{draft}/sent', { params: { draft: desk.id } });
    if (answer.ok) sent = answer.value.items;
  }
  const presence = untrack(() => new Presence({ rehearsal: data.id, draft: data.draft.id }));
  $effect(() => presence.start());
  $effect(() => presence.does(desk.kept ? 'looks' : 'writes'));
  $effect(() =>
    hearAside((event) => {
      if (event.kind === 'draft' && event.place === `draft ${desk.id}`) void desk.hear(event.revision, event.who);
    })
  );
  $effect(() => {
    selection.draft = () => void goto(`${base}/drafts`);
    return () => (selection.draft = null);
  });

  function edits(list: readonly TextEdit[], cause: string) {
    editor?.apply(desk.spread(list, cause));
  }
  async function mend(finding: Finding) {
    let wanted: Finding | undefined = finding;
    if (!desk.fresh) {
      await desk.look(false);
      wanted = desk.findings.find((one) => one.code === finding.code && one.message === finding.message);
    }
    if (wanted?.mend) edits(wanted.mend.edits, wanted.mend.says);
  }
  /** Carries out every mend whose edits touch nothing that another one touches, in one step. */
  async function mendAll() {
    if (!desk.fresh) await desk.look(false);
    const taken: TextEdit[] = [];
    const overlaps = (one: TextEdit) =>
      taken.some((two) => (one.file ?? '') === (two.file ?? '') && one.from < two.to && two.from < one.to);
    const chosen = desk.findings.filter((one) => {
      if (!one.mend || one.accepted || one.severity === 'note' || one.mend.edits.some(overlaps)) return false;
      const same = one.mend.edits.some(
        (edit) => edit.from === edit.to && taken.some((two) => two.from === edit.from && two.insert === edit.insert)
      );
      if (same) return false;
      taken.push(...one.mend.edits);
      return true;
    });
    edits(taken, `${plural(chosen.length, 'finding')} mended at once`);
    notices.say(`${plural(chosen.length, 'finding')} mended in one step; undo takes it back. What follows from it is looked at now.`);
  }
  function show(finding: Finding) {
    desk.open = finding.at.file ?? desk.files[0]!.name;
    setTimeout(() => editor?.show(finding.at.line ?? 1, finding.at.column), 0);
  }
  function jump(link: Link) {
    const found = desk.objects.find((one) => one.kind === link.kind && one.name === link.name && one.namespace === link.namespace);
    if (found) {
      desk.open = found.file ?? desk.files[0]!.name;
      setTimeout(() => editor?.show(found.line, 1), 0);
    } else if (
      link.there === 'target' &&
      ['StatefulSet', 'Pod', 'PersistentVolumeClaim', 'PersistentVolume', 'VolumeSnapshot'].includes(link.kind)
    )
      void goto(lineHref(data.id, link));
    else if (link.there === 'target')
      void goto(`${base}/${link.kind === 'StorageClass' || link.kind === 'CSIDriver' ? 'supply' : 'members'}`);
    else notices.say(`${link.kind} ${link.name} stands neither in the draft nor on ${data.id}.`);
  }
  async function take(files: DraftFile[], left = 0) {
    for (const one of files) desk.addFile(one.name, one.text);
    if (!files.length)
      notices.complain({ detail: 'There are no manifests among them.', remedy: 'Files must end in .yaml, .yml or .json.' });
    else if (left) notices.say(`${plural(left, 'file')} left out: no manifests.`);
  }

  // One wish from the press on: a clock that is told to settle meanwhile waits until the draft is kept and has arrived.
  const send = (replace: readonly Ref[], confirm: string, target = data.id): Promise<boolean> =>
    inOrder('POST', `/rehearsals/${encodeURIComponent(target)}/send`, () => kept(replace, confirm, target));
  async function kept(replace: readonly Ref[], confirm: string, target: string): Promise<boolean> {
    if (!(await desk.keep())) return false;
    const done = await doCall('POST', '/drafts/{draft}/send', {
      params: { draft: desk.id },
      body: { rehearsal: target, replace, ...(confirm ? { confirm } : {}) },
      ...(target === data.id ? { revision: desk.revision ?? frame.now.rehearsal.revision } : {})
    });
    if (!done) return false;
    notices.say(`Sent to ${target} at ${clockText(done.nowMs)}. Run the clock (space), or until settled (s).`);
    void whereSent();
    void frame.look();
    return true;
  }
  async function rehearse(replace: readonly Ref[]) {
    const fork = `try-${Date.now().toString(36)}`;
    const made = await doCall('POST', '/rehearsals/{id}/forks', { params: { id: data.id }, body: { name: fork } });
    // A fork is there to be tried on, so it needs no confirmation.
    if (!made || !(await send(replace, data.cluster.name, made.id))) return;
    await doCall('POST', '/rehearsals/{id}/clock', { params: { id: made.id }, body: { until: 'settled' } });
    notices.say(`Rehearsed on the fork ${fork}, which has settled; ${data.id} is untouched.`);
    await goto(`/r/${encodeURIComponent(made.id)}/members`);
  }
</script>

<svelte:head><title>Draft {desk.name} · {data.cluster.name} · Root Barn</title></svelte:head>

<div
  class="grid h-full min-h-[380px] grid-cols-[minmax(0,1fr)_minmax(380px,34%)] max-[1000px]:h-auto max-[1000px]:grid-cols-1"
  role="region"
  aria-label="Draft"
  ondragover={(event) => event.preventDefault()}
  ondrop={async (event) => {
    if (!event.dataTransfer?.items.length || ![...event.dataTransfer.items].some((one) => one.kind === 'file')) return;
    event.preventDefault();
    const { files, left } = await droppedFiles(event.dataTransfer);
    await take(files, left);
  }}
>
  <div class="flex min-h-0 min-w-0 flex-col">
    <div class="flex flex-wrap items-baseline gap-x-3 px-[18px] pt-4 pb-1">
      <h1 class="text-[1rem]!">Draft</h1>
      <input
        class="min-w-[10rem] flex-1 border-b border-line bg-sheet font-semibold"
        bind:value={desk.name}
        maxlength="120"
        aria-label="Name of the draft"
      />
      <span class="quiet small w-[4.2rem]" role="status">{desk.kept ? 'kept' : desk.conflict ? 'not kept' : 'keeping …'}</span>
      {#if presence.others.length}<span class="small" data-testid="others">{othersWords(presence.others)}</span>{/if}
      <button class="word small" onclick={() => desk.step('undo')}>undo</button>
      <button class="word small" onclick={() => desk.step('redo')}>redo</button>
      <a class="word small" href="{base}/drafts/{desk.id}/fit">fit</a>
      <a class="word small" href="{base}/drafts/{desk.id}/states">states</a>
      <a class="word small" href="{base}/drafts/{desk.id}/bundle" download>export</a>
      {#if desk.objects.some((one) => one.kind === 'Secret')}<a
          class="word small whitespace-nowrap"
          href="{base}/drafts/{desk.id}/bundle?secrets=yes"
          download>with secrets</a
        >{/if}
      <a class="word small whitespace-nowrap" href="{base}/drafts">all drafts</a>
    </div>
    <div class="small flex flex-wrap items-baseline gap-x-4 gap-y-1 px-[18px] pb-2">
      <div class="flex flex-wrap gap-x-4" role="tablist" aria-label="Files">
        {#each desk.files as one (one.name)}
          <button
            role="tab"
            aria-selected={desk.open === one.name}
            class="mono whitespace-nowrap {desk.open === one.name ? 'border-b-2 border-ink font-semibold' : 'quiet'}"
            onclick={() => (desk.open = one.name)}>{one.name}</button
          >
        {/each}
      </div>
      {#if desk.files.length > 1}<button class="word" aria-label="leave out {desk.open}" onclick={() => desk.dropFile(desk.open)}
          >leave out</button
        >{/if}
      <button class="word" onclick={() => desk.addFile('more.yaml', '')}>add a file</button>
      <PickFiles look="word" says="read files" {take} />
      <span class="quiet ml-auto whitespace-nowrap"
        ><span class="key">Ctrl Space</span> complete <span class="key">Alt Enter</span> mend <span class="key">F12</span> jump
        <span class="key">Ctrl ]</span>
        indent <span class="key">Tab</span> leave</span
      >
    </div>
    {#if desk.conflict}<Conflict {desk} />{:else}{#key desk.id}
        <Editor
          bind:this={editor}
          file={desk.open}
          text={desk.text}
          findings={mine}
          {links}
          names={desk.known}
          onchange={(file, text) => desk.write(file, text)}
          onmend={mend}
          onjump={jump}
        />
      {/key}
      <Findings
        findings={desk.findings}
        open={desk.open}
        onshow={show}
        onmend={mend}
        onmendall={mendAll}
        onclaim={() => ((side = 'rework'), (part = 'claim'))}
      />{/if}
  </div>
  <div class="flex min-h-0 flex-col border-l border-line">
    <div class="flex gap-4 px-5 pt-4 pb-3" role="tablist" aria-label="Beside the text">
      {#each [{ id: 'sheet', title: 'change sheet' }, { id: 'questions', title: 'questions' }, { id: 'rework', title: 'rework' }] as const as one (one.id)}
        <button
          role="tab"
          aria-selected={side === one.id}
          class={side === one.id ? 'border-b-2 border-ink font-semibold' : 'quiet'}
          onclick={() => (side = one.id)}>{one.title}</button
        >
      {/each}
    </div>
    {#if side === 'sheet'}
      <ChangeSheet
        sheet={desk.sheet}
        unreadable={errors > 0 && desk.sheet === null}
        {errors}
        target={data.id}
        still={data.cluster.kind === 'dump'}
        cluster={data.cluster}
        nowMs={frame.now.clock.nowMs}
        onsend={send}
        onrehearse={rehearse}
      >
        {#snippet result()}
          {#if sent.length}
            <h3 class="sr-only">Sent before</h3>
            {#each sent.slice(0, 3) as one (one.rehearsal)}
              <p class="mt-1">
                <a class="word mono" href="/r/{encodeURIComponent(one.rehearsal)}/members">{one.rehearsal}</a> at {clockText(one.atMs)}.
                <a class="word" href="/r/{encodeURIComponent(one.rehearsal)}/members">Watch the members</a>
                {#if one.rehearsal === data.id && frame.now.stack.trace}<a class="word" href={lineHref(data.id, frame.now.stack.trace)}
                    >trace what waits</a
                  >{/if}
                <span class="quiet">{one.changedSince ? 'The draft has changed since.' : 'The draft has not changed since.'}</span>
              </p>
              {#if one.drift === null}<p class="quiet small">What has become of it can't be told.</p>
              {:else if one.drift.length}
                <ul class="small">
                  {#each one.drift.slice(0, 12) as line, i (i)}<li class="break-words">
                      <span class="mono">{line.object}</span>
                      {line.says}
                    </li>{/each}
                </ul>
              {:else}<p class="quiet small">It stands there as it was sent.</p>{/if}
            {/each}
          {/if}
        {/snippet}
      </ChangeSheet>
    {:else if side === 'questions'}
      <div class="min-h-0 flex-1 overflow-auto px-5 pb-4"><Questions {desk} onedits={edits} /></div>
    {:else}
      <div class="min-h-0 flex-1 overflow-auto px-5 pb-4">
        <Rework {desk} clusters={data.clusters} cluster={data.cluster.name} open={part} onedits={edits} />
      </div>
    {/if}
  </div>
</div>
