<script lang="ts">
  import Peg from '$ui/parts/Peg.svelte';
  import { pegOf } from '$ui/drafts/types';

  let { data } = $props();
  const { rule } = $derived(data);
  const numbered = (text: string) => text.trimEnd().split('\n');
</script>

<svelte:head><title>{rule.title} · Root Barn</title></svelte:head>

<main class="mx-auto max-w-[64rem] px-[34px] py-8">
  <p class="quiet small"><a class="word" href="/findings">All rules of the checker</a> · <span class="mono">{rule.id}</span></p>
  <h1 class="mt-2"><Peg state={pegOf[rule.level]} size={14} label={rule.level} /> {rule.title}</h1>
  <p class="mt-3 max-w-[46rem] text-[1rem] leading-relaxed">{rule.why}</p>
  {#if data.found}<p class="remedy mt-4 max-w-[46rem]"><b>Line {data.found.line}:</b> {data.found.message} {data.found.remedy}</p>{/if}
  {#if rule.against}<p class="quiet mt-4">
      Seen only against the cluster that the draft is meant for; the example is looked at against the demo's {rule.against}.
    </p>{/if}
  <div class="mt-5 grid grid-cols-1 gap-8 md:grid-cols-2">
    {#each [{ title: 'So it is found', text: rule.bad }, { title: 'So it is right', text: rule.good }] as one (one.title)}
      <section class="min-w-0">
        <h2 class="border-b border-ink pb-1">{one.title}</h2>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <ol class="mono mt-2 overflow-x-auto text-[0.8rem] leading-relaxed" tabindex="0" aria-label="Example">
          {#each numbered(one.text) as line, i (i)}
            <li class="whitespace-pre {data.found?.line === i + 1 && one.text === rule.bad ? 'bg-tape font-semibold' : ''}">
              <span class="quiet mr-3 inline-block w-[2.2em] text-right select-none">{i + 1}</span>{line}
            </li>
          {/each}
        </ol>
      </section>
    {/each}
  </div>
</main>
