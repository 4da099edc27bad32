<script lang="ts">
  import type { Answers } from '$server/api/types';
  import Peg from '../parts/Peg.svelte';
  import { sentenceShown } from '../prefs.svelte';

  interface Props {
    table: Answers['Linked']['rights'][number];
    flags: Readonly<Record<string, { hue: number; weave: string }>>;
    ondraft(title: string, yaml: string, cluster: string): Promise<void>;
  }
  let { table, ondraft }: Props = $props();
  const clusters = $derived([...new Set(table.squares.map((one) => one.cluster))]);
  const spaces = $derived([...new Set(table.squares.map((one) => one.namespace))]);
  const at = (cluster: string, namespace: string) => table.squares.find((one) => one.cluster === cluster && one.namespace === namespace);
</script>

<p class="quiet small mt-1">{table.operator} in {table.cluster}: what it may do in the namespaces that it looks after elsewhere</p>
<table class="table-plain mt-1 w-full">
  <thead
    ><tr
      ><th>Cluster</th>{#each spaces as one (one)}<th class="mono font-normal">{one}</th>{/each}</tr
    ></thead
  >
  <tbody>
    {#each clusters as cluster (cluster)}
      <tr class="align-top">
        <td class="w-[160px]">{cluster}</td>
        {#each spaces as namespace (namespace)}
          {@const square = at(cluster, namespace)}
          <td>
            {#if square}
              <Peg state={square.state} />
              {sentenceShown(square.says)}
              {#if square.remedy?.yaml}{@const remedy = square.remedy}
                <button class="word" onclick={() => ondraft(`${namespace}: rights`, remedy.yaml!, remedy.in)}
                  >put in a draft for {remedy.in}</button
                >{/if}
            {/if}
          </td>
        {/each}
      </tr>
    {/each}
  </tbody>
</table>
