<script lang="ts">
  import '../app.css';
  import { onMount, type Snippet } from 'svelte';
  import { prefs } from '$ui/prefs.svelte';

  let { children }: { children: Snippet } = $props();
  onMount(() => {
    prefs.load();
    document.documentElement.dataset.ready = 'yes';
  });
</script>

{@render children()}
