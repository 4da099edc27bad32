<script lang="ts">
  /** A plain sentence with its identifiers (names with several dots) in the mono face. */
  let { text }: { text: string } = $props();
  const parts = $derived(text.split(/([a-z0-9-]+(?:\.[a-z0-9-]+){2,})/));
</script>

{#each parts as part, i (i)}{#if i % 2}<span class="mono">{part}</span>{:else}{part}{/if}{/each}
