<script lang="ts">
  import type { ClaimInspection } from '$server/views/claims';
  import { doCall, notices } from '../call.svelte';
  import { gib, lineHref, shortClock } from '../format';
  import Peg from '../parts/Peg.svelte';
  import Removal from './Removal.svelte';

  interface Props {
    id: string;
    flag: { hue: number; weave: string };
    claim: ClaimInspection;
    onclose(): void;
  }
  let { id, flag, claim, onclose }: Props = $props();
  let growing = $state(false);
  let removing = $state(false);
  let size = $state('');
  const ref = $derived({ kind: 'PersistentVolumeClaim', namespace: claim.namespace, name: claim.name });
  const modeWords: Record<string, string> = {
    ReadWriteOnce: 'one node at a time',
    ReadWriteOncePod: 'one pod at a time',
    ReadWriteMany: 'many nodes',
    ReadOnlyMany: 'many nodes, to read'
  };

  async function grow(event: SubmitEvent) {
    event.preventDefault();
    const sent = await doCall('POST', `/rehearsals/${encodeURIComponent(id)}/grow`, {
      namespace: claim.namespace,
      name: claim.name,
      size: size.trim()
    });
    if (!sent) return;
    growing = false;
    notices.say(`${claim.name} was asked to grow to ${size.trim()}. Run the clock: normal 5–40 s; no member restarts.`);
  }
  const begin = () => {
    size = `${Math.round((claim.gotBytes ?? claim.askedBytes) / 2 ** 30) + 20}Gi`;
    growing = true;
  };
</script>

<aside class="border-l border-ink px-5 py-5" aria-label="The claim {claim.name}">
  <div class="flex items-baseline justify-between gap-2 border-b border-line pb-1">
    <h2 class="mono break-all">{claim.name}</h2>
    <button class="word small" onclick={onclose}>close</button>
  </div>
  {#snippet part(title: string)}<h3 class="quiet small mt-3">{title}</h3>{/snippet}
  {@render part('What was asked?')}
  <p>
    {gib(claim.askedBytes)}, {claim.modes.map((mode) => modeWords[mode] ?? mode).join(', ')}, class <span class="mono">{claim.class}</span>;
    since {claim.askedSince}
    {#if claim.sizes.length > 1}; was {claim.sizes.at(-2)?.size} until {shortClock(claim.sizes.at(-1)!.atMs)}{/if}
  </p>
  <hr class="mt-3 border-line" />
  {@render part('What answered?')}
  {#if claim.volume}
    <p>
      driver <span class="mono">{claim.driver}</span>, handle <span class="mono">{claim.handle}</span>, zone {claim.volumeZone || '–'}, {claim.fsType}
    </p>
    <p class="mono quiet mt-1 text-[0.72rem] break-all">{claim.volume}</p>
  {:else}<p>Nothing yet. {claim.sentence}</p>{/if}
  {#if claim.label === 'growing'}
    <hr class="mt-3 border-line" />
    {@render part('How far is the growth?')}
    <p><Peg state={claim.resizePending ? 'holds' : 'settling'} /> volume <Peg state="settling" /> file system {gib(claim.gotBytes ?? 0)}</p>
    <p class="quiet small">normal 5–40 s; the member keeps running</p>
  {/if}
  <hr class="mt-3 border-line" />
  {@render part('Who holds it?')}
  {#if claim.heldBy.length}
    <p>
      {#each claim.heldBy as pod (pod)}<a class="mono word" href={lineHref(id, { kind: 'Pod', namespace: claim.namespace, name: pod })}
          >{pod}</a
        >{' '}{/each}{claim.node ? `on ${claim.node}` : 'not placed yet'}{claim.attachedTo.length
        ? `; attached to ${claim.attachedTo.join(', ')}`
        : ''}
    </p>
  {:else}<p>Nobody. {claim.attachedTo.length ? `Still attached to ${claim.attachedTo.join(', ')}.` : ''}</p>{/if}
  {#if claim.stored}
    <p class="quiet small mt-1">{claim.stored.rows} rows in it, SHA-256 <span class="mono">{claim.stored.checksum.slice(0, 12)}…</span></p>
  {/if}
  <hr class="mt-3 border-line" />
  {@render part('What happens when it goes?')}
  <p>{claim.policy === 'Retain' ? 'Volume and data stay, and wait to be freed.' : 'The volume goes with it, and all data in it.'}</p>
  {#if growing}
    <form class="mt-4" onsubmit={grow}>
      <label class="block"
        >New size<input class="mono mt-1 w-full border border-ink bg-sheet px-2 py-1" bind:value={size} required pattern="\S+" /></label
      >
      <div class="mt-2 flex gap-2">
        <button class="push push-main">Send to {claim.namespace}</button><button
          type="button"
          class="push"
          onclick={() => (growing = false)}>Not now</button
        >
      </div>
    </form>
  {:else}
    <div class="mt-4 flex flex-wrap gap-2">
      {#if claim.grows && claim.gotBytes !== null}<button class="push" onclick={begin}>Grow</button>{/if}
      <a class="push" href={lineHref(id, ref)}>Root line</a>
      <button class="push push-grave" onclick={() => (removing = true)}>Take away</button>
    </div>
    {#if !claim.grows && claim.gotBytes !== null}<p class="quiet small mt-2">Its class doesn't let claims grow.</p>{/if}
  {/if}
</aside>

{#if removing}<Removal {id} {flag} {ref} onclose={() => (removing = false)} />{/if}
