<script lang="ts">
  import { page } from '$app/state';
  import type { Answers } from '$server/api/types';
  import { call, doCall, notices } from '../call.svelte';
  import { plural } from '../format';
  import Peg from '../parts/Peg.svelte';
  import NameToLose from '../parts/NameToLose.svelte';
  import Sheet from '../parts/Sheet.svelte';

  type Line = Answers['EmptyingSheet']['items'][number];
  let { id, node, onclose }: { id: string; node: string; onclose(): void } = $props();
  let losesDirectories = $state(false);
  let lines = $state.raw<readonly Line[] | null>(null);
  let typed = $state('');
  const cluster = $derived(page.data.cluster?.name as string);
  const withDirs = $derived((lines ?? []).filter((one) => one.loses.length));
  const lost = $derived(losesDirectories ? withDirs : []);
  const heads = [
    ['goes', 'holds', 'Goes to another node'],
    ['strands', 'broken', 'Goes, and no other node takes it'],
    ['waits', 'waiting', 'Waits for its budget'],
    ['stays', 'broken', 'Stays']
  ] as const;

  $effect(() => {
    let late = false;
    void call('GET', '/rehearsals/{id}/nodes/{node}/emptying-sheet', { params: { id, node }, query: { losesDirectories } }).then(
      (answer) => {
        if (late) return;
        if (answer.ok) lines = answer.value.items;
        else notices.complain(answer.trouble);
      }
    );
    return () => void (late = true);
  });
  async function empty(event: SubmitEvent) {
    event.preventDefault();
    if (lost.length && typed !== cluster) return;
    const sent = await doCall('POST', '/rehearsals/{id}/nodes/{node}/empty', { params: { id, node }, body: { losesDirectories } });
    if (!sent) return;
    onclose();
    notices.say(`${node} is cordoned; its pods are sent away one after another, as budgets allow, when the clock runs. Undo: u.`);
  }
</script>

<Sheet title="Empty {node}?" flag={page.data.cluster?.flag} {onclose}>
  <p>It takes no new pods from then on, and those on it are sent away, one after another, as their disruption budgets allow.</p>
  {#if lines}
    {#each heads as [does, state, title] (does)}
      {@const list = lines.filter((one) => one.does === does)}
      {#if list.length}
        <h3 class="mt-3 font-semibold">{title}</h3>
        <ul>
          {#each list as one (one.namespace + one.name)}<li>
              <Peg {state} size={10} /> <span class="mono">{one.name}</span>
              <span class="quiet">{one.says}</span>
            </li>{/each}
        </ul>
      {/if}
    {/each}
    {#if !lines.length}<p class="quiet mt-3">No pods stand on it but those of daemon sets, which stay.</p>{/if}
  {/if}
  <form class="dialog-foot" onsubmit={empty}>
    {#if withDirs.length}
      <label class="mb-3 flex items-baseline gap-2"
        ><input type="checkbox" bind:checked={losesDirectories} />Pods with ephemeral directories go too: what lies in them is lost ({plural(
          withDirs.length,
          'pod'
        )})</label
      >
    {/if}
    {#if lost.length}
      <NameToLose {cluster} bind:typed />
    {/if}
    <div class="flex gap-2">
      <button class="push push-main" disabled={lines === null || (lost.length > 0 && typed !== cluster)}>Empty it</button>
      <button type="button" class="push" onclick={onclose}>Not now</button>
    </div>
  </form>
</Sheet>
