<script lang="ts">
  import { page } from '$app/state';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import { pageKey } from '$ui/frame/page-keys';

  let { data } = $props();
  let keys = $state(false);
</script>

<svelte:head><title>Help: {data.title} · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<Header title="Help" onkeys={() => (keys = true)} />
<main class="mx-auto grid max-w-[64rem] grid-cols-[11rem_1fr] gap-x-10 px-[34px] py-8 max-[700px]:grid-cols-1">
  <nav aria-label="Pages of help">
    <ul>
      {#each data.pages as one (one.id)}<li class="py-0.5">
          <a
            class="hover:underline"
            aria-current={page.params.page === one.id ? 'page' : undefined}
            class:font-semibold={page.params.page === one.id}
            href="/help/{one.id}">{one.title}</a
          >
        </li>{/each}
    </ul>
  </nav>
  <article class="help max-w-[42rem]">
    <h1>{data.title}</h1>
    <!-- eslint-disable-next-line svelte/no-at-html-tags -- our own texts, from docs/help -->
    {@html data.html}
  </article>
</main>
{#if keys}<Keys onclose={() => (keys = false)} />{/if}
