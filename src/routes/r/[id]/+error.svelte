<script lang="ts">
  import { page } from '$app/state';

  const base = $derived(`/r/${encodeURIComponent(page.params.id ?? '')}`);
</script>

<svelte:head><title>{page.status} · {page.params.id} · Root Barn</title></svelte:head>

<div class="max-w-[44rem] px-[26px] py-5">
  <h1>{page.error?.message ?? 'Something went wrong.'}</h1>
  <p class="mt-3">
    {page.status === 404
      ? 'It may have been taken away, or it stands at another moment of the clock.'
      : 'Nothing that was sent is lost. Try again; if it goes on, the log of the server says why.'}
  </p>
  <p class="mt-4 flex flex-wrap gap-2">
    {#if page.status !== 404}<button class="push" onclick={() => location.reload()}>Try again</button>{/if}
    <a class="push" href="{base}/members">Members</a>
    <a class="push" href="{base}/claims">Claims</a>
    <a class="push" href="/">The estate</a>
  </p>
</div>
