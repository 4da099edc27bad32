<script lang="ts">
  import type { Plank } from '$server/views/ground';
  import { doCall, notices } from '../call.svelte';
  import { cpus, lineHref } from '../format';
  import Peg from '../parts/Peg.svelte';
  import Emptying from './Emptying.svelte';

  interface Props {
    plank: Plank;
    lens: 'capacity' | 'slots';
    /** Whether any node of the cluster has disks that are known. */
    withDisks: boolean;
    /** Bytes of the largest disk: the scale of all of them. */
    largestDisk: number;
    id: string;
    marked: boolean;
    /** A picture that nothing can be done to. */
    still: boolean;
  }
  let { plank, lens, withDisks, largestDisk, id, marked, still }: Props = $props();
  let emptying = $state(false);
  async function uncordon() {
    if (await doCall('POST', '/rehearsals/{id}/nodes/{node}/empty', { params: { id, node: plank.name }, body: { open: true } }))
      notices.say(`${plank.name} takes pods again.`);
  }
  const gib = (bytes: number) => (bytes / 2 ** 30).toLocaleString('en', { maximumFractionDigits: bytes < 10 * 2 ** 30 ? 1 : 0 });
  const longest = 136;
  const shown = 9;
  const widthOf = (bytes: number) => Math.max(5, Math.round((longest * bytes) / largestDisk));
  const looks = {
    system: 'bg-line border-quiet',
    unused: 'border-dashed border-ink',
    preparing: 'border-ochre hatch-ochre',
    taken: 'bg-moss border-ink',
    refused: 'border-brick crossed'
  } as const;
</script>

