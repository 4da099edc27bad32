<script lang="ts">
  import NodesSheet from '$ui/sizing/NodesSheet.svelte';
  import SizingSheet from '$ui/sizing/SizingSheet.svelte';

  let { data } = $props();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/sizing`);
</script>

<svelte:head><title>Sizing · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <nav class="mb-3 flex flex-wrap gap-x-4 gap-y-1 border-b border-line pb-2" aria-label="Calculations">
    {#each data.view.calculations as one (one.id)}
      <a
        class={one.id === data.calc?.id ? 'font-semibold' : 'word'}
        href="{base}?calc={one.id}"
        aria-current={one.id === data.calc?.id ? 'page' : undefined}
        title={one.tells}>{one.title}</a
      >
    {/each}
    <a
      class={data.calc ? 'word' : 'font-semibold'}
      href="{base}?calc=nodes"
      aria-current={data.calc ? undefined : 'page'}
      title="how many nodes hold what is placed on them">Node fit</a
    >
  </nav>
  {#if data.nodes}
    {#key data.one?.id}
      <NodesSheet
        id={data.id}
        workloads={data.view.workloads}
        start={data.nodes}
        one={data.one}
        kept={data.kept.filter((each) => each.calc === 'nodes')}
        names={data.kept.map((each) => each.name)}
        {base}
      />
    {/key}
  {:else if data.calc && data.first}
    {@const { calc, first } = data}
    {#key calc.id}
      <SizingSheet
        id={data.id}
        {calc}
        workloads={data.view.workloads}
        one={data.one}
        {first}
        kept={data.kept.filter((each) => each.calc === calc.id)}
        names={data.kept.map((each) => each.name)}
        compared={data.compared}
        {base}
      />
    {/key}
  {/if}
</div>
