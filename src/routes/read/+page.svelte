<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import { untrack } from 'svelte';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import { pageKey } from '$ui/frame/page-keys';
  import { call, type Trouble } from '$ui/call.svelte';
  import { bodyOf, droppedBlobs } from '$ui/dumps';
  import { plural } from '$ui/format';

  let { data } = $props();
  let name = $state(untrack(() => page.url.searchParams.get('name') ?? ''));
  let files = $state.raw<{ name: string; file: Blob }[]>([]);
  let secrets = $state(false);
  let keys = $state(false);
  let over = $state(false);
  let trouble = $state<Trouble | null>(null);
  let under = $state<{ id: string; bytes: number; objects: number } | null>(null);
  const known = $derived(data.clusters.find((one) => one.name === name));
  const fault = $derived(
    name === ''
      ? ''
      : !/^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/.test(name)
        ? 'Write lower-case letters, digits and "-".'
        : known && known.kind !== 'dump'
          ? `${name} is a stand-in; choose another name.`
          : ''
  );
  const size = $derived(files.reduce((sum, one) => sum + one.file.size, 0));
  const mib = (bytes: number) => `${(bytes / 2 ** 20).toLocaleString('en', { maximumFractionDigits: 1 })} MiB`;

  function take(list: { name: string; file: Blob }[]) {
    files = [...files, ...list];
    trouble = null;
    if (!name && list[0])
      name = list[0].name
        .split('/')
        .at(-1)!
        .replace(/\.[\w.]+$/, '')
        .toLowerCase()
        .replace(/[^a-z0-9-]+/g, '-')
        .replace(/^-+|-+$/g, '')
        .slice(0, 40);
  }
  async function read() {
    const id = `r${Date.now().toString(36)}${Math.random().toString(36).slice(2, 8)}`;
    under = { id, bytes: 0, objects: 0 };
    trouble = null;
    const watch = setInterval(async () => {
      const answer = await call('GET', '/readings/{reading}', { params: { reading: id } });
      if (answer.ok && under) under = { ...under, bytes: answer.value.bytes, objects: answer.value.objects };
    }, 300);
    try {
      const query = new URLSearchParams({ name, reading: id, secrets: secrets ? 'keep' : 'drop' });
      const response = await fetch(`/api/v1/clusters?${query}`, {
        method: 'POST',
        headers: { 'content-type': 'application/octet-stream' },
        body: bodyOf(files)
      });
      const value = (await response.json()) as { id: string } & Trouble;
      if (response.ok) await goto(`/r/${value.id}/wrong`);
      else trouble = value;
    } catch (error) {
      trouble = {
        title: 'No answer',
        detail: 'The dump was not taken to its end.',
        remedy: `See whether Root Barn still runs, then read it again. (${(error as Error).message})`,
        status: 0
      };
    } finally {
      clearInterval(watch);
      under = null;
    }
  }
  const stop = () => under && void call('DELETE', '/readings/{reading}', { params: { reading: under.id } });
</script>

<svelte:head><title>Read a dump · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<Header title="Read a cluster's dump" onkeys={() => (keys = true)} />
<main
  class="mx-auto min-h-[80vh] max-w-[60rem] px-[34px] pt-6 pb-10 {over ? 'bg-tape' : ''}"
  ondragover={(event) => {
    event.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={async (event) => {
    event.preventDefault();
    over = false;
    if (event.dataTransfer) take(await droppedBlobs(event.dataTransfer));
  }}
>
  <h1>Look at a real cluster here, without touching it.</h1>
  <p class="mt-2 max-w-[46rem]">
    Somebody with access exports its objects, from any client of the cluster API, as YAML or JSON. They are read, traced to the first broken
    link, and can be rehearsed on. Nothing is sent anywhere: the dump stays in this application's own database.
  </p>
  <form
    class="mt-5 border-t border-ink pt-4"
    onsubmit={(event) => {
      event.preventDefault();
      void read();
    }}
  >
    <p class="text-[1.12rem] leading-[2.1]">
      Call it <input
        class="w-[14rem] border-b-2 border-ink bg-sheet"
        bind:value={name}
        aria-label="Name of the cluster"
        autocomplete="off"
        spellcheck="false"
        placeholder="prod-west"
      />
      and read
      <label class="word focus-within:outline-2"
        >these files<input
          class="sr-only"
          type="file"
          multiple
          onchange={(event) => take([...(event.currentTarget.files ?? [])].map((file) => ({ name: file.name, file })))}
        /></label
      >, or drop files or a folder anywhere here.
    </p>
    {#if fault}<p class="text-brick">{fault}</p>
    {:else if known}<p class="quiet">A dump of {name} is here already; the two will be compared.</p>{/if}
    <p class="quiet mt-1">Objects one by one, lists or streams; plain, .gz, .tar, .tar.gz or .zip; up to 256 MiB as it arrives.</p>
    {#if files.length}
      <ul class="mt-3 max-h-[180px] overflow-auto border-t border-line">
        {#each files as one, i (i)}
          <li class="flex gap-3 border-b border-line py-1">
            <span class="mono min-w-0 flex-1 break-all">{one.name}</span><span class="quiet">{mib(one.file.size)}</span>
            <button
              type="button"
              class="word small"
              onclick={() => (files = files.filter((two) => two !== one))}
              aria-label="Leave {one.name} out">leave out</button
            >
          </li>
        {/each}
      </ul>
    {/if}
    <p class="mt-3">
      <label class="flex items-baseline gap-2"
        ><input type="checkbox" bind:checked={secrets} />Keep the values of secrets.
        <span class="quiet">They are dropped as they are read unless this is set; their keys stay.</span></label
      >
    </p>
    <p class="mt-4 flex items-center gap-3">
      <button class="push push-main" disabled={!files.length || !name || fault !== '' || under !== null}
        >{under ? 'Reading …' : `Read ${files.length ? plural(files.length, 'file') : 'it'}`}</button
      >
      {#if under}
        <progress class="progress w-[16rem]" value={under.bytes} max={Math.max(size, under.bytes)} aria-label="Bytes read"></progress>
        <span role="status">{plural(under.objects, 'object')}, {mib(under.bytes)} of {mib(size)}</span>
        <button type="button" class="push" onclick={stop}>Stop</button>
      {/if}
    </p>
    {#if trouble}
      <div class="remedy mt-4" role="alert">
        <p class="font-semibold text-brick">{trouble.detail}</p>
        <p>{trouble.remedy}</p>
      </div>
    {/if}
  </form>
</main>
{#if keys}<Keys onclose={() => (keys = false)} />{/if}
