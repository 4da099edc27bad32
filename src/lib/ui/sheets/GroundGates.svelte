<script lang="ts">
  import { goto } from '$app/navigation';
  import type { GroundView } from '$server/views/ground';
  import { remedyDraft } from '../call.svelte';
  import { clockText } from '../format';
  import Flag from '../parts/Flag.svelte';
  import Peg from '../parts/Peg.svelte';
  import { addressShown, prefs } from '../prefs.svelte';

  interface Props {
    view: GroundView;
    cluster: { name: string; flag: { hue: number; weave: string } };
    id: string;
  }
  let { view, cluster, id }: Props = $props();
  const confirmed = $derived(prefs.confirmed.includes(cluster.name));
  const whole = (bytes: number) => Math.floor(bytes / 2 ** 30).toLocaleString('en');
  const base = $derived(`/r/${encodeURIComponent(id)}`);
  const weakest = $derived(view.pool ? [...view.pool.afterNode].sort((a, b) => a.usableBytes - b.usableBytes)[0] : undefined);

  async function draft(gate: string) {
    const draftId = await remedyDraft(id, cluster.name, { ground: gate });
    if (draftId !== undefined) await goto(`${base}/drafts/${draftId}`);
  }
</script>

<aside class="border-l border-line px-5 py-6" aria-label="Gates of the ground">
  <h2 class="mb-3">Gates</h2>
  <ul class="grid gap-3">
    <li class="flex items-start gap-2">
      <span class="mt-[4px] flex"><Peg state={confirmed ? 'holds' : 'unseen'} size={11} /></span>
      <span>
        Right cluster<br />
        {#if confirmed}<span class="quiet small">flag and name confirmed</span>
        {:else}
          <span class="quiet small mb-1 flex items-center gap-2"
            ><Flag flag={cluster.flag} class="inline-block h-[12px] w-[30px]" /><span>is this <b class="text-ink">{cluster.name}</b>?</span
            ></span
          >
          <button class="push small" onclick={() => prefs.confirm(cluster.name)}>Yes, this one</button>
        {/if}
      </span>
    </li>
    {#each view.gates as gate (gate.id)}
      <li class="flex items-start gap-2">
        <span class="mt-[4px] flex"><Peg state={gate.state} size={11} /></span>
        <span class="min-w-0">
          {gate.title}<br /><span class="small {gate.state === 'broken' ? 'text-brick' : 'quiet'}">{gate.says}</span>
          {#if gate.remedy && gate.state === 'broken'}
            <span class="small block">{gate.remedy.text}</span>
            {#if gate.remedy.draft}<button class="push small mt-1" onclick={() => draft(gate.id)}>Put in a draft</button>{/if}
          {/if}
        </span>
      </li>
    {/each}
  </ul>
  {#if view.pool}
    <h2 class="mt-6 mb-2">If a node is lost</h2>
    <dl class="small grid grid-cols-[1fr_auto] gap-y-1">
      <dt class="quiet">holds now, {view.pool.copies} copies</dt>
      <dd class="text-right">{whole(view.pool.usableBytes)} GiB</dd>
      {#if weakest}<dt class="quiet">without {weakest.lost}</dt>
        <dd class="text-right">{whole(weakest.usableBytes)} GiB</dd>{/if}
      {#each view.pool.afterZone as one (one.lost)}
        <dt class="quiet">without zone {one.lost}{one.survives ? '' : ' (data lost)'}</dt>
        <dd class="text-right {one.survives ? '' : 'text-brick'}">{whole(one.usableBytes)} GiB</dd>
      {/each}
    </dl>
    {#each view.pool.lost as one (`${one.node} ${one.disk ?? ''}`)}
      <p class="small mt-2 flex items-start gap-2">
        <span class="mt-[3px] flex"><Peg state={one.healed ? 'holds' : view.pool.copies === 1 ? 'broken' : 'settling'} size={10} /></span
        ><span
          >{one.disk ?? one.node} lost at {clockText(one.atMs)}:
          {#if view.pool.copies === 1}the {whole(one.bytes)} GiB there lay nowhere else{:else}{whole(one.bytes)} GiB of copies {one.healed
              ? 'made anew by'
              : 'will be made anew by'}
            {clockText(one.doneMs)}, in {Math.round((one.doneMs - one.atMs) / 60_000)} min{/if}</span
        >
      </p>
    {/each}
    {#if !view.pool.name}<p class="small mt-2"><a class="word" href="{base}/supply?driver=pool.standin.example">Build the pool</a></p>{/if}
  {/if}
  {#if view.ranges}
    <h2 class="mt-6 mb-2">The place</h2>
    <dl class="small grid grid-cols-[4.5rem_1fr] gap-y-1">
      {#each [['pods', view.ranges.pods], ['services', view.ranges.services], ['nodes', view.ranges.nodes]] as [name, range] (name)}
        <dt class="quiet">{name}</dt>
        <dd class="mono">{addressShown(range ?? '')}</dd>
      {/each}
      <dt class="quiet">domain</dt>
      <dd class="mono">{view.ranges.domain}</dd>
      <dt class="quiet">pulls</dt>
      <dd>
        {view.pulls === 'any'
          ? 'from any registry'
          : `only from ${
              view.registries
                .filter((one) => one.reachable)
                .map((one) => one.host)
                .join(', ') || 'nowhere'
            }`}
      </dd>
      {#if view.version}<dt class="quiet">version</dt>
        <dd>{view.version}</dd>{/if}
    </dl>
    <p class="small mt-3 flex flex-wrap gap-x-4 gap-y-1">
      <a class="word" href="{base}/ground/document" download="{cluster.name}.ground.yaml">Export as a document</a>
      <a class="word" href="/layout?from={encodeURIComponent(cluster.name)}">Lay out another like it</a>
    </p>
  {/if}
</aside>
