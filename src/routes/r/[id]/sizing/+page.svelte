<script lang="ts">
  import CostSheet from '$ui/sizing/CostSheet.svelte';
  import NodesSheet from '$ui/sizing/NodesSheet.svelte';
  import SizingSheet from '$ui/sizing/SizingSheet.svelte';

  let { data } = $props();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/sizing`);
  const sheets = $derived([
    { id: 'nodes', title: 'Node fit', tells: 'how many nodes hold what is placed on them', open: data.nodes !== null },
    { id: 'cost', title: 'Cost', tells: 'what a month of it costs, and what of that nobody uses', open: data.prices !== null }
  ]);
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
    {#each sheets as { id, title, tells, open } (id)}
      <a class={open ? 'font-semibold' : 'word'} href="{base}?calc={id}" aria-current={open ? 'page' : undefined} title={tells}>{title}</a>
    {/each}
  </nav>
  {#if data.nodes}
    <NodesSheet
      id={data.id}
      workloads={data.view.workloads}
      start={data.nodes}
      one={data.one}
      kept={data.kept.filter((each) => each.calc === 'nodes')}
      lists={data.kept.filter((each) => each.calc === 'cost')}
      names={data.kept.map((each) => each.name)}
      {base}
    />
  {:else if data.prices}
    <CostSheet
      id={data.id}
      start={data.prices.text}
      one={data.one}
      kept={data.kept.filter((each) => each.calc === 'cost')}
      names={data.kept.map((each) => each.name)}
      {base}
    />
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
