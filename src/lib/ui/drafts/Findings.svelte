<script lang="ts">
  import Accepted from '../parts/Accepted.svelte';
  import Peg from '../parts/Peg.svelte';
  import WhyFinding from '../parts/WhyFinding.svelte';
  import { plural } from '../format';
  import { pegOf, type Finding } from './types';

  interface Props {
    findings: readonly Finding[];
    /** The file in the editor. */
    open: string;
    onshow(finding: Finding): void;
    onmend(finding: Finding): void;
    /** Mends all that are certain, in one step. */
    onmendall(): void;
    /** Opens the move from an ephemeral directory to a claim. */
    onclaim(): void;
  }
  let { findings, open, onshow, onmend, onmendall, onclaim }: Props = $props();
  const standing = $derived(findings.filter((one) => !one.accepted));
  const accepted = $derived(findings.filter((one) => one.accepted));
  const count = (severity: Finding['severity']) => standing.filter((one) => one.severity === severity).length;
  const says = $derived(
    [
      count('error') ? plural(count('error'), 'error') : '',
      count('warning') ? plural(count('warning'), 'warning') : '',
      count('note') ? plural(count('note'), 'note') : ''
    ]
      .filter(Boolean)
      .join(', ')
  );
  const certain = $derived(standing.filter((one) => one.mend && one.severity !== 'note').length);
  const ordered = $derived(
    [...standing].sort((a, b) => ['error', 'warning', 'note'].indexOf(a.severity) - ['error', 'warning', 'note'].indexOf(b.severity))
  );
</script>

<section class="max-h-[38%] min-h-[40px] shrink-0 overflow-auto border-t border-line px-[18px] py-2" aria-label="Findings">
  {#if findings.length}
    <p class="quiet small flex items-baseline gap-3">
      <span role="status">{says || 'Nothing to say about it.'}</span>
      {#if certain > 1}<button class="word" onclick={onmendall}>mend all {certain} that are certain</button>{/if}
    </p>
    <ul>
      {#each ordered.slice(0, 200) as one, i (i)}
        <li class="flex items-baseline gap-2 py-[3px]">
          <span class="relative top-[1px] shrink-0"><Peg state={pegOf[one.severity]} size={11} label={one.severity} /></span>
          <button class="word shrink-0 font-semibold" onclick={() => onshow(one)}
            >{one.at.file && one.at.file !== open ? `${one.at.file} ` : ''}{one.at.line ?? 1}</button
          >
          <span class="min-w-0 flex-1 break-words"
            >{one.message} <span class="quiet">{one.remedy}</span>
            <WhyFinding code={one.code} /></span
          >
          {#if one.mend}<button class="push small shrink-0" onclick={() => onmend(one)}>{one.mend.says}</button
            >{:else if one.code === 'data-ephemeral'}<button class="push small shrink-0" onclick={onclaim}>Move it to a claim</button>{/if}
        </li>
      {/each}
    </ul>
    <Accepted items={accepted}>
      {#snippet where(one)}<button class="word" onclick={() => onshow(one)}>{one.at.line ?? 1}</button>{/snippet}
    </Accepted>
  {:else}<p class="quiet">Nothing to say about it.</p>{/if}
</section>
