<script lang="ts">
  import { untrack } from 'svelte';
  import type { BriefSheet } from '$server/views/brief';
  import { call, notices } from '../call.svelte';
  import { plural } from '../format';
  import Brief from '../parts/Brief.svelte';
  import Peg from '../parts/Peg.svelte';
  import type { Desk } from './desk.svelte';
  import type { TextEdit } from './types';

  let { desk, onedits }: { desk: Desk; onedits(edits: readonly TextEdit[], cause: string): void } = $props();
  let which = $state('');
  let brief = $state.raw<BriefSheet | null>(null);
  /** Answers as they are being given; those that were read of the text otherwise. */
  let answers = $state.raw<Record<string, string>>({});
  let given = $state(false);
  let whole = $state(false);
  const sheet = $derived(brief?.sheet ?? null);
  const apart = $derived([...new Set((brief?.apart ?? []).map((one) => one))]);

  async function ask(more: { to?: Record<string, string> }, signal?: AbortSignal) {
    const { files } = desk;
    const body = { files, ...(which ? { which } : {}), known: answers, ...more };
    const answer = await call('POST', '/rehearsals/{id}/brief', { params: { id: desk.rehearsal() }, body, ...(signal ? { signal } : {}) });
    if (signal?.aborted || files !== desk.files) return undefined;
    if (answer.ok) return answer.value;
    notices.complain(answer.trouble);
    return undefined;
  }
  // What is written is read again at every pause in writing.
  $effect(() => {
    void [desk.files, which];
    const stop = new AbortController();
    const timer = setTimeout(
      async () => {
        const found = await ask({}, stop.signal);
        if (!found || untrack(() => given)) return;
        brief = found;
        if (found.sheet) answers = { ...found.sheet.answers };
      },
      untrack(() => (brief ? 450 : 0))
    );
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });
  // What is answered is written at every pause in answering.
  $effect(() => {
    if (!given) return;
    const to = answers;
    const timer = setTimeout(async () => {
      const found = await untrack(() => ask({ to }));
      if (!found || to !== answers) return;
      brief = found;
      if (found.sheet?.faults.length) return;
      given = false;
      if (found.edits.length) onedits(found.edits, 'answered');
    }, 300);
    return () => clearTimeout(timer);
  });
  function change(question: string, value: string) {
    answers = { ...answers, [question]: value };
    given = true;
  }
</script>

<h2 class="sr-only">Questions</h2>
{#if brief === null}<p class="quiet">Reads …</p>
{:else if !sheet}
  <p class="quiet">
    Nothing in this draft begins as a blueprint does, so there are no questions to it. A workload that a blueprint wrote can be answered
    anew here.
  </p>
{:else}
  {#if brief.found.length > 1}
    <label class="quiet mb-2 block"
      >Of
      <select class="select-plain border border-line bg-sheet px-1 text-ink" bind:value={which}
        >{#each brief.found as one (one.namespace + one.name)}<option value="{one.namespace}/{one.name}">{one.namespace}/{one.name}</option
          >{/each}</select
      ></label
    >
  {/if}
  <p class="text-[1.02rem] leading-[2.05]"><Brief {sheet} {answers} onchange={change} /></p>
  <div class="mt-3 border-t border-ink pt-2">
    {#each sheet.faults as one (one.question)}<p class="mb-1 text-brick"><Peg state="broken" size={11} /> {one.message}</p>{/each}
    {#each sheet.remarks.filter((one) => !one.says.includes('exist already')) as one (one.says)}<p class="mb-1">
        <Peg state={one.state} size={11} />
        {one.says}
      </p>{/each}
    {#if sheet.figures.length}
      <dl class="mt-2 grid grid-cols-2 gap-x-4 gap-y-2">
        {#each sheet.figures as one (one.label)}<div>
            <dt class="quiet small">{one.label}</dt>
            <dd><b class="font-semibold">{one.value}</b> <span class="quiet small">{one.note ?? ''}</span></dd>
          </div>{/each}
      </dl>
    {/if}
    <p class="mt-3 border-t border-line pt-2">
      <Peg state={apart.length ? 'settling' : 'holds'} size={11} />
      {apart.length
        ? `${plural(apart.length, 'place')} ${apart.length === 1 ? 'says' : 'say'} more than the answers; ${apart.length === 1 ? 'it stays' : 'they stay'} as written.`
        : 'The text says what the answers say.'}
    </p>
    {#if apart.length}
      <ul class="small mono mt-1">
        {#each whole ? apart : apart.slice(0, 6) as one (one)}<li class="break-words">{one}</li>{/each}
      </ul>
      {#if apart.length > 6}<button class="word small" onclick={() => (whole = !whole)}>{whole ? 'fewer' : `all ${apart.length}`}</button
        >{/if}
    {/if}
  </div>
{/if}
