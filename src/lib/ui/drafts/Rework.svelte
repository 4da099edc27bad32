<script lang="ts">
  import LeaveOut from './LeaveOut.svelte';
  import NamespaceMove from './NamespaceMove.svelte';
  import SecretMaker from './SecretMaker.svelte';
  import ToClaim from './ToClaim.svelte';
  import ByCluster from './ByCluster.svelte';
  import type { Desk } from './desk.svelte';
  import type { TextEdit } from './types';

  interface Props {
    desk: Desk;
    clusters: readonly string[];
    cluster: string;
    open: string | null;
    onedits(edits: readonly TextEdit[], cause: string): void;
  }
  let { desk, clusters, cluster, open, onedits }: Props = $props();
  const parts = [
    { id: 'namespace', title: 'Move it to another namespace' },
    { id: 'leave', title: 'Leave parts of it out' },
    { id: 'clusters', title: 'Values that differ by cluster' },
    { id: 'secret', title: 'Generate a secret' },
    { id: 'claim', title: 'From an ephemeral directory to a claim' }
  ] as const;
</script>

<h2 class="sr-only">Rework</h2>
<p class="quiet">What is pressed here changes the text on the left, as one step that can be taken back.</p>
{#each parts as part (part.id)}
  <details class="mt-3 border-t border-line pt-2" open={open === part.id}>
    <summary class="cursor-pointer font-semibold">{part.title}</summary>
    <div class="pt-2 pb-1">
      {#if part.id === 'namespace'}<NamespaceMove {desk} {onedits} />
      {:else if part.id === 'leave'}<LeaveOut {desk} {onedits} />
      {:else if part.id === 'clusters'}<ByCluster {desk} {clusters} {cluster} {onedits} />
      {:else if part.id === 'secret'}<SecretMaker {desk} {onedits} />
      {:else}<ToClaim {desk} />{/if}
    </div>
  </details>
{/each}
