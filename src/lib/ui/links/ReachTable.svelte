<script lang="ts">
  import type { Answers } from '$server/api/types';
  import Flag from '../parts/Flag.svelte';
  import Peg from '../parts/Peg.svelte';
  import { sentenceShown } from '../prefs.svelte';

  interface Props {
    clusters: readonly string[];
    squares: Answers['Reach']['squares'];
    flags: Readonly<Record<string, { hue: number; weave: string }>>;
    /** Links have changed since. */
    stale: boolean;
  }
  let { clusters, squares, flags, stale }: Props = $props();
  const at = (from: string, to: string) => squares.find((one) => one.from === from && one.to === to);
  const troubles = $derived(squares.filter((one) => one.state !== 'holds'));
  const said = $derived([...new Set(troubles.map((one) => `${one.from} to ${one.to}: ${one.says}`))]);
</script>

<div class="mt-2 overflow-x-auto" data-testid="reach">
  <table class="border-collapse text-left" aria-label="Who finds and reaches whom">
    <thead>
      <tr class="border-b border-ink"
        ><td class="quiet small pr-4 pb-1">from, to</td>
        {#each clusters as to (to)}<th scope="col" class="px-3 pb-1 font-normal"
            >{#if flags[to]}<Flag flag={flags[to]!} class="mb-1 h-[6px]" />{/if}{to}</th
          >{/each}</tr
      >
    </thead>
    <tbody>
      {#each clusters as from (from)}
        <tr class="border-b border-line">
          <th scope="row" class="py-1.5 pr-4 font-normal">{from}</th>
          {#each clusters as to (to)}
            {@const square = at(from, to)}
            <td class="px-3 whitespace-nowrap {stale ? 'hatched' : ''}" title={square ? sentenceShown(square.says) : ''}>
              {#if square}<Peg state={square.state} label="{square.state}: {square.says}" />
                <span class="small quiet"
                  >{square.tookMs === undefined || square.state !== 'holds'
                    ? square.reached
                      ? 'no name'
                      : square.state === 'unseen'
                        ? 'unseen'
                        : 'cut'
                    : `${square.tookMs} ms`}</span
                >{/if}
            </td>
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
{#if stale}<p class="quiet small mt-1">The links have changed since; have them call again.</p>{/if}
{#if said.length}
  <ul class="small mt-2">
    {#each said as one (one)}<li>{sentenceShown(one)}.</li>{/each}
  </ul>
{:else}<p class="mt-2"><Peg state="holds" /> Every pod finds and reaches every other.</p>{/if}
