<script lang="ts">
  import { goto } from '$app/navigation';
  import type { StandingFinding } from '$server/views/findings';
  import { call, doCall, newDraft, notices } from '../call.svelte';
  import { plural } from '../format';
  import Accepted from '../parts/Accepted.svelte';
  import Peg from '../parts/Peg.svelte';
  import WhyFinding from '../parts/WhyFinding.svelte';
  import { pegOf } from '../drafts/types';

  interface Props {
    id: string;
    namespace: string;
    cluster: string;
    /** Changes when what stands may have changed. */
    moment: string;
  }
  let { id, namespace, cluster, moment }: Props = $props();
  let list = $state<StandingFinding[] | null>(null);
  $effect(() => {
    void moment;
    void call('GET', '/rehearsals/{id}/findings', { params: { id }, query: { namespace } }).then((answer) => {
      if (answer.ok) list = answer.value.items;
      else notices.complain(answer.trouble);
    });
  });
  const standing = $derived((list ?? []).filter((one) => !one.accepted));
  const accepted = $derived((list ?? []).filter((one) => one.accepted));
  const count = (severity: StandingFinding['severity'], word: string) => {
    const n = standing.filter((one) => one.severity === severity).length;
    return n ? [plural(n, word)] : [];
  };
  async function mend(one: StandingFinding) {
    const made = await doCall('POST', '/rehearsals/{id}/findings/mend', { params: { id }, body: { namespace, nth: one.nth } });
    if (!made) return;
    const draft = await newDraft(cluster, one.mend ?? one.code, made.yaml);
    if (draft !== undefined) await goto(`/r/${encodeURIComponent(id)}/drafts/${draft}`);
  }
</script>

{#if list === null}<p class="quiet">Looks …</p>
{:else if list.length}
  <p class="quiet mb-2" role="status">
    {[...count('error', 'error'), ...count('warning', 'warning'), ...count('note', 'note')].join(', ') || 'Nothing to mend'} in what was sent
    to
    <span class="mono">{namespace}</span>. A remedy goes into a draft first.
  </p>
  <ul class="border-t border-ink">
    {#each standing as one (one.nth)}
      <li class="grid grid-cols-[auto_16rem_minmax(0,1fr)_auto] items-baseline gap-x-3 border-b border-line py-2">
        <Peg state={pegOf[one.severity]} size={11} label={one.severity} />
        <span class="mono text-[0.85rem] break-words">{one.object}</span>
        <span
          >{one.message} <span class="quiet">{one.remedy}</span>
          <WhyFinding code={one.code} /></span
        >
        {#if one.mend}<button class="push small" onclick={() => mend(one)}>{one.mend}</button>{:else}<span></span>{/if}
      </li>
    {/each}
  </ul>
  <Accepted items={accepted} class="mt-2">
    {#snippet where(one)}<span class="mono">{one.object}</span>{/snippet}
  </Accepted>
{:else}<p class="quiet">The checker has nothing to say about what stands in {namespace}.</p>{/if}