{#snippet bar(asked: number, room: number)}
  <div class="h-[8px] w-[98px] border border-ink">
    <div class="h-full {asked > room ? 'bg-brick' : 'bg-ink'}" style:width="{Math.min(100, (100 * asked) / Math.max(1, room))}%"></div>
  </div>
{/snippet}

{#snippet ticks(taken: number, limit: number)}
  <!-- Drawn as two patterns, so that hundreds of planks stay light. -->
  <div class="relative h-[11px]" style:width="{Math.min(limit, 60) * 4}px" aria-hidden="true">
    <div class="tick-free absolute inset-x-0 bottom-0 h-[5px]"></div>
    <div class="tick-taken absolute bottom-0 left-0 h-[11px]" style:width="{Math.min(taken, limit, 60) * 4}px"></div>
  </div>
{/snippet}

{#snippet members()}
  <p class="mono flex min-w-0 flex-wrap gap-x-4 text-[0.8rem]">
    {#each plank.members.slice(0, shown) as member (member.namespace + member.name)}
      <a class="hover:underline" href={lineHref(id, { kind: 'Pod', ...member })} title={member.namespace}>{member.name}</a>
    {:else}<span class="quiet small font-sans">no members</span>{/each}
    {#if plank.members.length > shown}<span class="quiet">and {plank.members.length - shown} more</span>{/if}
    {#if plank.system}<span class="quiet small font-sans" title="pods of drivers and operators">+{plank.system} of drivers</span>{/if}
    {#if plank.closed}<span class="small font-sans text-ochre">{plank.emptying ? 'cordoned, being emptied' : 'cordoned'}</span>{/if}
    {#if plank.virtual}<span class="small font-sans text-ochre">virtual: takes no daemon set</span>{/if}
  </p>
{/snippet}

<div id={plank.name} class="plank flex flex-wrap gap-4 gap-y-1 pb-3 {marked ? 'bg-tape' : ''}">
  <p class="mono flex w-[104px] shrink-0 items-start gap-2 pt-[1px] leading-tight font-semibold break-all" title={plank.name}>
    {#if !plank.ready}<Peg state="broken" size={10} label="not ready" />{/if}<span class="min-w-0"
      >{plank.name}{#if plank.storage}<span class="quiet small block font-sans font-normal">storage node</span>{/if}</span
    >
  </p>
  {#if lens === 'capacity'}
    <div class="w-[112px] shrink-0">
      {@render bar(plank.milliCpu.asked, plank.milliCpu.room)}<span class="quiet small"
        >{cpus(plank.milliCpu.asked)} of {cpus(plank.milliCpu.room)}</span
      >
    </div>
    <div class="w-[112px] shrink-0">
      {@render bar(plank.memoryBytes.asked, plank.memoryBytes.room)}<span class="quiet small"
        >{gib(plank.memoryBytes.asked)} of {gib(plank.memoryBytes.room)}</span
      >
    </div>
    <div class="w-[104px] shrink-0">
      {#if plank.slots.limit === null}<span class="quiet small"
          >{plank.slots.taken ? `${plank.slots.taken} asked for` : 'no limit known'}</span
        >
      {:else}{@render ticks(plank.slots.taken, plank.slots.limit)}<span class="quiet small">{plank.slots.taken} of {plank.slots.limit}</span
        >{/if}
    </div>
    <div class="min-w-0 flex-1">
      {#if withDisks}
        <div class="mb-1 flex flex-wrap items-center gap-x-[6px] gap-y-1">
          {#each plank.disks as disk (disk.name)}
            <span class="flex items-center gap-1.5">
              <span
                class="inline-block h-[15px] border {looks[disk.kind]}"
                style:width="{widthOf(disk.bytes)}px"
                role="img"
                aria-label="{disk.name}, {gib(disk.bytes)} GiB, {disk.says}"
                title="{disk.name}, {gib(disk.bytes)} GiB, {disk.says}"
              ></span>
              {#if disk.kind === 'refused'}<span class="small text-brick"
                  >{disk.says.startsWith('too small') ? `${gib(disk.bytes)} GiB, too small` : disk.says.replace(/^carries an? /, '')}</span
                >{/if}
              {#if disk.kind === 'preparing'}<span class="small text-ochre">{disk.says}</span>{/if}
            </span>
          {/each}
        </div>
      {/if}
      {@render members()}
    </div>
  {:else}
    <div class="min-w-0 flex-1">
      {#each plank.slots.drivers as one (one.name)}
        <div class="mb-1 flex items-center gap-4">
          <span class="mono w-[190px] text-[0.8rem]">{one.name}</span>
          {@render ticks(one.taken, one.limit ?? 0)}
          <span class="quiet small w-[70px]">{one.taken} of {one.limit}</span>
        </div>
      {:else}<p class="quiet small">No driver on it has a limit that is known.</p>{/each}
      {#if plank.speed}<p class="quiet small">
          all its volumes together: {plank.speed.iops.toLocaleString('en')} IOPS, {plank.speed.mbps.toLocaleString('en')} MB/s at the most
        </p>{/if}
    </div>
  {/if}
  {#if !still}
    <p class="small shrink-0 pt-[1px]">
      <button
        class="word"
        aria-label="{plank.emptying ? 'uncordon' : 'empty'} {plank.name}"
        onclick={() => (plank.emptying ? void uncordon() : (emptying = true))}>{plank.emptying ? 'uncordon' : 'empty'}</button
      >
    </p>
  {/if}
</div>
{#if plank.emptying?.waits.length}
  <ul class="small -mt-2 pb-3 pl-[120px]">
    {#each plank.emptying.waits as one (one.name)}<li><span class="mono">{one.name}</span> stays: {one.says}</li>{/each}
  </ul>
{/if}

{#if emptying}<Emptying {id} node={plank.name} onclose={() => (emptying = false)} />{/if}

<style>
  .plank {
    content-visibility: auto;
    contain-intrinsic-size: auto 52px;
  }
  .tick-free {
    background-image: repeating-linear-gradient(90deg, var(--color-line) 0 2.5px, transparent 2.5px 4px);
  }
  .tick-taken {
    background-image: repeating-linear-gradient(90deg, var(--color-ink) 0 2.5px, transparent 2.5px 4px);
  }
  .crossed {
    background-image: linear-gradient(to top right, transparent calc(50% - 0.7px), var(--color-brick) 50%, transparent calc(50% + 0.7px));
  }
  .hatch-ochre {
    background-image: repeating-linear-gradient(135deg, var(--color-ochre) 0 1.5px, transparent 1.5px 5px);
  }
</style>
