<script lang="ts">
  import { page } from '$app/state';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';

  let keys = $state(false);
</script>

<svelte:head><title>{page.status} · Root Barn</title></svelte:head>

<Header title="" onkeys={() => (keys = true)} />
<main class="mx-auto max-w-2xl px-8 py-20">
  <p class="quiet small">{page.status}</p>
  <h1 class="mt-1 mb-3">{page.error?.message ?? 'Something went wrong.'}</h1>
  <p>
    {page.status === 404
      ? 'It may have been taken away, or its name is written otherwise.'
      : 'Nothing that was sent is lost. Try again; if it goes on, the log of the server says why.'}
  </p>
  <p class="mt-4 flex gap-4">
    {#if page.status !== 404}<button class="push" onclick={() => location.reload()}>Try again</button>{/if}
    <a class="push" href="/">To the estate</a>
  </p>
</main>
{#if keys}<Keys onclose={() => (keys = false)} />{/if}
