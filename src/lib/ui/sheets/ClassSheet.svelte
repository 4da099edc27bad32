<script lang="ts">
  import type { SupplyView } from '$server/views/supply';
  import type { KeptTrial } from '$server/repositories/trials';
  import { gib, plural } from '../format';
  import Curve from '../parts/Curve.svelte';
  import Peg from '../parts/Peg.svelte';
  import { page } from '$app/state';
  import Removal from './Removal.svelte';

  type Card = SupplyView['classes'][number];
  interface Props {
    card: Card;
    /** The classes laid beside it, if any. */
    beside: readonly Card[];
    others: readonly string[];
    trial: KeptTrial | undefined;
    id: string;
    busy: boolean;
    ontry(name: string, where: 'fork' | 'trunk'): void;
    onbeside(names: string[]): void;
    /** The class was taken away. */
    ongone(): void;
  }
  let { card, beside, others, trial, id, busy, ontry, onbeside, ongone }: Props = $props();
  let removing = $state(false);
  const still = $derived(page.data.cluster?.kind === 'dump');
  const shown = $derived([card, ...beside]);
  const narrow = $derived(shown.length > 1);
  const free = $derived(others.filter((one) => !shown.some((two) => two.id === one)));
  const kilo = (value: number) => (value >= 1_000 ? `${value / 1_000}k` : String(value));

  /** The node's own ceiling, for all its volumes together. */
  function ceilingOf(one: Card, value: number | undefined) {
    if (value === undefined) return [];
    const ends = [1, one.curve.at(-1)?.gib ?? 1];
    return [{ label: "the node's own ceiling", dashed: true, colour: 'ochre' as const, points: ends.map((x) => ({ x, y: value })) }];
  }
  function lines(one: Card) {
    const points = one.curve.map((point) => ({ x: point.gib, y: point.iops }));
    return [{ label: 'IOPS of one volume', points, colour: 'ink' as const }, ...ceilingOf(one, one.ceiling?.iops)];
  }
  function flow(one: Card) {
    const points = one.curve.map((point) => ({ x: point.gib, y: point.mbps }));
    return [{ label: 'MB/s of one volume', points, colour: 'moss' as const }, ...ceilingOf(one, one.ceiling?.mbps)];
  }
</script>

