<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import type { ClaimInspection } from '$server/views/claims';
  import { call, doCall, newDraft, notices } from '../call.svelte';
  import { gib, lineHref, plural, shortClock } from '../format';
  import Peg from '../parts/Peg.svelte';
  import FillCard from './FillCard.svelte';
  import Removal from './Removal.svelte';
  import Snapshots from './Snapshots.svelte';

  interface Props {
    id: string;
    cluster: { name: string; flag: { hue: number; weave: string } };
    claim: ClaimInspection;
    nowMs: number;
    onclose(): void;
  }
  let { id, cluster, claim, nowMs, onclose }: Props = $props();
  const still = $derived(page.data.cluster?.kind === 'dump');
  let asking = $state<'grow' | 'snapshot' | 'clone' | null>(null);
  let removing = $state(false);
  let damaging = $state(false);
  let size = $state('');
  let all = $state(false);
  let name = $state('');
  const base = $derived(`/r/${encodeURIComponent(id)}`);
  const ref = $derived({ kind: 'PersistentVolumeClaim' as const, namespace: claim.namespace, name: claim.name });
  const modeWords: Record<string, string> = {
    ReadWriteOnce: 'one node at a time',
    ReadWriteOncePod: 'one pod at a time',
    ReadWriteMany: 'many nodes',
    ReadOnlyMany: 'many nodes, to read'
  };
  const bound = $derived(claim.gotBytes !== null && claim.volume !== '');

  async function toDraft(title: string, text: string) {
    const draft = await newDraft(cluster.name, title, text);
    if (draft !== undefined) await goto(`${base}/drafts/${draft}`);
  }
  async function grow(event: SubmitEvent) {
    event.preventDefault();
    const wanted = size.trim();
    if (all && claim.set) {
      const query = { namespace: claim.namespace, set: claim.set.name, template: claim.set.template, size: wanted };
      const found = await call('GET', '/rehearsals/{id}/grow-set', { params: { id }, query });
      if (found.ok) await toDraft(`grow ${claim.set.name} to ${wanted}`, found.value.yaml);
      else notices.complain(found.trouble);
      return;
    }
    const sent = await doCall('POST', '/rehearsals/{id}/grow', {
      params: { id },
      body: { namespace: claim.namespace, name: claim.name, size: wanted }
    });
    if (!sent) return;
    asking = null;
    notices.say(`${claim.name} was asked to grow to ${wanted}. Run the clock: normal 5–40 s; no member restarts.`);
  }
  const sendYaml = (yaml: string) => doCall('POST', '/rehearsals/{id}/send', { params: { id }, body: yaml });
  async function snapshot(event: SubmitEvent) {
    event.preventDefault();
    const sent = await sendYaml(
      `apiVersion: snapshot.storage.k8s.io/v1\nkind: VolumeSnapshot\nmetadata: {name: ${JSON.stringify(name)}, namespace: ${claim.namespace}}\nspec: {source: {persistentVolumeClaimName: ${claim.name}}}\n`
    );
    if (!sent) return;
    asking = null;
    notices.say(`A snapshot of ${claim.name} was asked for. Run the clock: normal 2–30 s.`);
  }
  async function clone(event: SubmitEvent) {
    event.preventDefault();
    const sent = await sendYaml(
      `apiVersion: v1\nkind: PersistentVolumeClaim\nmetadata: {name: ${JSON.stringify(name)}, namespace: ${claim.namespace}}\nspec:\n  accessModes: [${claim.modes.join(', ')}]\n  storageClassName: ${JSON.stringify(claim.class)}\n  resources: {requests: {storage: ${claim.askedBytes}}}\n  dataSource: {kind: PersistentVolumeClaim, name: ${claim.name}}\n`
    );
    if (!sent) return;
    asking = null;
    notices.say(
      `${name} was asked for with the content of ${claim.name}; it is made when its first user is placed, where its class waits for one.`
    );
  }
  async function damage() {
    damaging = false;
    if (await doCall('POST', '/rehearsals/{id}/damage', { params: { id }, body: { namespace: claim.namespace, claim: claim.name } }))
      notices.say(`What lies in ${claim.name} was damaged. Its proofs will tell; put a snapshot in its place, or undo (u).`);
  }
  async function keep() {
    const found = await call('GET', '/rehearsals/{id}/objects', {
      params: { id },
      query: { kind: 'PersistentVolume', name: claim.volume }
    });
    if (!found.ok || !found.value.items[0]) return;
    const one = found.value.items[0] as { metadata: { name: string; annotations?: object }; spec: object };
    const text = JSON.stringify({
      apiVersion: 'v1',
      kind: 'PersistentVolume',
      metadata: { name: one.metadata.name, annotations: one.metadata.annotations },
      spec: { ...one.spec, persistentVolumeReclaimPolicy: 'Retain' }
    });
    if (await sendYaml(text)) notices.say(`${claim.name} is kept now: when it goes, volume and data stay.`);
  }
  function ask(what: NonNullable<typeof asking>) {
    size = `${Math.round((claim.gotBytes ?? claim.askedBytes) / 2 ** 30) + 20}Gi`;
    name = what === 'clone' ? `${claim.name}-copy` : `${claim.name}-${plainStamp(nowMs)}`;
    asking = what;
  }
  const plainStamp = (ms: number) => shortClock(ms).replaceAll(':', '-');
