<script lang="ts">
  let { data } = $props();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/blueprints`);
</script>

<svelte:head><title>Blueprints · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <h1>What is to stand on {data.cluster.name}?</h1>
  <p class="quiet mt-1">
    Each blueprint asks its questions in a few sentences, shows what the answers come to, and ends in a draft. Nothing is sent before its
    change sheet.
  </p>
  <p class="mt-2"><a class="word" href="/r/{encodeURIComponent(data.id)}/operators">operators and custom resources</a></p>
  <ul class="mt-4 max-w-[56rem] border-t border-ink">
    {#each data.list as one (one.id)}
      <li class="border-b border-line">
        <a class="grid grid-cols-[15rem_1fr] gap-x-4 px-2 py-3 hover:bg-tape" href="{base}/{one.id}">
          <b class="font-semibold">{one.title}</b><span class="quiet">{one.says}</span>
        </a>
      </li>
    {/each}
  </ul>
</div>
