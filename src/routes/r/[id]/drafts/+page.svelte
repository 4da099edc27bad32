<script lang="ts">
  import { goto } from '$app/navigation';
  import { doCall, notices } from '$ui/call.svelte';
  import { frameHere } from '$ui/frame/frame.svelte';
  import { invalidate } from '$app/navigation';
  import { droppedFiles } from '$ui/drafts/dropped';
  import PickFiles from '$ui/drafts/PickFiles.svelte';
  import type { DraftFile } from '$ui/drafts/types';
  import { plural } from '$ui/format';

  let { data } = $props();
  const frame = frameHere();
  let over = $state(false);
  const base = $derived(`/r/${encodeURIComponent(data.id)}/drafts`);

  async function begin(name: string, files: DraftFile[]) {
    const made = await doCall('POST', '/clusters/{name}/drafts', {
      params: { name: data.cluster.name },
      body: {
        name: name.slice(0, 100),
        files
      }
    });
    if (made) await goto(`${base}/${made.id}`);
  }
  async function take(files: DraftFile[], left = 0) {
    if (!files.length)
      notices.complain({
        detail: 'There are no manifests among them.',
        remedy: 'Drop files that end in .yaml, .yml or .json, or folders with such files.'
      });
    else {
      await begin(files.length === 1 ? files[0]!.name : `${files[0]!.name} and ${plural(files.length - 1, 'more file')}`, files);
      if (left) notices.say(`${plural(left, 'file')} left out: no manifests.`);
    }
  }
  async function throwAway(id: number) {
    if (await doCall('DELETE', '/drafts/{draft}', { params: { draft: id } })) notices.say('The draft is thrown away.');
    await Promise.all([invalidate('app:drafts'), frame.look()]);
  }
  async function drop(event: DragEvent) {
    event.preventDefault();
    over = false;
    if (!event.dataTransfer) return;
    const { files, left } = await droppedFiles(event.dataTransfer);
    await take(files, left);
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
  <p class="quiet mt-1">A draft is a set of manifests that isn't sent yet. Drop files or folders here, or begin an empty one.</p>
  <div class="mt-3 flex items-center gap-2">
    <button class="push push-main" onclick={() => begin('new draft', [{ name: 'draft.yaml', text: '' }])}>Begin a draft</button>
    <a class="push" href="/r/{encodeURIComponent(data.id)}/blueprints">Begin with a blueprint</a>
    <PickFiles look="push" says="Read files" {take} />
  </div>
  {#if data.list.length}
    <table class="table-plain mt-5 max-w-[52rem]">
      <thead
        ><tr
          ><th>Draft</th><th class="num">Files</th><th class="num">Lines</th><th>Last written</th><th>Sent to</th><th
            ><span class="sr-only">What can be done</span></th
          ></tr
        ></thead
      >
      <tbody>
        {#each data.list as one (one.id)}
          <tr
            ><td><a class="word" href="{base}/{one.id}">{one.name}</a></td><td class="num">{one.files}</td><td class="num">{one.lines}</td
            ><td>{new Date(one.updatedAt).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short' })}</td><td
              >{one.sentTo.join(', ') || '–'}</td
            ><td class="num"
              ><button class="word small" onclick={() => throwAway(one.id)} aria-label="throw away {one.name}">throw away</button></td
            ></tr
          >
        {/each}
      </tbody>
    </table>
  {/if}
</div>
