<script lang="ts">
  import type { Ref } from '$core/model';
  import { goto } from '$app/navigation';
  import type { OperatorsView } from '$server/views/operators';
  import Peg from '$ui/parts/Peg.svelte';
  import Removal from '$ui/sheets/Removal.svelte';
  import { doCall, newDraft } from '$ui/call.svelte';
  import { plural } from '$ui/format';

  type Row = OperatorsView['operators'][number];
  type Resource = OperatorsView['resources'][number];
  let { data } = $props();
  const view = $derived(data.view);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  const dump = $derived(data.cluster.kind === 'dump');
  const manager = $derived(view.operators.find((one) => one.name === 'operator-manager')!);
  const installed = $derived(view.operators.filter((one) => one.installed));
  const waiting = $derived(view.resources.filter((one) => !one.ready));
  let versions = $state<Record<string, string>>({});
  let watches = $state<Record<string, string>>({});
  let removing = $state<Ref | null>(null);

  const versionOf = (one: Row) => versions[one.name] ?? (one.version || one.versions.find((two) => !two.fault)?.version || '');
  const watchesOf = (one: Row) => watches[one.name] ?? one.watches?.join(', ') ?? '';
  const line = (ref: { kind: string; namespace: string; name: string }) => `${base}/root-line?${new URLSearchParams(ref)}`;
  const stateOf = (one: Row) => (!one.installed ? 'waiting' : one.lacking.length ? 'broken' : one.ready ? 'holds' : 'settling');
  const standing = (one: Row) =>
    !one.installed
      ? 'not installed'
      : `${one.ready} of ${one.wanted} ready, version ${one.version}, looks after ${one.watches?.join(', ') ?? 'all namespaces'}${one.order ? ', ordered from the catalogue' : ''}`;

  async function draft(one: Row, order: boolean) {
    const list = watchesOf(one)
      .split(',')
      .map((two) => two.trim())
      .filter(Boolean);
    const made = await doCall('POST', '/rehearsals/{id}/operators/{operator}', {
      params: { id: data.id, operator: one.name },
      body: {
        watches: list,
        version: versionOf(one),
        order
      }
    });
    if (!made) return;
    const id = await newDraft(data.cluster.name, order ? `${one.name} from the catalogue` : one.name, made.yaml);
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
  async function alter(one: Resource) {
    const id = await newDraft(data.cluster.name, `${one.kind} ${one.name}`, one.yaml);
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
</script>

<svelte:head><title>Operators · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <p class="quiet"><a class="hover:underline" href="{base}/members">Members</a></p>
  <h1>
    {installed.length
      ? `${plural(installed.length, 'operator')} of ${view.operators.length} on the shelf installed`
      : 'No operator is installed'}{view.resources.length
      ? waiting.length
        ? `; ${plural(waiting.length, 'custom resource')} ${waiting.length === 1 ? 'waits' : 'wait'}.`
        : `; ${view.resources.length === 1 ? 'the custom resource is' : `all ${view.resources.length} custom resources are`} ready.`
      : '.'}
  </h1>

  <h2 class="mt-5 mb-1">Once for the cluster</h2>
  <ul class="border-t border-ink">
    {#each view.operators as one (one.name)}
      <li class="grid grid-cols-[minmax(0,1fr)_auto] gap-x-8 border-b border-line py-3">
        <div class="min-w-0">
          <p>
            <Peg state={stateOf(one)} size={11} />
            <b class="font-semibold">{one.title}</b>
            <span class="mono quiet text-[0.85rem]">{one.namespace}/{one.name}</span>
          </p>
          <p class="mt-0.5 max-w-[46rem]">{one.says}</p>
          <p class="quiet mt-0.5">
            {standing(one)[0]!.toUpperCase() + standing(one).slice(1)}.
            {#if one.pod && !one.ready}<a class="word ml-1" href={line(one.pod)}>root line</a>{/if}
          </p>
          {#if one.lacking.length}<p class="text-brick">Its account may not make or alter {one.lacking.join(', ')}.</p>{/if}
          <p class="small quiet mt-0.5">
            Kinds: {one.kinds.join(', ')}. Rights in the whole cluster: {one.rights}. {one.objects} objects.
          </p>
        </div>
        {#if !dump}
          <div class="flex w-[27.5rem] flex-wrap items-end justify-end gap-3 self-center">
            {#if one.name !== manager.name}
              <label class="small quiet block"
                >looks after
                <input
                  class="mono block h-[33px] w-[11rem] border border-line bg-sheet px-2 text-[0.85rem] text-ink"
                  list="spaces"
                  placeholder="all namespaces"
                  aria-label="Namespaces that {one.name} looks after, with commas between"
                  value={watchesOf(one)}
                  onchange={(event) => (watches = { ...watches, [one.name]: event.currentTarget.value })}
                />
              </label>
            {/if}
            <label class="small quiet block"
              >version
              <select
                class="select-plain block h-[33px] w-[5.5rem] border border-line bg-sheet px-2 text-[0.9rem] text-ink"
                aria-label="Version of {one.name}"
                value={versionOf(one)}
                onchange={(event) => (versions = { ...versions, [one.name]: event.currentTarget.value })}
                >{#each one.versions as two (two.version)}<option value={two.version} disabled={two.fault !== ''} title={two.fault}
                    >{two.version}</option
                  >{/each}</select
              >
            </label>
            <button class="push h-[33px] w-[8.5rem] px-0 text-center" onclick={() => draft(one, false)}
              >{one.installed ? 'Alter in a draft' : 'Install by a draft'}</button
            >
            {#if one.name !== manager.name && manager.installed}<button
                class="push h-[33px] w-[8.5rem] px-0 text-center"
                onclick={() => draft(one, true)}>Order it</button
              >{/if}
          </div>
        {/if}
      </li>
    {/each}
  </ul>
  <datalist id="spaces"
    >{#each view.spaces as one (one)}<option value={one}></option>{/each}</datalist
  >
  <p class="quiet mt-2 max-w-[52rem]">
    What an operator needs once is kept apart from what each workload needs: its kinds, its account with rights, itself, and, where it looks
    objects over before they are taken, a step for that with a certificate. Ordered from the catalogue, its manager makes all of this once
    somebody has agreed to the rights.
  </p>

  <h2 class="mt-6 mb-1">For each workload</h2>
  {#if view.resources.length}
    <table class="table-plain border-t border-ink">
      <thead
        ><tr
          ><th>Custom resource</th><th>Stage</th><th>What its operator says</th><th>Taken away with it</th><th
            ><span class="sr-only">What can be done</span></th
          ></tr
        ></thead
      >
      <tbody>
        {#each view.resources as one (one.kind + one.namespace + one.name)}
          <tr>
            <td class="whitespace-nowrap"
              ><Peg state={one.ready ? 'holds' : one.stage === 'waits' || one.stage === 'refused' ? 'broken' : 'settling'} size={10} />
              {one.kind}
              <span class="mono">{one.namespace}/{one.name}</span></td
            >
            <td>{one.stage}</td>
            <td class="max-w-[26rem]">{one.says}</td>
            <td
              >{one.takesAlong === null
                ? '–'
                : { nothing: 'nothing', set: 'set', claims: 'set, claims', all: 'set, claims, secrets' }[one.takesAlong]}</td
            >
            <td class="whitespace-nowrap">
              <a class="word" href={line(one)}>root line</a>
              {#if one.workload}<a class="word ml-2" href="{base}/members/{one.namespace}/{one.workload}">members</a>{/if}
              {#if !dump}
                <button class="word ml-2" onclick={() => alter(one)}>alter</button>
                <button class="word ml-2" onclick={() => (removing = { kind: one.kind, namespace: one.namespace, name: one.name })}
                  >take away</button
                >
              {/if}
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  {:else}
    <p class="quiet">
      No custom resources yet. The blueprints <a class="word" href="{base}/blueprints/memory-store">in-memory store</a> and
      <a class="word" href="{base}/blueprints/document-set">document replica set</a> write them.
    </p>
  {/if}
</div>

{#if removing}
  <Removal id={data.id} flag={data.cluster.flag} ref={removing} onclose={() => (removing = null)} />
{/if}
