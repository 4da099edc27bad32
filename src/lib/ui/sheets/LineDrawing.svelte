<script lang="ts">
  import type { Trunk } from '$core/rootline';
  import Flag from '../parts/Flag.svelte';
  import { stateColours } from '../parts/state-colours';
  import { sentenceShown } from '../prefs.svelte';
  import { plural } from '../format';
  import { worstFirst, type LineRow, type ShownJoint } from './line-rows';

  interface Props {
    /** From the root up. */
    rows: readonly LineRow[];
    trunks: readonly Trunk[];
    firstBreak: string | null;
    chosen: string | undefined;
    /** Flags of the clusters that members stand in, where there are several. */
    flags?: Readonly<Record<string, { hue: number; weave: string }>>;
    onchoose(id: string): void;
  }
  let { rows, trunks, firstBreak, chosen, flags = {}, onchoose }: Props = $props();
  /** Neighbouring trunks of one cluster, under its flag. */
  const groups = $derived.by(() => {
    const found: { cluster: string; from: number; to: number }[] = [];
    for (const trunk of drawn) {
      const cluster = trunks[trunk]?.cluster;
      if (cluster === undefined) continue;
      const last = found.at(-1);
      if (last?.cluster === cluster) last.to = trunk;
      else found.push({ cluster, from: trunk, to: trunk });
    }
    return found;
  });

  const rowHeight = $derived(rows.length > 12 ? 34 : rows.length > 9 ? 38 : 46);
  const mostTrunks = 8;
  const drawn = $derived(
    trunks.length <= mostTrunks ? trunks.map((_, i) => i) : [...Array.from({ length: mostTrunks - 1 }, (_, i) => i), trunks.length - 1]
  );
  /** Joints of one member side by side, at the most: one for each of its claims. */
  const mostTwins = $derived(
    Math.max(
      1,
      ...rows.flatMap((row) => row.joints.map((one) => row.joints.filter((two) => two.trunks.join() === one.trunks.join()).length))
    )
  );
  const twinGap = 18;
  const narrowWidth = $derived(drawn.length === 1 ? 120 : Math.min(280, 60 + drawn.length * 62));
  /** Whether the joints of a member's claims find room beside each other; else they are drawn as one bundle until somebody opens it. */
  const tight = $derived(
    mostTwins > 1 && (mostTwins * twinGap > (narrowWidth - 48) / Math.max(1, drawn.length - 1) || mostTwins * twinGap > narrowWidth)
  );
  let opened = $state(false);
  const bundled = $derived(tight && !opened);
  const width = $derived(tight && opened ? drawn.length * (mostTwins * twinGap + 14) + 48 : narrowWidth);
  const top = 30;
  const height = $derived(top + rows.length * rowHeight + 40);
  const trunkX = (trunk: number) => {
    const at = drawn.indexOf(trunk);
    return drawn.length === 1 ? width / 2 : 24 + (at * (width - 48)) / (drawn.length - 1);
  };
  const rowY = (index: number) => top + (rows.length - 1 - index) * rowHeight + rowHeight / 2;

  interface Node {
    joint: ShownJoint;
    x: number;
    y: number;
    row: number;
    /** So many joints are drawn as this one. */
    count: number;
  }
  const nodes = $derived(
    rows.flatMap((row, r) =>
      row.joints.flatMap((joint): Node[] => {
        const mine = joint.trunks.filter((one) => drawn.includes(one));
        if (!mine.length) return [];
        const twins = row.joints.filter((other) => other.trunks.join() === joint.trunks.join());
        if (bundled && twins.length > 1) {
          const worst = [...twins].sort((a, b) => worstFirst.indexOf(a.state) - worstFirst.indexOf(b.state))[0];
          if (joint !== worst) return [];
          return [{ joint, x: mine.reduce((sum, one) => sum + trunkX(one), 0) / mine.length, y: rowY(r), row: r, count: twins.length }];
        }
        const shift = (twins.indexOf(joint) - (twins.length - 1) / 2) * twinGap;
        return [{ joint, count: 1, x: mine.reduce((sum, one) => sum + trunkX(one), 0) / mine.length + shift, y: rowY(r), row: r }];
      })
    )
  );

  interface Link {
    key: string;
    d: string;
    kind: 'solid' | 'gap' | 'dotted';
  }
  /** For each trunk the way from joint to joint; ways that members share are drawn once. */
  const links = $derived.by(() => {
    const found = new Map<string, Link>();
    for (const trunk of drawn) {
      let below: Node[] = [];
      let passed = false;
      rows.forEach((_, r) => {
        const here = nodes.filter((node) => node.row === r && node.joint.trunks.includes(trunk));
        if (!here.length) return;
        for (const from of below) {
          for (const to of here) {
            const broken = from.joint.state === 'broken' || to.joint.state === 'broken';
            const solid = !passed && from.joint.state === 'holds' && to.joint.state !== 'waiting' && !broken;
            const key = `${from.x},${from.y},${to.x},${to.y}`;
            const straight = Math.abs(from.x - to.x) < 1;
            const m = (from.y + to.y) / 2;
            const d = straight
              ? `M${from.x} ${from.y - 8}V${to.y + 8}`
              : `M${from.x} ${from.y - 8}C${from.x} ${m} ${to.x} ${m} ${to.x} ${to.y + 8}`;
            found.set(key, { key, d, kind: broken && !passed && from.joint.state === 'holds' ? 'gap' : solid ? 'solid' : 'dotted' });
          }
        }
        if (here.some((node) => node.joint.state === 'broken')) passed = true;
        below = here;
      });
    }
    return [...found.values()];
  });
  const spread = $derived(drawn.length > 1 ? Math.min(24, (0.45 * (width - 48)) / (drawn.length - 1)) : 52);
  const roots = $derived(nodes.filter((node) => node.row === 0));