</script>

{#snippet part(title: string)}<hr class="mt-3 border-line" />
  <h3 class="quiet small mt-2">{title}</h3>{/snippet}
{#snippet buttons(word: string)}
  <div class="mt-2 flex gap-2">
    <button class="push push-main">{word}</button><button type="button" class="push" onclick={() => (asking = null)}>Not now</button>
  </div>
{/snippet}

<aside class="flex min-h-0 flex-col border-l border-ink" aria-label="The claim {claim.name}">
  <div class="min-h-0 flex-1 overflow-y-auto px-5 py-5">
    <div class="flex items-baseline justify-between gap-2">
      <h2 class="mono break-all">{claim.name}</h2>
      <button class="word small" onclick={onclose}>close</button>
    </div>
    {@render part('What was asked?')}
    <p>
      {gib(claim.askedBytes)}, {claim.modes.map((mode) => modeWords[mode] ?? mode).join(', ')}, class
      <span class="mono">{claim.class || '""'}</span>; since {claim.askedSince}{#if claim.sizes.length > 1}; was {claim.sizes.at(-2)?.size} until
        {shortClock(claim.sizes.at(-1)!.atMs)}{/if}{#if claim.source}; with the content of {claim.source}{/if}
    </p>
    {@render part('What answered?')}
    {#if claim.volume}
      <p>
        driver <span class="mono">{claim.driver}</span>, handle <span class="mono">{claim.handle}</span>{claim.volumeZone
          ? `, zone ${claim.volumeZone}`
          : ''}, {claim.fsType}{claim.encrypted ? ', encrypted' : ''}
      </p>
      <p class="mono quiet mt-1 text-[0.72rem] break-all">{claim.volume}</p>
    {:else}<p>Nothing yet. {claim.sentence}</p>{/if}
    {#if claim.growth}
      {@render part('How far is the growth?')}
      <p>
        <Peg state={claim.resizePending ? 'holds' : claim.growth.state} /> volume {gib(claim.askedBytes)} &nbsp; <Peg
          state={claim.resizePending ? 'settling' : 'waiting'}
        /> file system {gib(claim.gotBytes ?? 0)}
      </p>
      <p class="small {claim.growth.state === 'broken' ? 'text-brick' : 'quiet'}">
        {claim.growth.says}{claim.growth.state === 'settling' ? '; normal 5–40 s, the member keeps running' : ''}
      </p>
    {/if}
    {@render part('Who holds it?')}
    {#if claim.heldBy.length}
      <p>
        {#each claim.heldBy.slice(0, 6) as pod (pod)}<a
            class="mono word"
            href={lineHref(id, { kind: 'Pod', namespace: claim.namespace, name: pod })}>{pod}</a
          >{' '}{/each}{claim.heldBy.length > 6 ? `and ${claim.heldBy.length - 6} more ` : ''}{claim.nodes.length
          ? `on ${claim.nodes.slice(0, 4).join(', ')}`
          : 'not placed yet'}{claim.attachedTo.length ? `; attached to ${claim.attachedTo.join(', ')}` : ''}
      </p>
    {:else}<p>Nobody. {claim.attachedTo.length ? `Still attached to ${claim.attachedTo.join(', ')}.` : ''}</p>{/if}
    {#if claim.stored}
      <p class="small mt-1 {claim.stored.sound ? 'quiet' : 'text-brick'}">
        {plural(claim.stored.rows, 'row')} in it, SHA-256 <span class="mono">{claim.stored.checksum.slice(0, 12)}…</span>{claim.stored.sound
          ? ''
          : ', and what lies there does not agree with it: damaged'}
      </p>
    {/if}
    {#if claim.filling}
      {@render part('When will it be full?')}
      <FillCard filling={claim.filling} name={claim.name} />
    {:else if claim.elastic}
      {@render part('When will it be full?')}
      <p>Never: shared files are elastic, so there is no size to reach.</p>
    {/if}
    {#if claim.snapshots.length || claim.takesSnapshots}
      {@render part('What can be brought back?')}
      <Snapshots {id} {claim} flag={cluster.flag} onrestore={toDraft} />
    {/if}
    {@render part('What happens when it goes?')}
    <p>
      {claim.policy === 'Retain' ? 'Volume and data stay, and wait to be freed.' : 'The volume goes with it, and all data in it.'}
      {#if !still && claim.policy === 'Delete' && claim.volume}<button class="word" onclick={keep}>Keep it instead</button>{/if}
    </p>
  </div>
  <div class="shrink-0 border-t border-ink px-5 py-3">
    {#if still}
      <p class="small">
        <a class="push" href={lineHref(id, ref)}>Root line</a>
        <span class="quiet ml-2"
          >A dump can be looked at only. <a class="word" href="{base}/rehearse">Rehearse from here</a> to grow, copy or restore it.</span
        >
      </p>
    {:else if asking === 'grow'}
      <form onsubmit={grow}>
        <label class="block"
          >New size<input class="mono mt-1 w-full border border-ink bg-sheet px-2 py-1" bind:value={size} required pattern="\S+" /></label
        >
        {#if claim.set}
          <label class="mt-2 flex items-start gap-2"
            ><input class="mt-1" type="checkbox" bind:checked={all} /><span
              >all {claim.set.claims.length} claims of <span class="mono">{claim.set.name}</span>, and its template: a draft with the steps</span
            ></label
          >
        {/if}
        {#if claim.growsAgain}<p class="small mt-1 text-ochre">
            It has grown lately; the backend takes the next growth from {shortClock(claim.growsAgain)} on.
          </p>{/if}
        {@render buttons(all ? 'Put in a draft' : `Send to ${cluster.name}`)}
      </form>
    {:else if asking === 'snapshot' || asking === 'clone'}
      <form onsubmit={asking === 'snapshot' ? snapshot : clone}>
        <label class="block"
          >{asking === 'snapshot' ? 'Name of the snapshot' : 'Name of the new claim'}<input
            class="mono mt-1 w-full border border-ink bg-sheet px-2 py-1"
            bind:value={name}
            required
            pattern="\S+"
          /></label
        >
        {@render buttons(`Send to ${cluster.name}`)}
      </form>
    {:else if damaging}
      <p>Damage what lies in it, to see what notices and what brings it back? It can be undone.</p>
      <div class="mt-2 flex gap-2">
        <button class="push push-grave" onclick={damage}>Damage it</button><button class="push" onclick={() => (damaging = false)}
          >Not now</button
        >
      </div>
    {:else}
      <div class="flex flex-wrap gap-2">
        {#if claim.grows && bound}<button class="push" onclick={() => ask('grow')}>Grow</button>{/if}
        {#if claim.takesSnapshots}<button class="push" onclick={() => ask('snapshot')}>Snapshot</button><button
            class="push"
            onclick={() => ask('clone')}>Copy</button
          >{/if}
        <a class="push" href={lineHref(id, ref)}>Root line</a>
        {#if claim.stored}<button class="push" onclick={() => (damaging = true)}>Damage</button>{/if}
        <button class="push push-grave" onclick={() => (removing = true)}>Take away</button>
      </div>
      {#if !claim.grows && bound && !claim.elastic}<p class="quiet small mt-2">
          It doesn't grow: its class says no, or its driver can't. <a
            class="word"
            href="{base}/supply?class={encodeURIComponent(claim.class)}">See the class</a
          >; a copy into a larger claim is the way round.
        </p>{/if}
    {/if}
  </div>
</aside>

{#if removing}<Removal {id} flag={cluster.flag} {ref} onclose={() => (removing = false)} />{/if}
