<script lang="ts">
  import type { Answers, Api } from '$server/api/types';
  import CardFoot from './CardFoot.svelte';
  import Seconds from './Seconds.svelte';
  import { spanFault, spanOf, spanText, type SpanText } from './span';

  interface Props {
    program: Answers['Supposed']['programs'][number];
    likenesses: Answers['Supposed']['likenesses'];
    base: string;
    onput(body: Api['POST /rehearsals/{id}/supposed/draft']['body']): Promise<void>;
  }
  let { program, likenesses, base, onput }: Props = $props();
  /** What was changed here and not yet put into a draft. */
  let wanted = $state<{ behavesAs?: string; starts?: SpanText; pulls?: SpanText }>({});
  const behavesAs = $derived(wanted.behavesAs ?? program.behavesAs);
  const starts = $derived(wanted.starts ?? spanText(program.starts));
  const pulls = $derived(wanted.pulls ?? spanText(program.pulls));
  const fault = $derived(spanFault(starts) || spanFault(pulls));
  const changed = $derived(Object.keys(wanted).length > 0);
  const nameOf = (value: string) => likenesses.find((one) => one.value === value)?.label ?? value;
  async function put() {
    await onput({ image: program.image, behavesAs, starts: spanOf(starts), pulls: spanOf(pulls) });
  }
</script>

<p class="text-[1rem] leading-8" aria-label={program.image} role="group">
  <span class="mono font-semibold break-all">{program.image}</span>
  {#if program.ships}ships with the stand-in{:else}behaves like
    <select
      class="max-w-full border-b-2 border-ink bg-sheet"
      value={behavesAs}
      onchange={(event) => (wanted.behavesAs = event.currentTarget.value)}
      aria-label="{program.image} behaves like"
    >
      {#each likenesses as one (one.value)}<option value={one.value}>{one.label}</option>{/each}
    </select>{/if}; its starts take <Seconds
    what="A start of {program.image}"
    value={starts}
    onchange={(value) => (wanted.starts = value)}
  />, its pulls <Seconds what="A pull of {program.image}" value={pulls} onchange={(value) => (wanted.pulls = value)} />.
</p>
<p class="quiet small">
  {#each program.of.slice(0, 4) as one, i (one.kind + one.namespace + one.name)}{i ? ', ' : ''}<a
      class="word"
      href="{base}/members#{one.namespace}/{one.name}">{one.namespace}/{one.name}</a
    >{:else}Nobody runs it here{/each}{program.of.length > 4 ? ` and ${program.of.length - 4} more` : ''}.
  {program.card ? `Card ${program.card}.` : 'No card says anything of it.'}
  {#if program.proposed && behavesAs !== program.proposed}
    Its form would fit {nameOf(program.proposed)}.
    <button class="word" onclick={() => (wanted.behavesAs = program.proposed!)}>Suppose so</button>
  {/if}
</p>
<CardFoot {fault} {changed} onput={put} onleave={() => (wanted = {})} />
