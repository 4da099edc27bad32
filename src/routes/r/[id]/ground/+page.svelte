<script lang="ts">
  import { page } from '$app/state';
  import GroundGates from '$ui/sheets/GroundGates.svelte';
  import Plank from '$ui/sheets/Plank.svelte';
  import SpreadLens from '$ui/sheets/SpreadLens.svelte';
  import { cpus, plural } from '$ui/format';

  let { data } = $props();
  const view = $derived(data.view);
  const planks = $derived(view.zones.flatMap((zone) => zone.planks));
  const down = $derived(planks.filter((one) => !one.ready).length);
  const whole = (bytes: number) => Math.floor(bytes / 2 ** 30).toLocaleString('en');
  const gib = (bytes: number) => (bytes / 2 ** 30).toLocaleString('en', { maximumFractionDigits: bytes < 10 * 2 ** 30 ? 1 : 0 });
  const sum = (pick: (one: (typeof planks)[number]) => number) => planks.reduce((all, one) => all + pick(one), 0);
  const count = [
    'No nodes',
    'One node stands',
    'Two nodes stand',
    'Three nodes stand',
    'Four nodes stand',
    'Five nodes stand',
    'Six nodes stand',
    'Seven nodes stand',
    'Eight nodes stand',
    'Nine nodes stand'
  ];
  /** So many planks are drawn at first; the others follow in batches, so that a large ground stands at once. */
  const batch = 16;
  let drawn = $state(batch);
  $effect(() => {
    if (drawn >= planks.length) return;
    const timer = setTimeout(() => (drawn += batch), 30);
    return () => clearTimeout(timer);
  });
  /** How many planks stand before each zone's first. */
  const before = $derived(view.zones.map((_, z) => view.zones.slice(0, z).reduce((sum, zone) => sum + zone.planks.length, 0)));
  const lenses = ['capacity', 'spread', 'slots'] as const;
  const lens = $derived(lenses.find((one) => one === page.url.searchParams.get('lens')) ?? 'capacity');
  const headline = $derived.by(() => {
    if (down) return `${plural(down, 'node')} of ${planks.length} ${down === 1 ? 'does' : 'do'} not answer.`;
    const stand = count[planks.length] ?? `${planks.length} nodes stand`;
    const pool = view.pool;
    if (!pool) return `${stand}, in ${plural(view.zones.length, 'zone')}.`;
    return `${stand}; ${pool.fit} of ${plural(pool.disks, 'raw disk')} ${pool.name ? 'are in' : 'can join'} ${pool.name ? pool.name : 'a pool'}.`;
  });
  const words = ['no', 'one', 'two', 'three', 'four', 'five'];
  const withDisks = $derived(planks.some((one) => one.disks.length));
  const largestDisk = $derived(Math.max(1, ...planks.flatMap((one) => one.disks.map((disk) => disk.bytes))));
</script>

<svelte:head><title>Ground · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="grid min-h-full grid-cols-[minmax(0,1fr)_248px] max-[1000px]:grid-cols-1">
  <div class="min-w-0 px-[26px] py-5">
    <div class="flex flex-wrap items-baseline justify-between gap-x-6">
      <h1>{headline}</h1>
      <nav class="quiet flex shrink-0 gap-4" aria-label="Lens">
        <span>lens:</span>
        {#each lenses as one (one)}
          <a
            href="?lens={one}"
            data-sveltekit-noscroll
            aria-current={lens === one ? 'true' : undefined}
            class={lens === one ? 'border-b-2 border-ink font-semibold text-ink' : 'hover:underline'}>{one}</a
          >
        {/each}
      </nav>
    </div>
    <p class="quiet mt-1">
      {#if view.pool}
        raw {whole(view.pool.rawBytes)} GiB · a pool of {words[view.pool.copies] ?? view.pool.copies} copies {view.pool.name
          ? 'may hold'
          : 'would hold'}
        <b class="text-ink">{whole(view.pool.healableBytes)} GiB</b> and still heal after losing any one node
      {:else}
        asked {cpus(sum((one) => one.milliCpu.asked))} of {cpus(sum((one) => one.milliCpu.room))} CPU and {gib(
          sum((one) => one.memoryBytes.asked)
        )} of
        {gib(sum((one) => one.memoryBytes.room))} GiB of memory · {plural(
          sum((one) => one.slots.taken),
          'volume'
        )} attached or asked for
      {/if}
    </p>
    {#if lens === 'spread'}
      <SpreadLens zones={view.zones} id={data.id} />
    {:else}
      <div class="mt-4 border-t border-ink">
        {#each view.zones as zone, z (zone.name)}
          <section class={z ? 'border-t border-ink' : ''} aria-label="Zone {zone.name}">
            <h2 class="quiet small flex gap-4 pt-1.5 pb-1 font-normal!">
              <span class="w-[104px]">{zone.name}</span>
              {#if z === 0}
                {#if lens === 'capacity'}
                  <span class="w-[112px]">CPU asked</span><span class="w-[112px]">memory asked, GiB</span><span class="w-[104px]"
                    >attach slots</span
                  >
                  {#if withDisks}<span>disks, to scale</span>{:else}<span>members standing on it</span>{/if}
                {:else}<span>attach slots, by driver</span>{/if}
              {/if}
            </h2>
            {#each zone.planks.slice(0, Math.max(0, drawn - (before[z] ?? 0))) as plank (plank.name)}
              <Plank
                {plank}
                {lens}
                {withDisks}
                {largestDisk}
                id={data.id}
                marked={page.url.hash === `#${plank.name}`}
                still={data.cluster.kind === 'dump'}
              />
            {/each}
          </section>
        {:else}
          <p class="py-8">
            This cluster has no nodes. Send Node manifests in a draft, or <a class="word" href="/layout">lay out a cluster</a> that has some.
          </p>
        {/each}
      </div>
    {/if}
  </div>
  <GroundGates {view} cluster={data.cluster} id={data.id} />
</div>
