<script lang="ts">
  import type { SupplyView } from '$server/views/supply';
  import { plural } from '../format';
  import Peg from '../parts/Peg.svelte';
  import GateList from './GateList.svelte';
  import Removal from './Removal.svelte';

  type Driver = SupplyView['drivers'][number];
  interface Props {
    driver: Driver;
    id: string;
    flag: { hue: number; weave: string };
    version: string;
    oninstall(driver: string, version: string): void;
    ondraft(gate: Driver['gates'][number]): void;
  }
  let { driver, id, flag, version, oninstall, ondraft }: Props = $props();
  let removing = $state(false);
  const ready = $derived(driver.installed && driver.gates.every((one) => one.state !== 'broken'));
</script>

<section class="mt-3 grid grid-cols-[240px_minmax(0,1fr)_260px] gap-x-8 border-t border-ink pt-3" aria-label="The driver {driver.id}">
  <div>
    <h2 class="mono break-all">{driver.id}</h2>
    <p class="quiet">{driver.kind}</p>
    <p class="quiet">
      {driver.installed ? `${driver.version || 'unknown version'}, ${plural(driver.volumes, 'volume')} of it` : 'not installed'}
    </p>
    <div class="mt-2 flex flex-wrap gap-2">
      {#if driver.newer}<button class="push" onclick={() => oninstall(driver.id, driver.newer!)}>Upgrade to {driver.newer}</button>{/if}
      {#if driver.installed}<button class="push push-grave" onclick={() => (removing = true)}>Take away</button>{/if}
    </div>
    {#if ready && !driver.classes.length}
      <p class="mt-2">
        No class draws from it yet. <a class="word" href="/r/{encodeURIComponent(id)}/supply/design"
          >Design one from what it is needed for</a
        >
      </p>
    {/if}
  </div>
  <div>
    <h2 class="mb-1">Gates, lowest first</h2>
    <GateList gates={driver.gates} {ondraft} />
  </div>
  <div>
    {#if driver.parts.length}
      <h2 class="mb-1">Parts</h2>
      {#each driver.parts as part (part.name)}
        <p class="flex items-baseline gap-2">
          <Peg state={part.ready === part.wanted ? 'holds' : part.essential ? 'settling' : 'waiting'} size={10} /><span
            class="mono text-[0.82rem]">{part.name}</span
          >
          <span class="quiet small ml-auto whitespace-nowrap"
            >{part.ready}/{part.wanted} · {part.essential ? 'essential' : 'only helps'}</span
          >
        </p>
      {/each}
    {/if}
    <h2 class="mt-3 mb-1">Versions</h2>
    {#each driver.versions as one (one.version)}
      <p class="flex items-baseline gap-2">
        <Peg state={one.fault ? 'broken' : 'holds'} size={10} label={one.fault ? 'does not fit' : 'fits'} />{one.version}
        <span class="small {one.fault ? 'text-brick' : 'quiet'}"
          >{one.fault
            ? `fits ${one.from} to ${one.to}, this cluster is ${version}`
            : `fits ${one.from} to ${one.to}${one.version === driver.newest ? ', the newest that does' : ''}`}</span
        >
      </p>
    {/each}
  </div>
</section>

{#if removing}
  <Removal
    {id}
    {flag}
    ref={{ kind: 'CSIDriver', namespace: '', name: driver.id }}
    more={[...driver.parts.map((one) => one.ref), ...driver.roles]}
    onclose={() => (removing = false)}
  />
{/if}
