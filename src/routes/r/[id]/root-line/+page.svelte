<script lang="ts">
  import { goto } from '$app/navigation';
  import LineDrawing from '$ui/sheets/LineDrawing.svelte';
  import JointSheet from '$ui/sheets/JointSheet.svelte';
  import Say from '$ui/parts/Say.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import { newDraft } from '$ui/call.svelte';
  import { kinId } from '$ui/format';
  import { selection } from '$ui/selection.svelte';
  import { rowsOf } from '$ui/sheets/line-rows';

  let { data } = $props();
  const line = $derived(data.line);
  const rows = $derived(line ? rowsOf(line.joints) : []);
  let picked = $state<string | null>(null);
  const chosen = $derived(
    rows.find((row) => row.id === picked) ??
      rows.find((row) => row.id === line?.firstBreak) ??
      rows.find((row) => row.state === 'settling') ??
      rows[0]
  );
  const broken = $derived(rows.find((row) => row.id === line?.firstBreak));
  const waiting = $derived(rows.filter((row) => row.state === 'waiting').length);
  const kinds: Record<string, string> = {
    Pod: 'pod',
    PersistentVolumeClaim: 'claim',
    StatefulSet: 'set',
    PersistentVolume: 'volume',
    VolumeSnapshot: 'snapshot'
  };

  async function draft(manifests: string, cluster: string | null = null) {
    const name = `${data.ref.name}: ${(chosen?.title ?? 'remedy').toLowerCase()}`.slice(0, 100);
    const id = await newDraft(cluster ?? data.cluster.name, name, manifests);
    if (id !== undefined) await goto(`/r/${encodeURIComponent(kinId(data.id, cluster))}/drafts/${id}`);
  }
  const remedy = $derived(chosen?.joints.find((joint) => joint.remedy?.manifests)?.remedy);
  $effect(() => {
    selection.ref = data.ref;
    selection.draft = remedy?.manifests ? () => void draft(remedy.manifests!, remedy.in) : null;
    return () => {
      selection.ref = null;
      selection.draft = null;
    };
  });
</script>

<svelte:head><title>Root line of {data.ref.name} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-4">
  {#if !line}
    <h1>{data.ref.name} doesn't exist at this moment.</h1>
    <p class="mt-2">Move the clock on, or look at <a class="word" href="/r/{encodeURIComponent(data.id)}/members">the members</a>.</p>
  {:else}
    <h1><Say text={line.sentence} /></h1>
    <p class="quiet mt-0.5">
      Root line of {line.trunks.length > 1 ? `${line.members} members` : `the ${kinds[data.ref.kind] ?? data.ref.kind} ${data.ref.name}`} · namespace
      <span class="mono">{data.ref.namespace}</span>
      {#if broken}· first break: <b class="font-semibold text-ink">{broken.title}</b> · {waiting}
        {waiting === 1 ? 'joint' : 'joints'} above {waiting === 1 ? 'waits' : 'wait'} on it{:else}· no break{/if}
    </p>
    {#if line.joints.length}
      <div class="mt-2 grid max-w-[80rem] grid-cols-[minmax(0,1fr)_270px] gap-x-7 max-[1000px]:grid-cols-1">
        <div class="min-w-0">
          <LineDrawing
            {rows}
            trunks={line.trunks}
            firstBreak={line.firstBreak}
            chosen={chosen?.id}
            flags={data.flags}
            onchoose={(id) => (picked = id)}
          />
        </div>
        {#if chosen}<JointSheet row={chosen} isBreak={chosen.id === line.firstBreak} ondraft={draft} />{/if}
      </div>
    {:else}
      <p class="mt-4"><Peg state="waiting" /> The set asks for no members, so there is nothing to trace.</p>
    {/if}
  {/if}
</div>
