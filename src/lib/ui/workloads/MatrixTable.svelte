<script lang="ts">
  import type { Matrix } from '$core/proofs';
  import Peg from '../parts/Peg.svelte';

  let { matrix }: { matrix: Matrix } = $props();
  const cell = (writer: string, reader: string) => matrix.cells.find((one) => one.writer === writer && one.reader === reader);
  const words = (ms: number) => (ms < 1_000 ? `${ms} ms` : `${(ms / 1_000).toFixed(1)} s`);
  /** A second is long for members that are beside each other. */
  const slowMs = 1_000;
</script>

<table class="mb-5 border-collapse" aria-label="Who writes, who reads">
  <thead>
    <tr>
      <td class="quiet small pr-4 pb-1">writes ↓ reads →</td>
      {#each matrix.members as reader (reader)}<th class="mono px-2 pb-1 text-left text-[0.8rem] font-normal">{reader}</th>{/each}
    </tr>
  </thead>
  <tbody>
    {#each matrix.members as writer (writer)}
      <tr>
        <th class="mono pr-4 text-left text-[0.8rem] font-normal">{writer}</th>
        {#each matrix.members as reader (reader)}
          {@const one = cell(writer, reader)}
          <td class="h-[40px] min-w-[7.2rem] border border-line px-2 align-middle" title={one?.says}>
            {#if one && one.lagMs !== null}
              <span class="inline-flex items-baseline gap-2"
                ><Peg state={one.lagMs > slowMs ? 'settling' : 'holds'} size={10} label={one.lagMs > slowMs ? 'late' : 'seen'} />{words(
                  one.lagMs
                )}</span
              >
            {:else}
              <span class="quiet inline-flex items-baseline gap-2"
                ><Peg state="waiting" size={10} label="no writes here" />takes no writes</span
              >
            {/if}
          </td>
        {/each}
      </tr>
    {/each}
  </tbody>
</table>
