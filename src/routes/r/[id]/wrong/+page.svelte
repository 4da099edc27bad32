<script lang="ts">
  import Peg from '$ui/parts/Peg.svelte';
  import Say from '$ui/parts/Say.svelte';
  import { sentenceShown } from '$ui/prefs.svelte';
  import { dateText, lineHref, plural } from '$ui/format';

  let { data } = $props();
  const view = $derived(data.wrong);
  const broken = $derived(view.items.filter((one) => one.state === 'broken'));
  const overdue = $derived(view.items.filter((one) => one.state === 'unseen'));
  const heading = $derived(
    broken.length
      ? `${broken.length === 1 ? 'One thing is' : `${broken.length} things are`} wrong here.`
      : overdue.length || view.unseen.length
        ? 'Nothing is seen to be broken; not everything can be told.'
        : 'Nothing in the export is broken.'
  );
  let open = $state<Record<number, boolean>>({});
  const few = 4;
  const itself = new Set(['Node', 'Namespace', 'Service', 'PersistentVolume']);
  /** Nodes and the like don't wait on anything: it is they that are not well. */
  const word = ({ waits, count, state }: (typeof view.items)[number]) =>
    waits.every((ref) => itself.has(ref.kind)) ? '' : state === 'unseen' ? 'overdue' : count === 1 ? 'waits' : 'wait';
</script>

<svelte:head><title>What is wrong here? · {data.cluster.name} · Root Barn</title></svelte:head>

{#snippet causes(items: typeof view.items, offset: number)}
  <ol class="mt-1">
    {#each items as one, i (one.joint + one.label + one.says)}
      {@const all = open[offset + i] ? one.waits : one.waits.slice(0, few)}
      <li class="grid grid-cols-[3.2rem_minmax(0,1fr)] gap-x-4 border-b border-line py-3">
        <p class="pt-0.5 text-right">
          <span class="text-xl font-semibold">{one.count}</span><br /><span class="quiet small">{word(one)}</span>
        </p>
        <div class="min-w-0">
          <p class="break-words">
            <Peg state={one.state} size={12} /> <b class="font-semibold">{one.title}</b>
            <span class="mono quiet break-all">{one.label === '–' ? '' : one.label}</span>
          </p>
          <p class="mt-0.5 break-words"><Say text={`${one.says}.`} /></p>
          {#if one.evidence?.event}
            <p class="small mt-1 border-l-2 border-line pl-2 break-words">
              <span class="quiet">{one.evidence.object.kind} {one.evidence.object.name} · {one.evidence.event.reason}</span><br />
              {sentenceShown(one.evidence.event.message)}{one.evidence.event.count > 1 ? ` (${one.evidence.event.count} times)` : ''}
            </p>
          {/if}
          <p class="small mt-1.5 flex flex-wrap gap-x-4 gap-y-1">
            {#each all as ref (ref.kind + ref.namespace + ref.name)}<a class="word break-all" href={lineHref(data.id, ref)}
                ><span class="quiet">{ref.kind}</span> <span class="mono">{ref.namespace ? `${ref.namespace}/` : ''}{ref.name}</span></a
              >{/each}
            {#if one.waits.length > all.length}<button class="word" onclick={() => (open[offset + i] = true)}
                >{one.count - all.length} more</button
              >{/if}
            {#if one.sinceMs !== undefined}<span class="quiet ml-auto whitespace-nowrap">since {dateText(one.sinceMs)}</span>{/if}
          </p>
        </div>
      </li>
    {/each}
  </ol>
{/snippet}

<div class="max-w-[66rem] px-[26px] py-5">
  <h1>{heading}</h1>
  <p class="quiet mt-1">
    {plural(view.looked, 'object')} looked at, as of {dateText(data.frame.clock.nowMs)} UTC. What is well isn't named. How far the export reaches,
    and what it therefore can't show, stands under <a class="word" href="/r/{encodeURIComponent(data.id)}/dump">What was read</a>.
  </p>
  {#if broken.length}
    <section class="mt-5">
      <h2 class="border-b border-ink pb-1">By cause, the one that most wait on first</h2>
      {@render causes(broken, 0)}
    </section>
  {/if}
  {#if overdue.length}
    <section class="mt-6">
      <h2 class="border-b border-ink pb-1">Overdue, and why is unseen</h2>
      {@render causes(overdue, broken.length)}
    </section>
  {/if}
  {#if view.unseen.length}
    <section class="mt-6">
      <h2 class="border-b border-ink pb-1">Can't be told from this export</h2>
      <ul>
        {#each view.unseen as one (one.ref.kind + one.ref.namespace + one.ref.name)}
          <li class="border-b border-line py-1.5">
            <Peg state="unseen" size={10} />
            <a class="word" href={lineHref(data.id, one.ref)}
              ><span class="quiet">{one.ref.kind}</span>
              <span class="mono break-all">{one.ref.namespace ? `${one.ref.namespace}/` : ''}{one.ref.name}</span></a
            >
            <span class="quiet break-words">{one.says}</span>
          </li>
        {/each}
      </ul>
    </section>
  {/if}
  {#if !broken.length && !overdue.length && !view.unseen.length}
    <p class="mt-5"><Peg state="holds" /> Whoever is in it is ready, bound or at its end, as far as the export shows.</p>
  {/if}
</div>
