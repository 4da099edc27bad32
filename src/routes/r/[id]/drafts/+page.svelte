<script lang="ts">
  import { goto, invalidate } from '$app/navigation';
  import { doCall, newDraft, notices } from '$ui/call.svelte';
  import { plural } from '$ui/format';

  let { data } = $props();
  let over = $state(false);
  const base = $derived(`/r/${encodeURIComponent(data.id)}/drafts`);

  async function begin(name: string, text: string) {
    const id = await newDraft(data.cluster.name, name, text);
    if (id !== undefined) await goto(`${base}/${id}`);
  }
  async function read(files: FileList | null | undefined) {
    const list = [...(files ?? [])];
    if (!list.length) return;
    const texts = await Promise.all(list.map((file) => file.text()));
    await begin(
      list
        .map((file) => file.name)
        .join(', ')
        .slice(0, 100),
      texts.join('\n---\n')
    );
  }
  async function throwAway(id: number) {
    if (await doCall('DELETE', `/drafts/${id}`)) notices.say('The draft is thrown away.');
    await invalidate('drafts');
    await invalidate('rehearsal');
  }
  function drop(event: DragEvent) {
    event.preventDefault();
    over = false;
    void read(event.dataTransfer?.files);
  }
</script>

<svelte:head><title>Drafts · {data.cluster.name} · Root Barn</title></svelte:head>

<div
  class="min-h-full px-[26px] py-5 {over ? 'bg-tape' : ''}"
  role="region"
  aria-label="Drafts"
  ondragover={(event) => {
    event.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={drop}
>
  <h1>{data.list.length ? `${plural(data.list.length, 'draft')} for ${data.cluster.name}.` : 'No drafts.'}</h1>
  <p class="quiet mt-1">A draft is a set of manifests that isn't sent yet. Drop files here, or begin an empty one.</p>
  <div class="mt-3 flex items-center gap-2">
    <button class="push push-main" onclick={() => begin('new draft', '')}>Begin a draft</button>
    <label class="push focus-within:outline-2"
      >Read files<input
        class="sr-only"
        type="file"
        multiple
        accept=".yaml,.yml,.json"
        onchange={(event) => read(event.currentTarget.files)}
      /></label
    >
  </div>
  {#if data.list.length}
    <table class="table-plain mt-5 max-w-[52rem]">
      <thead><tr><th>Draft</th><th class="num">Lines</th><th>Last written</th><th></th></tr></thead>
      <tbody>
        {#each data.list as one (one.id)}
          <tr
            ><td><a class="word" href="{base}/{one.id}">{one.name}</a></td><td class="num">{one.lines}</td><td
              >{new Date(one.updatedAt).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}</td
            ><td class="num"
              ><button class="word small" onclick={() => throwAway(one.id)} aria-label="Throw {one.name} away">throw away</button></td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  {/if}
</div>
