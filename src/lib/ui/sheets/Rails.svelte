<script lang="ts">
  import type { SupplyView } from '$server/views/supply';
  import Peg from '../parts/Peg.svelte';

  interface Props {
    view: SupplyView;
    chosen: string | undefined;
    onchoose(id: string): void;
  }
  let { view, chosen, onchoose }: Props = $props();

  const row = 76;
  const widths = { backend: 278, gapA: 94, driver: 250, gapB: 96, class: 318 };
  /** Drivers stand in the middle of their classes; backends beside their driver. */
  const layout = $derived.by(() => {
    let next = 0;
    const drivers = view.drivers.map((driver) => {
      const classes = view.classes.filter((one) => one.driver === driver.id);
      const backends = view.backends.filter((one) => one.driver === driver.id);
      const height = Math.max(1, classes.length, backends.length);
      const top = next;
      next += height;
      const spread = (count: number, i: number) => (top + (height - count) / 2 + i) * row + 46;
      return {
        driver,
        y: spread(1, 0),
        classes: classes.map((card, i) => ({ card, y: spread(classes.length, i) })),
        backends: backends.map((card, i) => ({ card, y: spread(backends.length, i) }))
      };
    });
    return { drivers, height: Math.max(1, next) * row + 16 };
  });
  const x = {
    a: widths.backend,
    b: widths.backend + widths.gapA,
    c: widths.backend + widths.gapA + widths.driver,
    d: widths.backend + widths.gapA + widths.driver + widths.gapB
  };
  const full = x.d + widths.class;
  const joinOf = (from: string, to: string) => view.joins.find((one) => one.from === from && one.to === to);
  const curve = (x1: number, y1: number, x2: number, y2: number) =>
    `M${x1} ${y1}C${(x1 + x2) / 2} ${y1} ${(x1 + x2) / 2} ${y2} ${x2} ${y2}`;
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

<div class="overflow-x-auto">
  <div class="relative mt-2" style:width="{full}px" style:height="{layout.height}px">
    <p class="quiet small absolute top-0 left-0">Backends</p>
    <p class="quiet small absolute top-0" style:left="{x.b}px">Drivers</p>
    <p class="quiet small absolute top-0" style:left="{x.d}px">Classes</p>
    <svg class="absolute inset-0" width={full} height={layout.height} aria-hidden="true">
      {#each layout.drivers as { driver, y, classes, backends } (driver.id)}
        <path d="M{x.b} {y + 22}H{x.c}" stroke="var(--color-quiet)" stroke-width="1.5" />
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
      {#each backends as { card, y: at } (card.id)}
        {@const join = joinOf(card.id, driver.id)}
        <div id={card.id} class="absolute" style:left="0" style:top="{at - 22}px" style:width="{widths.backend}px">
          <p class="flex items-center gap-2 font-semibold"><Peg state={card.state} />{card.id}</p>
          <p class="quiet small truncate" title={card.says}>{card.says}</p>
        </div>
        {#if join}<p
            class="small absolute truncate text-center leading-tight {join.state === 'broken' ? 'text-brick' : 'quiet'}"
            style:left="{x.a}px"
            style:width="{widths.gapA}px"
            style:top="{(at + y) / 2 + (join.state === 'broken' ? 32 : 1)}px"
            title={join.says}
          >
            {join.state === 'broken' ? join.says : 'rights hold'}
          </p>{/if}
      {/each}
      <div id={driver.id} class="absolute" style:left="{x.b}px" style:top="{y - 22}px" style:width="{widths.driver}px">
        <p class="mono flex items-center gap-2 text-[0.9rem] font-semibold"><Peg state={driver.state} label={driver.says} />{driver.id}</p>
        <p class="small {driver.state === 'broken' ? 'text-brick' : 'quiet'}">{driver.says}</p>
      </div>
      {#each classes as { card, y: at } (card.id)}
        {@const join = joinOf(driver.id, card.id)}
        <button
          id={card.id}
          class="absolute text-left {chosen === card.id ? 'bg-tape' : 'hover:bg-tape'}"
          style:left="{x.d}px"
          style:top="{at - 22}px"
          style:width="{widths.class}px"
          onclick={() => onchoose(card.id)}
          aria-pressed={chosen === card.id}
        >
          <span class="mono flex items-center gap-2 text-[0.9rem] font-semibold"><Peg state={card.state} />{card.id}</span>
          <span class="quiet small">{card.says}</span>
        </button>
        {#if join && join.state !== 'holds'}<p
            class="small absolute text-center leading-tight {join.state === 'broken' ? 'text-brick' : 'quiet'}"
            style:left="{x.c - 30}px"
            style:width="{widths.gapB + 60}px"
            style:top="{(at + y) / 2 + 32}px"
          >
            {join.says.split(':')[0]}
          </p>{/if}
      {/each}
    {:else}
      <p class="quiet absolute top-10">Nothing stands on any rail yet.</p>
    {/each}
  </div>
</div>
