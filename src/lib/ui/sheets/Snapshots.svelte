<script lang="ts">
  import type { ClaimInspection } from '$server/views/claims';
  import { lineHref } from '../format';
  import Peg from '../parts/Peg.svelte';
  import Removal from './Removal.svelte';
  import Restore from './Restore.svelte';

  interface Props {
    id: string;
    claim: ClaimInspection;
    flag: { hue: number; weave: string };
    onrestore(title: string, text: string): Promise<void>;
  }
  let { id, claim, flag, onrestore }: Props = $props();
  let removing = $state<string | null>(null);
  let inPlace = $state<string | null>(null);

  const restore = (name: string, size: string) =>
    onrestore(
      `restore ${name}`,
      `apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: ${claim.name}-restored, namespace: ${claim.namespace}}
spec:
  accessModes: [${claim.modes.join(', ')}]
  storageClassName: ${claim.class}
  resources: {requests: {storage: ${size}}}
  dataSource: {apiGroup: snapshot.storage.k8s.io, kind: VolumeSnapshot, name: ${name}}
`
    );
</script>

{#each claim.snapshots as one (one.name)}
  <div class="mb-2">
    <p class="flex flex-wrap items-baseline gap-x-2">
      <Peg state={one.ready ? 'holds' : one.error ? 'broken' : 'settling'} size={10} /><span class="mono break-all">{one.name}</span>
      <span class="quiet small">{one.size} {one.at}</span>
    </p>
    {#if one.error}<p class="small text-brick">{one.error}</p>{/if}
    {#if one.consistency}<p class="quiet small">{one.consistency}{one.checksum ? `; SHA-256 ${one.checksum.slice(0, 12)}…` : ''}</p>{/if}
    <p class="small flex flex-wrap gap-x-3">
      {#if one.ready}<button class="word" onclick={() => (inPlace = one.name)}>Put it in the place of {claim.name}</button><button
          class="word"
          onclick={() => restore(one.name, one.size)}>Restore into a new claim</button
        >{/if}
      {#if !one.ready}<a class="word" href={lineHref(id, { kind: 'VolumeSnapshot', namespace: claim.namespace, name: one.name })}
          >root line</a
        >{/if}
      <button class="word" onclick={() => (removing = one.name)}>delete</button>
    </p>
  </div>
{:else}<p class="quiet">No snapshot has been taken of it.</p>{/each}

{#if removing}<Removal
    {id}
    {flag}
    ref={{ kind: 'VolumeSnapshot', namespace: claim.namespace, name: removing }}
    onclose={() => (removing = null)}
  />{/if}
{#if inPlace}<Restore {id} {flag} {claim} snapshot={inPlace} onclose={() => (inPlace = null)} />{/if}
