<script lang="ts">
  import { page } from '$app/state';
  import Peg from '$ui/parts/Peg.svelte';
  import { addressShown } from '$ui/prefs.svelte';
  import { cpus, lineHref, plural } from '$ui/format';

  let { data } = $props();
  const planks = $derived(data.view.zones.flatMap((zone) => zone.planks));
  const down = $derived(planks.filter((one) => !one.ready).length);
  const gib = (bytes: number) => (bytes / 2 ** 30).toLocaleString('en', { maximumFractionDigits: bytes < 10 * 2 ** 30 ? 1 : 0 });
  const sum = (pick: (one: (typeof planks)[number]) => number) => planks.reduce((all, one) => all + pick(one), 0);
  const count = ['No nodes', 'One node stands', 'Two nodes stand', 'Three nodes stand', 'Four nodes stand', 'Five nodes stand'];
</script>

<svelte:head><title>Ground · {data.cluster.name} · Root Barn</title></svelte:head>

{#snippet bar(asked: number, room: number)}
  <div class="h-[8px] border border-ink">
    <div class="h-full {asked > room ? 'bg-brick' : 'bg-ink'}" style:width="{Math.min(100, (100 * asked) / Math.max(1, room))}%"></div>
  </div>
{/snippet}

<div class="grid min-h-full grid-cols-[1fr_248px]">
  <div class="px-[26px] py-5">
    <h1>
      {down
        ? `${plural(down, 'node')} of ${planks.length} ${down === 1 ? 'does' : 'do'} not answer.`
        : `${count[planks.length] ?? `${planks.length} nodes stand`}, in ${plural(data.view.zones.length, 'zone')}.`}
    </h1>
    <p class="quiet mt-1">
      asked {cpus(sum((one) => one.milliCpu.asked))} of {cpus(sum((one) => one.milliCpu.room))} CPU and {gib(
        sum((one) => one.memoryBytes.asked)
      )} of {gib(sum((one) => one.memoryBytes.room))} GiB of memory · {plural(
        sum((one) => one.slots.taken),
        'volume'
      )} attached or asked for
    </p>
    <div class="mt-4 max-w-[60rem]">
      <div class="quiet small grid grid-cols-[110px_120px_120px_190px_1fr] gap-x-5 border-b border-ink pb-1">
        <span>node</span><span>CPU asked</span><span>memory asked, GiB</span><span>attach slots</span><span>pods standing on it</span>
      </div>
      {#each data.view.zones as zone, z (zone.name)}
        <section class={z ? 'border-t border-ink' : ''} aria-label="Zone {zone.name}">
          <h2 class="quiet small py-1.5 font-normal!">zone {zone.name}</h2>
          {#each zone.planks as plank (plank.name)}
            <div
              id={plank.name}
              class="grid grid-cols-[110px_120px_120px_190px_1fr] items-start gap-x-5 pb-4 {page.url.hash === `#${plank.name}`
                ? 'bg-tape'
                : ''}"
            >
              <p class="mono flex items-center gap-2 font-semibold">
                <Peg state={plank.ready ? 'holds' : 'broken'} size={10} label={plank.ready ? 'ready' : 'not ready'} />{plank.name}
              </p>
              <div>
                {@render bar(plank.milliCpu.asked, plank.milliCpu.room)}<span class="quiet small"
                  >{cpus(plank.milliCpu.asked)} of {cpus(plank.milliCpu.room)}</span
                >
              </div>
              <div>
                {@render bar(plank.memoryBytes.asked, plank.memoryBytes.room)}<span class="quiet small"
                  >{gib(plank.memoryBytes.asked)} of {gib(plank.memoryBytes.room)}</span
                >
              </div>
              <div>
                {#if plank.slots.limit === null}
                  <span class="quiet small">{plank.slots.taken ? `${plank.slots.taken} asked for; ` : ''}no driver says how many</span>
                {:else}
                  <div class="flex h-[11px] items-end gap-[2px]" aria-hidden="true">
                    {#each { length: Math.min(plank.slots.limit, 40) }, i (i)}<i
                        class="w-[2.5px] {i < plank.slots.taken ? 'h-[11px] bg-ink' : 'h-[5px] bg-line'}"
                      ></i>{/each}
                  </div>
                  <span class="quiet small">{plank.slots.taken} of {plank.slots.limit}</span>
                {/if}
              </div>
              <p class="mono flex flex-wrap gap-x-4 text-[0.8rem]">
                {#each plank.members as member (member.namespace + member.name)}
                  <a
                    class="hover:underline {member.system ? 'quiet' : ''}"
                    href={lineHref(data.id, { kind: 'Pod', ...member })}
                    title={member.namespace}>{member.name}</a
                  >
                {:else}<span class="quiet small font-sans">nobody</span>{/each}
                {#if plank.closed}<span class="small text-ochre">closed to new pods</span>{/if}
              </p>
            </div>
          {/each}
        </section>
      {:else}
        <p class="py-8">This cluster has no nodes. Send Node manifests in a draft, and they stand here.</p>
      {/each}
    </div>
  </div>
  <aside class="border-l border-line px-5 py-6" aria-label="The place">
    <h2 class="mb-2">Registries</h2>
    {#each data.view.registries as one (one.host)}
      <p class="mb-2 flex items-start gap-2">
        <Peg state={one.reachable ? 'holds' : 'broken'} size={11} /><span
          ><span class="mono text-[0.8rem] break-all">{one.host}</span><br /><span class="quiet small"
            >{one.reachable ? 'reached from the nodes' : 'out of reach of the nodes'}</span
          ></span
        >
      </p>
    {:else}<p class="quiet small">None is known, so no image can be pulled.</p>{/each}
    {#if data.view.ranges}
      <h2 class="mt-5 mb-2">Address ranges</h2>
      <dl class="small grid grid-cols-[4.5rem_1fr] gap-y-1">
        {#each [['pods', data.view.ranges.pods], ['services', data.view.ranges.services], ['nodes', data.view.ranges.nodes]] as [name, range] (name)}
          <dt class="quiet">{name}</dt>
          <dd class="mono">{addressShown(range ?? '')}</dd>
        {/each}
        <dt class="quiet">domain</dt>
        <dd class="mono">{data.view.ranges.domain}</dd>
      </dl>
    {/if}
  </aside>
</div>
