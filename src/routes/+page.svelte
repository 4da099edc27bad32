<script lang="ts">
  import { untrack } from 'svelte';
  import { goto, invalidate } from '$app/navigation';
  import { call, doCall, notices } from '$ui/call.svelte';
  import NoticeLine from '$ui/frame/NoticeLine.svelte';
  import Flag from '$ui/parts/Flag.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import Say from '$ui/parts/Say.svelte';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import { pageKey } from '$ui/frame/page-keys';
  import { dateText, lineHref, plural } from '$ui/format';
  import { Follower } from '$ui/follow';
  import { watchLive } from '$ui/live';

  let { data } = $props();
  let keys = $state(false);
  let chosen = $state(0);

  const most = $derived(Math.max(1, ...data.clusters.map((one) => one.totalBytes)));
  const broken = $derived(data.clusters.filter((one) => one.broken && !one.fault));
  const sum = (pick: (one: (typeof data.clusters)[number]) => number) => data.clusters.reduce((all, one) => all + pick(one), 0);
  const words = ['No cluster has a break.', 'One cluster has a break.', 'Two clusters have a break.', 'Three clusters have a break.'];
  const faulty = $derived(data.clusters.filter((one) => one.fault).length);
  const headline = $derived(
    `${faulty ? `${faulty === 1 ? 'One cluster' : `${faulty} clusters`} can't be stood up whole. ` : ''}${words[broken.length] ?? `${broken.length} clusters have a break.`}`
  );
  const gibOf = (bytes: number) => Math.round(bytes / 2 ** 30).toLocaleString('en');

  const asOf = () => untrack(() => data.asOf);
  const follower = new Follower('app:estate', asOf);
  $effect(() => watchLive('all', { loadedAt: asOf, heard: (event) => void follower.follow(event?.id) }));
  $effect(() => () => void (follower.closed = true));

  async function openDemo() {
    if (await doCall('POST', '/demo')) await invalidate('app:estate');
  }
  async function takeIn(event: Event & { currentTarget: HTMLInputElement }) {
    const [file] = event.currentTarget.files ?? [];
    if (!file) return;
    const input = event.currentTarget;
    const taken = await call('POST', '/clusters/import', { body: await file.text() });
    input.value = '';
    if (taken.ok) {
      notices.say(`${taken.value.id} is taken in. ${taken.value.says ?? ''}`);
      await invalidate('app:estate');
    } else notices.complain(taken.trouble);
  }
  function ownKey(key: string): boolean {
    const rows = data.clusters;
    if (key === 'ArrowDown' || key === 'ArrowUp') {
      chosen = Math.min(rows.length - 1, Math.max(0, chosen + (key === 'ArrowDown' ? 1 : -1)));
      document.getElementById(`row-${chosen}`)?.focus();
    } else if (key === 't') {
      const row = rows[chosen]?.trace ? rows[chosen] : broken.find((one) => one.trace);
      if (row?.trace) void goto(lineHref(row.name, row.trace));
    } else return false;
    return true;
  }
</script>

<svelte:head><title>Estate · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true), ownKey)} />

