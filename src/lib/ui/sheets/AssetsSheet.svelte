<script lang="ts">
  import { goto } from '$app/navigation';
  import type { AssetsView } from '$server/views/supply';
  import { call, newDraft, notices } from '../call.svelte';
  import { gib, lineHref, plural, shortClock } from '../format';
  import Peg from '../parts/Peg.svelte';
  import Removal from './Removal.svelte';

  interface Props {
    view: AssetsView;
    id: string;
    cluster: { name: string; flag: { hue: number; weave: string } };
    nowMs: number;
  }
  let { view, id, cluster, nowMs }: Props = $props();
  let removing = $state<{ kind: 'Asset' | 'PersistentVolume'; name: string } | null>(null);
  let limit = $state(60);
  const ordered = $derived([...view.assets].sort((a, b) => Number(b.orphan) - Number(a.orphan)));
  const orphans = $derived(view.assets.filter((one) => one.orphan));

  /** A Released volume is handed out again once its claimRef is cleared; the data in it goes to the next claim. */
  async function free(volume: string) {
    const found = await call('GET', '/rehearsals/{id}/objects', { params: { id }, query: { kind: 'PersistentVolume', name: volume } });
    if (!found.ok) return notices.complain(found.trouble);
    const [one] = found.value.items;
    if (one?.kind !== 'PersistentVolume') return;
    const { apiVersion, kind, metadata, spec } = one;
    const draft = await newDraft(
      cluster.name,
      `free ${volume}`,
      JSON.stringify({ apiVersion, kind, metadata: { name: metadata.name }, spec: { ...spec, claimRef: null } }, null, 2)
    );
    if (draft !== undefined) await goto(`/r/${encodeURIComponent(id)}/drafts/${draft}`);
  }

  /** A static volume that names the asset, so that a claim without class can have it. */
  async function adopt(asset: AssetsView['assets'][number]) {
    const zone = asset.zone
      ? `  nodeAffinity:\n    required:\n      nodeSelectorTerms:\n      - matchExpressions:\n        - {key: topology.kubernetes.io/zone, operator: In, values: [${asset.zone}]}\n`
      : '';
    const text = `apiVersion: v1
kind: PersistentVolume
metadata: {name: adopted-${asset.handle}}
spec:
  capacity: {storage: ${Math.floor(asset.bytes / 2 ** 30)}Gi}
  accessModes: [ReadWriteOnce]
  persistentVolumeReclaimPolicy: Retain
  csi: {driver: ${view.driver}, volumeHandle: ${asset.handle}, fsType: ${asset.fsType}}
${zone}---
apiVersion: v1
kind: PersistentVolumeClaim
metadata: {name: adopted-${asset.handle}, namespace: default}
spec:
  accessModes: [ReadWriteOnce]
  storageClassName: ""
  volumeName: adopted-${asset.handle}
  resources: {requests: {storage: ${Math.floor(asset.bytes / 2 ** 30)}Gi}}
`;
    const draft = await newDraft(cluster.name, `adopt ${asset.handle}`, text);
    if (draft !== undefined) await goto(`/r/${encodeURIComponent(id)}/drafts/${draft}`);
  }
</script>

<section class="mt-3 border-t border-ink pt-3" aria-label="The backend {view.id}">
  <h2>
    {view.id}
    <span class="quiet font-normal"
      >{plural(view.assets.length, 'asset')}{orphans.length
        ? `; ${plural(orphans.length, 'orphan')} of ${gib(orphans.reduce((sum, one) => sum + one.bytes, 0))}, which no volume names`
        : ''}</span
    >
  </h2>
  {#if view.assets.length}
    <table class="table-plain">
      <thead
        ><tr
          ><th>Handle</th><th class="num">Size</th><th>Zone</th><th>Volume</th><th>Class</th><th>Serves</th><th>Held by node</th><th
            >State</th
          ><th><span class="sr-only">What can be done</span></th></tr
        ></thead
      >
      <tbody>
        {#each ordered.slice(0, limit) as one (one.handle)}
          <tr>
            <td class="mono">{one.handle}</td>
            <td class="num">{one.kind === 'whole' ? 'elastic' : gib(one.bytes)}</td>
            <td>{one.zone || '–'}</td>
            <td class="mono max-w-[9rem] truncate" title={one.volume}>{one.volume || '–'}</td>
            <td class="mono">{one.class || '–'}</td>
            <td class="mono">
              {#if one.claim && one.phase === 'Bound'}
                {@const [namespace = '', name = ''] = one.claim.split('/')}
                <a class="word" href={lineHref(id, { kind: 'PersistentVolumeClaim', namespace, name })}>{one.claim}</a>
              {:else if one.snapshotOf}<span class="quiet font-sans">snapshot of</span> {one.snapshotOf}
              {:else if one.kind === 'whole'}<span class="quiet font-sans">the whole file system</span>
              {:else}–{/if}
            </td>
            <td>{one.nodes.join(', ') || '–'}</td>
            <td class="whitespace-nowrap">
              {#if one.orphan}<Peg state="unseen" /> orphan since {shortClock(one.sinceMs)}{nowMs - one.sinceMs > 3_600_000
                  ? ` (${Math.floor((nowMs - one.sinceMs) / 3_600_000)} h)`
                  : ''}
              {:else}<Peg state={one.phase === 'Released' ? 'waiting' : 'holds'} />
                {one.kind === 'volume' ? one.phase : one.kind === 'whole' ? 'serves' : 'snapshot'}{/if}
            </td>
            <td class="text-right whitespace-nowrap">
              {#if one.orphan}
                <button class="push small" onclick={() => adopt(one)}>Adopt</button>
                <button class="push push-grave small" onclick={() => (removing = { kind: 'Asset', name: one.handle })}>Delete</button>
              {:else if one.phase === 'Released'}
                <a class="word small" href={lineHref(id, { kind: 'PersistentVolume', namespace: '', name: one.volume })}>root line</a>
                <button class="push small" onclick={() => free(one.volume)}>Free it</button>
                <button class="push push-grave small" onclick={() => (removing = { kind: 'PersistentVolume', name: one.volume })}
                  >Take away</button
                >
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if ordered.length > limit}<button class="push mt-3" onclick={() => (limit += 200)}
        >{plural(ordered.length - limit, 'more row')}</button
      >{/if}
  {:else}<p class="quiet mt-2">Nothing has been handed out of it yet.</p>{/if}
</section>

{#if removing}<Removal {id} flag={cluster.flag} ref={{ ...removing, namespace: '' }} onclose={() => (removing = null)} />{/if}
