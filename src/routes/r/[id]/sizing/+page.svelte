<script lang="ts">
  import SizingSheet from '$ui/sizing/SizingSheet.svelte';

  let { data } = $props();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/sizing`);
</script>

<svelte:head><title>Sizing · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <nav class="mb-3 flex flex-wrap gap-x-4 gap-y-1 border-b border-line pb-2" aria-label="Calculations">
    {#each data.view.calculations as one (one.id)}
      <a
        class={one.id === data.calc.id ? 'font-semibold' : 'word'}
        href="{base}?calc={one.id}"
        aria-current={one.id === data.calc.id ? 'page' : undefined}
        title={one.tells}>{one.title}</a
      >
    {/each}
  </nav>
  {#key data.calc.id}
    <SizingSheet
      id={data.id}
      calc={data.calc}
      workloads={data.view.workloads}
      one={data.one}
      first={data.first}
      kept={data.kept.filter((each) => each.calc === data.calc.id)}
      names={data.kept.map((each) => each.name)}
      compared={data.compared}
      {base}
    />
  {/key}
</div>
