<script lang="ts">
  import { page } from '$app/state';
  import { call, doCall, notices } from '../call.svelte';
  import Sheet from '../parts/Sheet.svelte';

  interface Ref {
    kind: string;
    namespace: string;
    name: string;
  }
  interface Line {
    ref: Ref;
    says: string;
  }
  interface Props {
    id: string;
    flag: { hue: number; weave: string };
    ref: Ref;
    /** What goes together with it. */
    more?: Ref[];
    /** Offers to keep what the object owns. */
    maykeep?: boolean;
    onclose(): void;
  }
  let { id, flag, ref, more = [], maykeep = false, onclose }: Props = $props();
  let keepMembers = $state(false);
  let typed = $state('');
  let sheet = $state<{ goes: Line[]; lost: Line[]; stays: Line[]; refusal?: { message: string; remedy: string } } | null>(null);
  const cluster = $derived(page.data.cluster?.name as string);
  const path = $derived(`/rehearsals/${encodeURIComponent(id)}`);

  $effect(() => {
    void call<NonNullable<typeof sheet>>('POST', `${path}/removal-sheet`, { ...ref, keepMembers }).then((answer) => {
      if (answer.ok) sheet = answer.value;
      else notices.complain(answer.trouble);
    });
  });
  const sure = $derived(sheet !== null && !sheet.refusal && (sheet.lost.length === 0 || typed === cluster));

  async function take(event: SubmitEvent) {
    event.preventDefault();
    if (!sure) return;
    const gone = await doCall<{ nowMs: number }>('POST', `${path}/remove`, { ...ref, keepMembers, more });
    onclose();
    if (gone) notices.say(`${ref.name} is being taken away. Run the clock to see what follows.`);
  }
</script>

<Sheet title="Take {ref.name} away from {cluster}?" {flag} {onclose}>
  {#if sheet?.refusal}
    <p class="text-brick">{sheet.refusal.message}</p>
    <p>{sheet.refusal.remedy}</p>
  {:else if sheet}
    {#snippet lines(title: string, list: Line[], grave: boolean)}
      {#if list.length}
        <h3 class="mt-2 font-semibold {grave ? 'text-brick' : ''}">{title}</h3>
        <ul>
          {#each list as line (line.ref.kind + line.ref.name + line.says)}<li>
              <span class="mono">{line.ref.name}</span>
              {line.says}
            </li>{/each}
        </ul>
      {/if}
    {/snippet}
    {@render lines('Goes', [...sheet.goes, ...more.map((one) => ({ ref: one, says: `goes too (${one.kind})` }))], false)}
    {@render lines('Stays', sheet.stays, false)}
    {@render lines('Data that is lost', sheet.lost, true)}
  {/if}
  <form class="mt-4" onsubmit={take}>
    {#if maykeep}<label class="mb-3 flex items-center gap-2"
        ><input type="checkbox" bind:checked={keepMembers} />Keep its members running</label
      >{/if}
    {#if sheet?.lost.length}
      <label class="mb-3 block"
        >Data is lost. Type <b class="mono">{cluster}</b> to go on.<input
          class="mt-1 w-full border border-brick bg-sheet px-2 py-1.5"
          bind:value={typed}
          autocomplete="off"
        /></label
      >
    {/if}
    <div class="flex gap-2">
      <button class="push push-grave" disabled={!sure}>Take away</button>
      <button type="button" class="push" onclick={onclose}>Not now</button>
    </div>
  </form>
</Sheet>
