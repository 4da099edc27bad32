<script lang="ts">
  let { code }: { code: string } = $props();
  const own = $derived(code.startsWith('own:'));
</script>

{#if own}<span class="quiet small">house rule {code.slice(4)}</span>{:else}<a
    class="word small"
    href="/findings/{code}"
    target="_blank"
    aria-label="Why: {code}">why</a
  >{/if}