{#snippet lists(one: Card)}
  <div>
    <h3 class="mb-1 font-semibold">Will</h3>
    {#each one.traits.will as word (word)}<p>{word}</p>{/each}
  </div>
  <div>
    <h3 class="mb-1 font-semibold">Won't</h3>
    {#each one.traits.wont as word (word)}<p>{word}</p>{/each}
  </div>
{/snippet}

{#snippet performance(one: Card)}
  <div class="min-w-0">
    {#if one.curve.length > 1}
      <h3 class="quiet small">
        IOPS by size, GiB{one.ceiling ? `; dashed: the node's own ceiling, ${one.ceiling.iops.toLocaleString('en')}` : ''}
      </h3>
      <Curve label="IOPS by size of {one.id}" lines={lines(one)} xTicks={(v) => v.toLocaleString('en')} yTicks={kilo} height={92} />
      <h3 class="quiet small">throughput, MB/s{one.ceiling ? `; the node: ${one.ceiling.mbps.toLocaleString('en')}` : ''}</h3>
      <Curve
        label="Throughput by size of {one.id}"
        lines={flow(one)}
        xTicks={(v) => v.toLocaleString('en')}
        yTicks={(v) => v.toLocaleString('en')}
        height={78}
      />
    {:else}<p class="quiet small">
        Its backend says nothing of speed{one.ceiling
          ? `; a node does ${one.ceiling.iops.toLocaleString('en')} IOPS over all its volumes`
          : ''}.
      </p>{/if}
  </div>
{/snippet}

{#snippet head(one: Card)}
  <h2 class="mono break-all">{one.id}</h2>
  <p class="quiet">
    {plural(one.claims, 'claim')}{one.bytes ? ` · ${gib(one.bytes)}` : ''}{one.claims > one.bound
      ? `, ${one.claims - one.bound} not bound`
      : ''}
  </p>
  {#if one.claims}<p>
      <a class="word small" href="/r/{encodeURIComponent(id)}/claims?class={encodeURIComponent(one.id)}">its claims</a>
    </p>{/if}
{/snippet}

{#if narrow}
  <section
    class="mt-3 grid gap-x-6 border-t border-ink pt-3"
    style:grid-template-columns="repeat({shown.length}, minmax(0, 1fr))"
    aria-label="Classes side by side"
  >
    {#each shown as one, i (one.id)}
      <div class={i ? 'border-l border-line pl-5' : ''}>
        {@render head(one)}
        {#if i}<button class="word small" onclick={() => onbeside(beside.filter((two) => two.id !== one.id).map((two) => two.id))}
            >leave out</button
          >{/if}
        <p class="quiet small">{one.driver} · {one.fsType}</p>
        <div class="mt-2 grid gap-3">
          <div class="grid gap-x-5 gap-y-3 {shown.length === 2 ? 'grid-cols-2' : ''}">{@render lists(one)}</div>
          {@render performance(one)}
        </div>
      </div>
    {/each}
  </section>
{:else}
  <section
    class="mt-3 grid grid-cols-[218px_1fr_1fr_1.35fr] gap-x-6 border-t border-ink pt-3 max-[1000px]:grid-cols-2 max-[700px]:grid-cols-1"
    aria-label="The class {card.id}"
  >
    <div>
      {@render head(card)}
      <div class="mt-2 flex flex-wrap gap-2">
        <button class="push" disabled={busy || still} onclick={() => ontry(card.id, 'fork')}>{busy ? 'trying …' : 'Try it'}</button>
        <button
          class="push"
          disabled={busy || still}
          onclick={() => ontry(card.id, 'trunk')}
          title="The same actions are taken on this rehearsal itself">Try it here</button
        >
        {#if !still}<button class="push push-grave" onclick={() => (removing = true)}>Take away</button>{/if}
      </div>
      {#if still}<p class="quiet small mt-2">Nothing can be tried on a dump. Rehearse from here, and try it there.</p>{/if}
      {#each card.gates.filter((one) => one.state === 'broken') as gate (gate.joint)}<p class="small mt-2 text-brick">
          {gate.title}: {gate.says}
        </p>{/each}
    </div>
    {@render lists(card)}
    {@render performance(card)}
  </section>
{/if}
{#if free.length && shown.length < 4}
  <p class="small mt-3">
    <label
      >Compare with
      <select
        class="border-b border-ink bg-sheet"
        value=""
        onchange={(event) => onbeside([...beside.map((one) => one.id), event.currentTarget.value])}
      >
        <option value="" disabled>another class</option>
        {#each free as name (name)}<option value={name}>{name}</option>{/each}
      </select></label
    >
  </p>
{/if}
{#if trial && !narrow}
  <section class="mt-4 border-t border-line pt-2" aria-label="Evidence of the trial of {card.id}">
    <h2 class="flex items-center gap-2">
      <Peg state={trial.state} />{trial.says}
      <span class="quiet small font-normal">tried on {trial.where === 'fork' ? 'a fork of this moment' : 'this rehearsal itself'}</span>
    </h2>
    <table class="table-plain">
      <thead><tr><th>Asked</th><th>Expected</th><th>Came</th></tr></thead>
      <tbody>
        {#each trial.checks as one (one.asked)}
          <tr>
            <td><Peg state={one.ok ? 'holds' : 'broken'} size={10} /> {one.asked}</td>
            <td class="quiet">{one.expected}</td>
            <td>{one.got}</td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
{/if}
{#if removing}<Removal
    {id}
    flag={page.data.cluster.flag}
    ref={{ kind: 'StorageClass', namespace: '', name: card.id }}
    onclose={() => (removing = false)}
    onremoved={ongone}
  />{/if}
