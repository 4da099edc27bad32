<script lang="ts">
  import { plural } from '../format';
  import type { SupplyView } from '$server/views/supply';
  import Peg from '../parts/Peg.svelte';
  import { curve, layoutRails, widths } from './rails-layout';

  type Chosen = { kind: 'backend' | 'driver' | 'class'; id: string };
  interface Props {
    view: SupplyView;
    chosen: Chosen | null;
    onchoose(one: Chosen): void;
  }
  let { view, chosen, onchoose }: Props = $props();

  const layout = $derived(layoutRails(view));
  const x = {
    a: widths.backend,
    b: widths.backend + widths.gapA,
    c: widths.backend + widths.gapA + widths.driver,
    d: widths.backend + widths.gapA + widths.driver + widths.gapB
  };
  const full = x.d + widths.class;
  const joinOf = (from: string, to: string) => view.joins.find((one) => one.from === from && one.to === to);
  const is = (kind: Chosen['kind'], id: string) => chosen?.kind === kind && chosen.id === id;
</script>

{#snippet join(x1: number, y1: number, x2: number, y2: number, state: string)}
  {#if state === 'broken'}
    {@const m = (x1 + x2) / 2}
    {@const my = (y1 + y2) / 2}
    <g stroke="var(--color-brick)" stroke-width="2.4" fill="none">
      <path d={curve(x1, y1, m - 10, my)} /><path d={curve(m + 10, my, x2, y2)} />
      <path d="M{m - 10} {my - 8}V{my + 8}M{m + 10} {my - 8}V{my + 8}" />
    </g>
  {:else}
    <path
      d={curve(x1, y1, x2, y2)}
      fill="none"
      stroke="var(--color-ink)"
      stroke-width={state === 'holds' ? 2.2 : 1.4}
      stroke-dasharray={state === 'holds' ? undefined : '2 5'}
    />
  {/if}
{/snippet}

{#snippet card(
  kind: 'backend' | 'driver' | 'class',
  one: { id: string; state: SupplyView['classes'][number]['state']; says: string },
  left: number,
  y: number,
  width: number,
  note: string
)}
  <button
    id={one.id}
    class="absolute text-left {is(kind, one.id) ? 'bg-tape' : 'hover:bg-tape'}"
    style:left="{left}px"
    style:top="{y - 22}px"
    style:width="{width}px"
    onclick={() => onchoose({ kind, id: one.id })}
    aria-pressed={is(kind, one.id)}
  >
    <span class="flex items-center gap-2 truncate font-semibold {kind === 'backend' ? '' : 'mono text-[0.9rem]'}" title={one.id}
      ><Peg state={one.state} /><span class="truncate">{one.id}</span></span
    >
    <span class="small block truncate {one.state === 'broken' && kind === 'driver' ? 'text-brick' : 'quiet'}" title={one.says}
      >{one.says}</span
    >
    {#if note}<span class="small block truncate pt-[9px] text-ochre" title={note}>{note}</span>{/if}
  </button>
{/snippet}

<div class="overflow-x-auto">
  <div class="relative mt-2" style:width="{full}px" style:height="{layout.height}px">
    <p class="quiet small absolute top-0 left-0">Backends</p>
    <p class="quiet small absolute top-0" style:left="{x.b}px">Drivers</p>
    <p class="quiet small absolute top-0" style:left="{x.d}px">Classes</p>
    <svg class="pointer-events-none absolute inset-0 z-10" width={full} height={layout.height} aria-hidden="true">
      {#each layout.drivers as { driver, y, classes, backends } (driver.id)}
        <path
          d="M{x.b} {y + 22}H{x.c}"
          stroke="var(--color-quiet)"
          stroke-width="1.5"
          stroke-dasharray={driver.installed ? undefined : '2 5'}
        />
        {#each backends as one (one.card.id)}
          <path d="M0 {one.y + 22}H{x.a}" stroke="var(--color-quiet)" stroke-width="1.5" />
          {@render join(x.a, one.y + 22, x.b, y + 22, joinOf(one.card.id, driver.id)?.state ?? 'unseen')}
        {/each}
        {#each classes as one (one.card.id)}
          <path d="M{x.d} {one.y + 22}H{full}" stroke="var(--color-quiet)" stroke-width="1.5" />
          {@render join(x.c, y + 22, x.d, one.y + 22, joinOf(driver.id, one.card.id)?.state ?? 'unseen')}
        {/each}
      {/each}
    </svg>
    {#each layout.drivers as { driver, y, classes, backends } (driver.id)}
      {#each backends as { card: one, y: at } (one.id)}
        {@const join = joinOf(one.id, driver.id)}
        {@render card('backend', one, 0, at, widths.backend, one.orphans ? plural(one.orphans, 'orphaned asset') : '')}
        {#if join}<p
            class="small absolute truncate text-center leading-tight {join.state === 'broken' ? 'text-brick' : 'quiet'}"
            style:left="{x.a}px"
            style:width="{widths.gapA}px"
            style:top="{(at + y) / 2 + (join.state === 'broken' ? 32 : 1)}px"
            title={join.says}
          >
            {join.says}
          </p>{/if}
      {/each}
      {@render card('driver', driver, x.b, y, widths.driver, driver.newer ? `${driver.newer} fits too` : '')}
      {#each classes as { card: one, y: at } (one.id)}
        {@const join = joinOf(driver.id, one.id)}
        {@render card('class', one, x.d, at, widths.class, '')}
        {#if join && join.state !== 'holds'}<p
            class="small absolute text-center leading-tight {join.state === 'broken' ? 'text-brick' : 'quiet'}"
            style:left="{x.c - 30}px"
            style:width="{widths.gapB + 60}px"
            style:top="{(at + y) / 2 + 32}px"
          >
            {join.says.length > 60 ? join.says.split(':')[0] : join.says}
          </p>{/if}
      {/each}
    {:else}
      <p class="quiet absolute top-10">Nothing stands on any rail yet.</p>
    {/each}
  </div>
</div>
