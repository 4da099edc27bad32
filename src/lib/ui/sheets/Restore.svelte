<script lang="ts">
  import { page } from '$app/state';
  import type { Answers } from '$server/api/types';
  import { untrack } from 'svelte';
  import { goto } from '$app/navigation';
  import { call, doCall, notices } from '../call.svelte';
  import NameToLose from '../parts/NameToLose.svelte';
  import Sheet from '../parts/Sheet.svelte';

  interface Props {
    id: string;
    flag: { hue: number; weave: string };
    claim: { namespace: string; name: string };
    snapshot: string;
    onclose(): void;
  }
  let { id, flag, claim: asked, snapshot: chosen, onclose }: Props = $props();
  const [claim, snapshot] = untrack(() => [asked, chosen] as const);
  let typed = $state('');
  let busy = $state(false);
  let sheet = $state.raw<Answers['RestoreSheet'] | null>(null);
  const cluster = $derived(page.data.cluster?.name as string);
  const ask = { namespace: claim.namespace, claim: claim.name, snapshot };
  const heads = ['new', 'restarted', 'lost', 'untouched'] as const;

  $effect(() => {
    void call('POST', '/rehearsals/{id}/restore-sheet', { params: { id }, body: ask }).then((answer) => {
      if (answer.ok) sheet = answer.value;
      else notices.complain(answer.trouble);
    });
  });
  const sure = $derived(sheet !== null && !sheet.refusal && !busy && typed === cluster);

  async function send(event: SubmitEvent) {
    event.preventDefault();
    if (!sure || !sheet) return;
    busy = true;
    const stops = sheet.restarted.map((one) => one.ref.name).join(', ');
    const sent = await doCall('POST', '/rehearsals/{id}/restore', { params: { id }, body: { ...ask, confirm: typed } });
    busy = false;
    if (!sent) return;
    onclose();
    notices.say(
      `${snapshot} is being put in the place of ${claim.name}${stops ? `; ${stops} stops and starts again` : ''}. Run the clock until settled (s), or undo (u).`
    );
    await goto(`/r/${encodeURIComponent(id)}/members`);
  }
</script>

<Sheet title="Put {snapshot} in the place of {claim.name}?" {flag} wide {onclose}>
  {#if sheet?.refusal}
    <p class="text-brick">{sheet.refusal.message}</p>
    <p>{sheet.refusal.remedy}</p>
  {:else if sheet}
    <ol class="list-decimal pl-5">
      {#each sheet.steps as step (step)}<li>{step}</li>{/each}
    </ol>
    {#if sheet.stalls.length}
      <p class="mt-3 text-brick">As things stand nothing comes back once the old claim is gone; mend this first:</p>
      <ul class="list-disc pl-5 text-brick">
        {#each sheet.stalls as stall (stall)}<li class="break-words">{stall}</li>{/each}
      </ul>
    {/if}
    <dl class="mt-3">
      {#each heads as head (head)}
        {#if sheet[head].length}
          <div class="grid grid-cols-[78px_26px_1fr] border-t border-line py-1.5">
            <dt class={head === 'lost' ? 'text-brick' : ''}>{head}</dt>
            <dd class="font-semibold">{sheet[head].length}</dd>
            <dd class="min-w-0">
              {#each sheet[head] as line, i (i)}<p class="break-words">
                  <span class="quiet small">{line.ref.kind}</span> <span class="mono text-[0.8rem]">{line.ref.name}</span>
                  <span class="small">{line.says}</span>
                </p>{/each}
            </dd>
          </div>
        {/if}
      {/each}
    </dl>
    <p class="quiet small mt-2">
      On a real cluster take the set away first and keep its members: its controller would else make an empty claim in between.
    </p>
  {:else}<p class="quiet">Looking at what it would do …</p>{/if}
  <form class="dialog-foot" onsubmit={send}>
    {#if sheet && !sheet.refusal}
      <NameToLose {cluster} bind:typed to="send" focus />
    {/if}
    <div class="flex gap-2">
      <button class="push push-grave" disabled={!sure}>{busy ? 'Sending …' : 'Put it in place'}</button>
      <button type="button" class="push" onclick={onclose}>Not now</button>
    </div>
  </form>
</Sheet>
