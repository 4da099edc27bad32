<script lang="ts">
  import { goto } from '$app/navigation';
  import type { Answers } from '$server/api/types';
  import FollowForm from '$ui/links/FollowForm.svelte';
  import FollowList from '$ui/links/FollowList.svelte';
  import LinkForm from '$ui/links/LinkForm.svelte';
  import LinkList from '$ui/links/LinkList.svelte';
  import OverSheet from '$ui/links/OverSheet.svelte';
  import ReachTable from '$ui/links/ReachTable.svelte';
  import RightsTable from '$ui/links/RightsTable.svelte';
  import { doCall, newDraft } from '$ui/call.svelte';
  import { frameHere } from '$ui/frame/frame.svelte';
  import { kinId, plural } from '$ui/format';
  import { selection } from '$ui/selection.svelte';
  import { headline } from '$ui/links/words';

  let { data } = $props();
  const frame = frameHere();
  const linked = $derived(data.linked);
  const dump = $derived(data.cluster.kind === 'dump');
  let reach = $state.raw<{ found: Answers['Reach']; of: string } | null>(null);
  let trying = $state(false);
  let adding = $state(false);
  let following = $state(false);

  /** What the reach was tried on: it goes stale with the links. */
  const stamp = $derived(JSON.stringify(linked.links));
  async function tryReach() {
    trying = true;
    const of = stamp;
    const found = await doCall('POST', '/rehearsals/{id}/reach', { params: { id: data.id } });
    trying = false;
    if (found) reach = { found, of };
  }
  async function draft(title: string, yaml: string, cluster: string) {
    const id = await newDraft(cluster, title.slice(0, 100), yaml);
    if (id !== undefined) await goto(`/r/${encodeURIComponent(kinId(data.id, cluster))}/drafts/${id}`);
  }
  const firstTrace = $derived(linked.workloads.find((one) => one.state === 'broken')?.trace ?? null);
  $effect(() => {
    selection.ref = firstTrace && firstTrace.cluster === data.cluster.name ? firstTrace.ref : null;
    return () => (selection.ref = null);
  });
</script>

<svelte:head><title>Links · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  {#if dump}
    <h1>What was read of a cluster has no links here.</h1>
    <p class="mt-3">
      Which clusters it is linked with, an export doesn't say. <a class="word" href="/r/{encodeURIComponent(data.id)}/rehearse"
        >Rehearse from here</a
      >, and link that.
    </p>
  {:else}
    <div class="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
      <div class="max-w-[52rem]">
        <h1>{headline(linked)}</h1>
        <p class="quiet mt-1">
          {#if linked.clusters.length}{plural(linked.clusters.length, 'cluster')} with one clock: {linked.clusters.join(', ')}. Whatever
            moves it, takes back or forks does so in all of them.
          {:else}Linked clusters are rehearsed together, with one clock: members of one workload in several of them find each other over
            links, by names that the links carry. {data.fork === null ? '' : 'A fork is linked with the forks of the same name.'}{/if}
        </p>
      </div>
      {#if linked.clusters.length && !adding}<button class="push" onclick={() => (adding = true)}>Link another cluster</button>{/if}
    </div>
    {#if adding || !linked.clusters.length}
      <LinkForm
        id={data.id}
        others={data.others}
        fork={data.fork}
        ondone={() => (adding = false)}
        oncancel={linked.clusters.length ? () => (adding = false) : null}
      />
    {/if}
    {#each linked.workloads as one (one.namespace + one.name)}
      <OverSheet
        id={data.id}
        workload={one}
        links={linked.links}
        clusters={linked.clusters}
        flags={data.flags}
        rights={linked.rights}
        nowMs={frame.now.clock.nowMs}
        head={headline(linked)}
      />
    {/each}
    {#if linked.follows.length || linked.mayFollow.length}
      <section class="mt-7" aria-label="Followed workloads">
        <div class="flex flex-wrap items-baseline gap-x-4">
          <h2>One follows the other</h2>
          {#if linked.mayFollow.length && !following}<button class="push" onclick={() => (following = true)}
              >Let a workload follow another</button
            >{/if}
          <span class="quiet small"
            >a standby in another cluster, topics or buckets taken over: what is written there comes here a little later</span
          >
        </div>
        {#if following && linked.mayFollow.length}<FollowForm
            here={linked.here}
            may={linked.mayFollow}
            taken={linked.follows.filter((one) => one.cluster === linked.here).map((one) => `${one.namespace}/${one.name}`)}
            ondraft={draft}
            oncancel={() => (following = false)}
          />{/if}
        <FollowList id={data.id} follows={linked.follows} flags={data.flags} ondraft={draft} />
      </section>
    {/if}
    {#if linked.links.length}
      <section class="mt-7" aria-label="Links">
        <h2>Links</h2>
        <LinkList links={linked.links} flags={data.flags} ondraft={draft} />
      </section>
      <section class="mt-7" aria-label="Reach">
        <div class="flex flex-wrap items-baseline gap-x-4">
          <h2>Reach</h2>
          <button class="push" onclick={tryReach} disabled={trying}
            >{trying ? 'Pods call each other …' : 'Have pods call each other'}</button
          >
          <span class="quiet small">a pod in each cluster calls the one in each other by name, on a fork that is thrown away</span>
        </div>
        {#if reach}<ReachTable
            clusters={linked.clusters}
            squares={reach.found.squares}
            flags={data.flags}
            stale={reach.of !== stamp}
          />{/if}
      </section>
    {/if}
    {#if linked.rights.length}
      <section class="mt-7" aria-label="Rights">
        <h2>Rights</h2>
        {#each linked.rights as table (table.cluster + table.operator)}<RightsTable {table} flags={data.flags} ondraft={draft} />{/each}
      </section>
    {/if}
  {/if}
</div>
