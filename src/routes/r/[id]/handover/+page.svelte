<script lang="ts">
  import { goto } from '$app/navigation';
  import { plural } from '$ui/format';
  import Accepted from '$ui/parts/Accepted.svelte';
  import { notices } from '$ui/call.svelte';
  import { prefs } from '$ui/prefs.svelte';

  let { data } = $props();
  const spaces = $derived(
    [...new Set(data.all.map((one) => one.namespace || (one.kind === 'Namespace' ? one.name : '')).filter(Boolean))].sort()
  );
  const query = $derived(data.namespace ? `?namespace=${encodeURIComponent(data.namespace)}` : '');
  /** Secret values stay covered on screen; the file carries them. */
  const shown = $derived(
    prefs.covered
      ? data.view.yaml
          .split('---\n')
          .map((text) =>
            /^kind: Secret$/m.test(text)
              ? text.replace(/(^data:\n)((?: {2}.*\n?)+)/m, (_, head: string, body: string) => head + body.replace(/: .*/g, ': ··········'))
              : text
          )
          .join('---\n')
      : data.view.yaml
  );
  async function copy() {
    try {
      await navigator.clipboard.writeText(data.view.yaml);
      notices.say('The manifests are on the clipboard.');
    } catch {
      notices.complain({ detail: "The browser doesn't let pages write to the clipboard.", remedy: 'Take the file instead.' });
    }
  }
</script>

<svelte:head><title>Handover · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="flex h-full min-h-0 flex-col px-[26px] py-5">
  <div class="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
    <div>
      <h1>{data.view.count ? `${plural(data.view.count, 'manifest')}, in the order of sending.` : 'Nothing to hand over yet.'}</h1>
      <p class="quiet mt-1">
        What people sent and what still stands at this moment; not what control loops made of it. The bundle has the proofs, drills, copies
        and findings beside them, and a page to start from. The values of secrets are left out unless you ask for them. {#if data.cluster.kind !== 'dump'}<a
            class="word"
            href="/api/v1/clusters/{encodeURIComponent(data.cluster.name)}/export"
            download="{data.cluster.name}.json">Take the whole cluster</a
          > to another Root Barn: its rehearsals, drafts and proofs, with the values of secrets.{/if}
      </p>
    </div>
    {#if data.view.count}
      <div class="flex items-center gap-2 whitespace-nowrap">
        <select
          class="border border-line bg-sheet px-2 py-1"
          value={data.namespace ?? ''}
          onchange={(event) => goto(event.currentTarget.value ? `?namespace=${encodeURIComponent(event.currentTarget.value)}` : '?')}
          aria-label="Namespace"
        >
          <option value="">all namespaces</option>
          {#each spaces as one (one)}<option>{one}</option>{/each}
        </select>
        <a class="push push-main" href="/r/{encodeURIComponent(data.id)}/handover/bundle.zip{query}" download>Take the bundle</a>
        <a class="push" href="/r/{encodeURIComponent(data.id)}/handover/manifests.yaml{query}" download>Take the YAML</a>
        {#if data.view.secrets}<a
            class="word small"
            href="/r/{encodeURIComponent(data.id)}/handover/manifests.yaml{query}{query ? '&' : '?'}secrets=keep"
            download>with secret values</a
          >{/if}
        <button class="push" onclick={copy}>Copy</button>
      </div>
    {/if}
  </div>
  {#if data.workloads.length}
    <p class="mt-3">
      Reports, to read or to print:
      {#each data.workloads as one, i (`${one.namespace}/${one.name}`)}{i ? ', ' : ''}<span class="whitespace-nowrap"
          ><a
            class="word"
            href="/r/{encodeURIComponent(data.id)}/handover/report/{encodeURIComponent(one.namespace)}/{encodeURIComponent(one.name)}"
            target="_blank"
            rel="noopener">{one.name}</a
          ></span
        >{/each}.
      {#if data.cluster.kind !== 'dump'}
        <span class="ml-3">Clean-up, tried on a fork:</span>
        {#each data.workloads as one, i (`${one.namespace}/${one.name}`)}{i ? ', ' : ''}<span class="whitespace-nowrap"
            ><a
              class="word"
              aria-label="Clean-up of {one.name}"
              href="/r/{encodeURIComponent(data.id)}/handover/clean-up/{encodeURIComponent(one.namespace)}/{encodeURIComponent(one.name)}"
              >{one.name}</a
            ></span
          >{/each}.
      {/if}
    </p>
  {/if}
  <Accepted items={data.view.accepted} class="mt-3">
    {#snippet where(one)}<span class="mono">{one.object}</span>{/snippet}
  </Accepted>
  {#if data.view.count}
    <div class="mt-4 grid min-h-0 flex-1 grid-cols-[280px_1fr] gap-x-8 max-[1000px]:grid-cols-1">
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <ol class="small list-inside list-decimal overflow-auto border-t border-ink" tabindex="0" aria-label="Order of sending">
        {#each data.view.items as one (one.kind + one.namespace + one.name)}<li class="border-b border-line py-1">
            <span class="quiet">{one.kind}</span> <span class="mono">{one.name}</span>
          </li>{/each}
      </ol>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        class="overflow-auto border-t border-ink py-2 text-[0.8rem] leading-[1.5]"
        tabindex="0"
        aria-label="Manifests as YAML">{shown}</pre>
    </div>
  {:else}
    <p class="mt-4 max-w-[44rem]">
      Send manifests from <a class="word" href="/r/{encodeURIComponent(data.id)}/drafts">a draft</a>; they are then handed out here as
      ordered YAML that opens elsewhere.
    </p>
  {/if}
</div>
