<script lang="ts">
  import type { Answers } from '$server/api/types';
  import { call, notices } from '../call.svelte';
  import { plural } from '../format';
  import type { Desk } from './desk.svelte';
  import { keyOf, type TextEdit } from './types';

  type Lack = NonNullable<Answers['Rework']['lacks']>[number];

  let { desk, onedits }: { desk: Desk; onedits(edits: readonly TextEdit[], cause: string): void } = $props();
  let out = $state<string[]>([]);
  let found = $state.raw<{ lacks: readonly Lack[]; edits: readonly TextEdit[]; text: string } | null>(null);
  const wanted = $derived(out.filter((one) => desk.objects.some((two) => keyOf(two) === one)));

  $effect(() => {
    const [leaveOut, files] = [wanted, desk.files];
    if (!leaveOut.length) {
      found = null;
      return;
    }
    const stop = new AbortController();
    void call('POST', '/rehearsals/{id}/rework', { params: { id: desk.rehearsal() }, body: { files, leaveOut }, signal: stop.signal }).then(
      (answer) => {
        if (stop.signal.aborted) return;
        if (answer.ok) found = { lacks: answer.value.lacks ?? [], edits: answer.value.edits, text: JSON.stringify(files) };
        else notices.complain(answer.trouble);
      }
    );
    return () => stop.abort();
  });
</script>

{#if desk.objects.length}
  <ul class="max-h-[200px] overflow-auto">
    {#each desk.objects as one (keyOf(one))}
      <li>
        <label class="flex items-baseline gap-2"
          ><input type="checkbox" value={keyOf(one)} bind:group={out} /><span class="quiet small">{one.kind}</span>
          <span class="mono small min-w-0 break-all">{one.namespace ? `${one.namespace}/` : ''}{one.name}</span></label
        >
      </li>
    {/each}
  </ul>
  {#if found}
    {#if found.lacks.length}
      <p class="mt-2 text-brick">The rest then lacks:</p>
      <ul class="small">
        {#each found.lacks as one, i (i)}<li class="break-words">
            <span class="mono">{one.object}</span> names <span class="mono">{one.lacks}</span>: {one.says}
          </li>{/each}
      </ul>
    {:else}<p class="quiet mt-2">The rest lacks nothing.</p>{/if}
    <button
      class="push mt-2"
      disabled={found.text !== JSON.stringify(desk.files)}
      onclick={() => {
        onedits(found!.edits, `${wanted.length} left out`);
        out = [];
      }}>Leave {plural(wanted.length, 'object')} out</button
    >
  {/if}
{:else}<p class="quiet">There is nothing in the draft yet.</p>{/if}
