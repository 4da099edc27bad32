<script lang="ts">
  import type { Answers } from '$server/api/types';
  import Flag from '../parts/Flag.svelte';
  import Peg from '../parts/Peg.svelte';
  import { call } from '../call.svelte';
  import { clockText } from '../format';

  interface Props {
    draft: { id: number };
    clusters: Answers['Fits']['clusters'];
    flags: Readonly<Record<string, { hue: number; weave: string }>>;
    /** Values that aren't in the draft's table yet, and have to be before it is sent. */
    unkept: number;
    take(): Promise<boolean>;
    ondone(): void;
  }
  let { draft, clusters, flags, unkept, take, ondone }: Props = $props();
  let typed = $state<Record<string, string>>({});
  let outcome = $state<Record<string, { ok: boolean; says: string }>>({});
  let under = $state(false);
  const loses = (one: Props['clusters'][number]) => one.fit?.sheet?.lost ?? [];
  const ready = $derived(clusters.every((one) => !loses(one).length || typed[one.cluster] === one.cluster));
  const over = $derived(Object.keys(outcome).length > 0 && !under);

  /** To each in turn; one that refuses keeps none of the others from it. */
  async function send() {
    under = true;
    if (unkept && !(await take())) {
      under = false;
      return;
    }
    for (const one of clusters) {
      const answer = await call('POST', '/drafts/{draft}/send', {
        params: { draft: draft.id },
        body: { rehearsal: one.rehearsal, ...(loses(one).length ? { confirm: typed[one.cluster] } : {}) }
      });
      outcome[one.cluster] = answer.ok
        ? { ok: true, says: `sent at ${clockText(answer.value.nowMs)}` }
        : { ok: false, says: `${answer.trouble.detail} ${answer.trouble.remedy}` };
    }
    under = false;
  }
</script>

<section class="mt-4 max-w-[56rem] border border-ink p-4" aria-label="Send to several clusters">
  <ul>
    {#each clusters as one (one.cluster)}
      {@const done = outcome[one.cluster]}
      <li class="flex items-start gap-3 border-b border-line py-2 last:border-b-0">
        {#if flags[one.cluster]}<Flag flag={flags[one.cluster]!} class="h-[36px] w-3" />{/if}
        <div class="min-w-0 flex-1">
          <p>
            <b class="font-semibold">{one.rehearsal}</b>
            <span class="quiet">{one.fit?.sheet?.new} new, {one.fit?.sheet?.altered} altered, {loses(one).length} lost</span>
          </p>
          {#if loses(one).length && !done}
            <p class="small text-brick">{loses(one).slice(0, 3).join('; ')}</p>
            <label class="small"
              >Its name, to lose that: <input
                class="border-b border-ink bg-sheet px-1"
                bind:value={typed[one.cluster]}
                aria-label="The name {one.cluster}"
              /></label
            >
          {/if}
          {#if done}<p class={done.ok ? '' : 'text-brick'}><Peg state={done.ok ? 'holds' : 'broken'} /> {done.says}</p>{/if}
        </div>
      </li>
    {/each}
  </ul>
  <p class="mt-3">
    {#if over}<button class="push push-main" onclick={ondone}>Done</button>
    {:else}
      <button class="push push-main" onclick={send} disabled={under || !ready}
        >{under ? 'It is sent …' : unkept ? 'Take the values in and send' : 'Send'}</button
      >
      <button class="word ml-3" onclick={ondone}>not now</button>
    {/if}
  </p>
</section>