</script>

{#if groups.length}
  <div class="relative h-[26px]" style:width="{width}px" aria-hidden="true">
    {#each groups as one (one.from)}
      <div
        class="absolute top-0 overflow-hidden"
        style:left="{Math.max(0, trunkX(one.from) - 28)}px"
        style:width="{trunkX(one.to) - trunkX(one.from) + 56}px"
        title={one.cluster}
      >
        {#if flags[one.cluster]}<Flag flag={flags[one.cluster]!} class="h-[6px]" />{/if}
        <span class="small block truncate text-center">{one.cluster}</span>
      </div>
    {/each}
  </div>
{/if}
<div class="grid overflow-x-auto" style:grid-template-columns="{width}px minmax(230px,1fr)">
  <svg {width} {height} aria-hidden="true" class="block">
    {#each drawn as trunk (trunk)}
      <text x={trunkX(trunk)} y="16" text-anchor="middle" class="mono" font-size="12" fill="var(--color-ink)"
        >{trunks.length > 1 ? trunks[trunk]?.label : ''}</text
      >
    {/each}
    {#each links as one (one.key)}
      <path
        d={one.d}
        fill="none"
        stroke={one.kind === 'dotted' ? 'var(--color-quiet)' : 'var(--color-ink)'}
        stroke-width={one.kind === 'dotted' ? 2.4 : 6}
        stroke-dasharray={one.kind === 'dotted' ? '2.4 5' : one.kind === 'gap' ? '8 30' : undefined}
      />
    {/each}
    {#each roots as node (node.x + node.joint.label)}
      <g fill="none" stroke="var(--color-ink)" stroke-linecap="round">
        <path d="M{node.x} {node.y + 8}V{node.y + 44}" stroke-width="5" />
        <path
          d="M{node.x} {node.y + 16}C{node.x} {node.y + 32} {node.x - spread * 0.65} {node.y + 26} {node.x - spread} {node.y + 46}"
          stroke-width="3"
        />
        <path
          d="M{node.x} {node.y + 16}C{node.x} {node.y + 32} {node.x + spread * 0.65} {node.y + 26} {node.x + spread} {node.y + 46}"
          stroke-width="3"
        />
      </g>
    {/each}
    {#each nodes as node, i (i)}
      {#if node.count > 1}<text x={node.x + 10} y={node.y + 4} class="mono" font-size="10" fill="var(--color-quiet)">×{node.count}</text
        >{/if}
      <g transform="translate({node.x - 7} {node.y - 7})" color={stateColours[node.joint.state]}>
        <rect x="-2" y="-2" width="18" height="18" fill="var(--color-sheet)" stroke="none" />
        {#if node.joint.state === 'holds'}<rect width="14" height="14" fill="currentColor" />
        {:else if node.joint.state === 'settling'}<rect
            x="0.8"
            y="0.8"
            width="12.4"
            height="12.4"
            fill="none"
            stroke="currentColor"
            stroke-width="1.6"
          /><path d="M1 1H13L1 13Z" fill="currentColor" />
        {:else if node.joint.state === 'broken'}
          <path d="M4 1H1V13H13V1H10" fill="none" stroke="currentColor" stroke-width="2.4" /><path
            d="M-16 7H30"
            stroke="currentColor"
            stroke-width="3"
          />
        {:else if node.joint.state === 'waiting'}<rect
            x="0.7"
            y="0.7"
            width="12.6"
            height="12.6"
            fill="none"
            stroke="currentColor"
            stroke-width="1.3"
          />
        {:else}<rect
            x="0.8"
            y="0.8"
            width="12.4"
            height="12.4"
            fill="none"
            stroke="currentColor"
            stroke-width="1.5"
            stroke-dasharray="2 2"
          />{/if}
      </g>
    {/each}
  </svg>
  <ol reversed style:padding-top="{top}px" aria-label="Joints, the top one first">
    {#each [...rows].reverse() as row (row.id)}
      <li style:height="{rowHeight}px">
        <button
          class="block h-full w-full overflow-hidden px-3 text-left {chosen === row.id
            ? row.id === firstBreak
              ? 'bg-[color-mix(in_oklab,var(--color-brick)_11%,var(--color-sheet))]'
              : 'bg-tape'
            : 'hover:bg-tape'}"
          aria-pressed={chosen === row.id}
          onclick={() => onchoose(row.id)}
        >
          <span class="flex items-baseline leading-[1.25]">
            <span class="w-[104px] shrink-0 font-semibold {row.id === firstBreak ? 'text-brick' : ''}"
              >{row.title}<span class="sr-only"> {row.state}</span></span
            >
            <span class="mono truncate text-[0.82rem]">{row.label}</span>
          </span>
          <span class="quiet block truncate text-[0.76rem] leading-[1.25]">{sentenceShown(row.says)}</span>
        </button>
      </li>
    {/each}
  </ol>
</div>
{#if tight}<p class="mt-1">
    <button class="word small" aria-expanded={opened} onclick={() => (opened = !opened)}
      >{opened ? 'bundle the claims of each member' : `open the bundles: ${plural(mostTwins, 'claim')} a member`}</button
    >
  </p>{/if}
{#if trunks.length > mostTrunks}<p class="quiet small mt-1">
    {drawn.length} of {trunks.length} members are drawn; the rows speak of all.
  </p>{/if}
