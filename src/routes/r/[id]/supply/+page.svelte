<script lang="ts">
  import { goto } from '$app/navigation';
  import Peg from '$ui/parts/Peg.svelte';
  import { selection } from '$ui/selection.svelte';
  import Rails from '$ui/sheets/Rails.svelte';
  import ClassSheet from '$ui/sheets/ClassSheet.svelte';
  import { newDraft, call, notices } from '$ui/call.svelte';

  let { data } = $props();
  const view = $derived(data.view);
  let chosen = $state<string | null>(null);
  const shown = $derived(view.classes.find((one) => one.id === chosen) ?? view.classes[0]);
  const broken = $derived(view.classes.filter((one) => one.state === 'broken'));
  const headline = $derived.by(() => {
    if (!view.classes.length && !view.drivers.some((one) => one.state !== 'broken'))
      return 'Nothing can be handed out: no driver, no class.';
    if (broken.length === view.classes.length && broken.length) return 'Nothing can be handed out:';
    if (broken.length) return `${broken.length} of ${view.classes.length} classes can't hand anything out.`;
    const zones = [...new Set(view.backends.flatMap((one) => one.zones))];
    if (view.classes.some((one) => one.state === 'settling')) return 'A driver comes up; volumes follow.';
    return view.classes.length
      ? `Volumes can be handed out in ${zones.length === 1 ? 'zone' : 'zones'} ${zones.join(', ')}.`
      : 'A driver stands, but no class draws from it.';
  });
  const cause = $derived(broken.length === view.classes.length && broken[0] ? broken[0] : undefined);

  async function install(driver: string) {
    const line = await call<{ yaml: string; version: string }>('GET', `/drivers/${encodeURIComponent(driver)}/install`);
    if (!line.ok) return notices.complain(line.trouble);
    const id = await newDraft(data.cluster.name, `install ${driver}`, line.value.yaml);
    if (id !== undefined) await goto(`/r/${encodeURIComponent(data.id)}/drafts/${id}`);
  }
  $effect(() => {
    const first = view.available[0];
    selection.draft = first ? () => void install(first.driver) : null;
    return () => (selection.draft = null);
  });
</script>

<svelte:head><title>Supply · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <h1>
    {headline}
    {#if cause}no driver answers to <span class="mono">{cause.driver}</span>.{/if}
  </h1>
  <Rails {view} chosen={shown?.id} onchoose={(id) => (chosen = id)} />
  {#if view.available.length}
    <section class="mt-2 border-t border-line pt-3" aria-label="Drivers that can be installed">
      {#each view.available as one (one.driver)}
        <p class="flex flex-wrap items-baseline gap-3">
          <span><span class="mono">{one.driver}</span> {one.version} ships with the stand-in and its backend is there.</span>
          <button class="push push-main" onclick={() => install(one.driver)}>Put its manifests in a draft</button>
          <span class="key">d</span>
          <span class="quiet small">normal wait after sending: driver 10–60 s, claims 2–20 s</span>
        </p>
      {/each}
    </section>
  {/if}
  {#if shown}<ClassSheet card={shown} id={data.id} />{:else}
    <p class="mt-6 max-w-[44rem]">
      <Peg state="waiting" /> There is no class. A class names the driver and says how its volumes are made; write one in
      <a class="word" href="/r/{encodeURIComponent(data.id)}/drafts">a draft</a>.
    </p>
  {/if}
</div>