<div class="grid h-[6px]" style:grid-template-columns="repeat({Math.max(1, data.clusters.length)}, 1fr)">
  {#each data.clusters as one (one.name)}<Flag flag={one.flag} class="h-full" />{/each}
</div>
<Header
  title={data.clusters.some((one) => one.kind === 'standin' && one.note !== 'laid out here') ? 'Saltmarsh Ferries' : 'Estate'}
  sub={plural(data.clusters.length, 'cluster')}
  onkeys={() => (keys = true)}
/>

<main class="mx-auto max-w-[96rem] px-[34px] pt-6 pb-10">
  <h1 class="max-w-[56rem]">
    {data.clusters.length ? headline : 'No cluster yet.'}
    {#if broken[0]}In {broken[0].name}, <Say text={broken[0].sentence} />{/if}
  </h1>
  {#if data.clusters.length}<p class="quiet mt-1">
      {sum((one) => one.claims.bound)} of {plural(
        sum((one) => one.claims.wanted),
        'claim'
      )} bound · {sum((one) => one.members.ready)} of {plural(
        sum((one) => one.members.wanted),
        'member'
      )} ready · overdue: {data.clusters
        .filter((one) => one.overdue)
        .map((one) => one.name)
        .join(', ') || 'nothing'}
    </p>{/if}

  <ul class="mt-4 border-t border-ink">
    {#each data.clusters as one, i (one.name)}
      <li
        class="grid grid-cols-[12px_190px_130px_minmax(160px,320px)_1fr_auto] items-center gap-x-[22px] gap-y-2 border-b border-ink py-4 max-[1000px]:grid-cols-[12px_1fr_auto]"
      >
        <Flag flag={one.flag} class="h-[92px] w-3" />
        <div>
          <a id="row-{i}" href="/r/{one.name}/members" onfocus={() => (chosen = i)} class="text-[1.05rem] font-semibold hover:underline"
            >{one.name}</a
          >
          {#if one.nodes || !one.fault}<p class="quiet">{plural(one.nodes, 'node')}, {plural(one.zones, 'zone')}</p>{/if}
          {#if one.kind !== 'standin'}<p class="quiet small">
              {one.kind === 'dump' ? `dump of ${dateText(one.clock.nowMs)}` : one.note}
            </p>{/if}
          {#if one.levels.length}<p class="quiet">
              {one.claims.wanted ? `${one.claims.bound} of ${plural(one.claims.wanted, 'claim')} bound` : 'no claims'}
            </p>{/if}
        </div>
        <ul class="small">
          {#each [...one.levels].reverse() as level (level.id)}
            <li>
              <a href="/r/{one.name}/{level.id}" class="flex items-center gap-2 hover:underline"
                ><Peg state={level.state} size={10} />{level.title}</a
              >
            </li>
          {/each}
        </ul>
        <div>
          {#if one.totalBytes}
            <p class="quiet small mb-1">handed out {gibOf(one.takenBytes)} of {gibOf(one.totalBytes)} GiB</p>
            <div class="h-[13px] border border-ink" style:width="{(100 * one.totalBytes) / most}%">
              <div class="h-full bg-ink" style:width="{(100 * one.takenBytes) / one.totalBytes}%"></div>
            </div>
          {:else if one.kind === 'dump'}
            <p class="quiet small">handed out {gibOf(one.volumeBytes)} GiB; of how much, a dump can't show</p>
          {:else if one.levels.length}
            <p class="quiet small">nothing to hand out yet</p>
          {/if}
        </div>
        <p class="text-[1rem] leading-snug">
          {#if one.fault}
            <Peg state="unseen" size={13} /> <span data-testid="fault">{one.fault}</span>
            {#if one.levels.length}<span class="quiet">It is shown as it was before that.</span>{/if}
          {:else}
            {#if one.broken}<Peg state="broken" size={13} />{/if}
            <span class:quiet={!one.broken}><Say text={one.sentence} /></span>
          {/if}
        </p>
        <p class="w-[84px]">
          {#if one.fault}
            {#if one.levels.length}<a class="word" href="/r/{one.name}/members">look</a>{/if}
          {:else if one.trace}
            <a class="word" href={lineHref(one.name, one.trace)}>trace</a>
            <span class="key">t</span>
          {:else if one.proof}
            <a
              class="word"
              href="/r/{one.name}/proofs?{new URLSearchParams({ set: `${one.proof.namespace}/${one.proof.set}`, proof: one.proof.id })}"
              >the proof</a
            >
          {/if}
        </p>
      </li>
    {:else}
      <li class="grid gap-3 py-8">
        <p class="text-[1.05rem] font-semibold">The estate is empty. Three ways to begin:</p>
        <p>
          <a class="push" href="/read">Read an export</a>
          <span class="quiet ml-2">of a cluster of yours: see what waits and why, then rehearse from its state</span>
        </p>
        <p>
          <a class="push" href="/layout">Lay out a cluster</a> <span class="quiet ml-2">from answers: nodes, zones, disks, a backend</span>
        </p>
        <p>
          <button class="push push-main" onclick={openDemo}>Open the demo</button>
          <span class="quiet ml-2">an invented ferry company with four clusters, each with something to mend</span>
        </p>
      </li>
    {/each}
  </ul>
  {#if data.linked.length}
    <h2 class="mt-6">Linked with each other</h2>
    <ul class="mt-1 border-t border-line">
      {#each data.linked as group (group.id)}
        <li class="grid grid-cols-[190px_minmax(0,1fr)_auto] items-start gap-x-[22px] border-b border-line py-3 max-[1000px]:grid-cols-1">
          <div>
            <div class="flex h-[10px] w-[150px]" aria-hidden="true">
              {#each group.clusters as one (one)}
                {@const flag = data.clusters.find((two) => two.name === one)?.flag}
                {#if flag}<div class="flex-1"><Flag {flag} class="h-full" /></div>{/if}
              {/each}
            </div>
            <p class="quiet small mt-1">
              {plural(group.clusters.length, 'cluster')}, one clock{group.fork === null ? '' : `, in the fork ${group.fork}`}
            </p>
          </div>
          <div class="min-w-0">
            {#if group.fault}<p><Peg state="unseen" size={13} /> {group.fault}</p>{/if}
            {#each group.workloads as one (one.namespace + one.name)}
              <p>
                <Peg state={one.state} size={13} />
                <b class="font-semibold">{one.name}</b> <span class="quiet">over {one.clusters.join(', ')}:</span>
                <Say text={one.sentence} />
              </p>
            {:else}{#if !group.fault}<p class="quiet">{group.clusters.join(', ')}; nothing stands over several of them yet</p>{/if}{/each}
          </div>
          <a class="word" href="/r/{encodeURIComponent(group.id)}/links">links</a>
        </li>
      {/each}
    </ul>
  {/if}
  <p class="mt-5 leading-[2.6]">
    <a class="push" href="/bring">Bring manifests</a>
    <span class="quiet mr-6 ml-2">where they fit, and how they do there</span>
    <a class="push" href="/layout">Lay out a cluster</a>
    <span class="quiet mr-6 ml-2">a stand-in made from answers</span>
    <a class="push" href="/read">Read a cluster's dump</a> <span class="quiet ml-2">a real cluster, from its export</span>
  </p>
  <p class="quiet mt-2">
    <a class="word" href="/account">Your account, backups</a> · <a class="word" href="/deeds">who did what</a> ·
    <label class="word cursor-pointer focus-within:outline-2"
      >take a cluster in<input type="file" accept="application/json,.json" class="sr-only" onchange={takeIn} /></label
    > from another Root Barn
  </p>
</main>

<div class="sticky bottom-0"><NoticeLine /></div>

{#if keys}<Keys onclose={() => (keys = false)} />{/if}
