<script lang="ts">
  import { frameHere } from '$ui/frame/frame.svelte';
  import { page } from '$app/state';
  import Say from '$ui/parts/Say.svelte';
  import Band from '$ui/sheets/Band.svelte';
  import { plural } from '$ui/format';
  import { proveWorkload } from '$ui/call.svelte';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  const frame = frameHere();
  const bands = $derived(data.view.bands);
  const stack = $derived(frame.now.stack);
  let text = $state('');
  $effect(() => {
    const sets = bands.filter((one) => one.kind === 'StatefulSet');
    const chosen = selection.ref;
    const band = sets.find((one) => one.namespace === chosen?.namespace && one.rows.some((row) => row.name === chosen.name)) ?? sets[0];
    selection.prove = band && data.cluster.kind !== 'dump' ? () => void proveWorkload(data.id, band.namespace, band.name) : null;
    return () => (selection.prove = null);
  });
  const shown = $derived(bands.filter((one) => !text || `${one.namespace}/${one.name}`.includes(text)));
</script>

<svelte:head><title>Members · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  {#if bands.length}
    <h1>
      <Say
        text={stack.broken
          ? stack.sentence
          : stack.members.ready === stack.members.wanted
            ? `${plural(stack.members.ready, 'member')} of ${plural(data.view.total, 'workload')} ${stack.members.ready === 1 ? 'is' : 'are'} ready.`
            : `${stack.members.ready} of ${plural(stack.members.wanted, 'member')} ready; the others come up.`}
      />
    </h1>
    {#if stack.proof}<p class="mt-1">
        <a
          class="word"
          href="/r/{encodeURIComponent(data.id)}/proofs?{new URLSearchParams({
            set: `${stack.proof.namespace}/${stack.proof.set}`,
            proof: stack.proof.id
          })}">the proof and its evidence</a
        >
      </p>{/if}
    <p class="mt-2">
      <a class="word" href="/r/{encodeURIComponent(data.id)}/blueprints">deploy a workload</a>
      <a class="word ml-4" href="/r/{encodeURIComponent(data.id)}/operators">operators and custom resources</a>
    </p>
    {#if data.cluster.kind === 'dump'}<p class="quiet mt-1">
        A dump can be looked at only; nothing is scaled, proved or taken away here. <a
          class="word"
          href="/r/{encodeURIComponent(data.id)}/rehearse">Rehearse from here</a
        >
        to try it.
      </p>{/if}
    {#if bands.length > 6}<p class="mt-2">
        <input
          class="small w-[16rem] border border-line bg-sheet px-2 py-0.5"
          bind:value={text}
          placeholder="narrow by name"
          aria-label="Narrow the workloads"
        />
      </p>{/if}
    {#each shown as band (band.kind + band.namespace + band.name)}
      <Band id={data.id} flag={data.cluster.flag} {band} marked={page.url.hash === `#${band.name}`} />
    {/each}
    {#if data.view.total > bands.length}<p class="quiet mt-4">
        {plural(data.view.total - bands.length, 'more workload')}; find one by its name with <span class="key">/</span>.
      </p>{/if}
  {:else}
    <h1>No workloads yet.</h1>
    <p class="mt-3 max-w-[44rem]">
      <a class="word" href="/r/{encodeURIComponent(data.id)}/blueprints">Choose a blueprint</a> and answer its questions, or write a
      stateful set in <a class="word" href="/r/{encodeURIComponent(data.id)}/drafts">a draft</a>, or drop manifests there: its members then
      stand here as bands, one row each.
    </p>
  {/if}
</div>
