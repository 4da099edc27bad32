<script lang="ts">
  import '../app.css';
  import { onMount, type Snippet } from 'svelte';
  import { beforeNavigate } from '$app/navigation';
  import { notices } from '$ui/call.svelte';
  import { contact, lostWords } from '$ui/contact.svelte';
  import { prefs } from '$ui/prefs.svelte';

  let { children }: { children: Snippet } = $props();
  onMount(() => {
    prefs.load();
    document.documentElement.dataset.ready = 'yes';
  });
  // A page that can't be loaded would take the one that is here away.
  beforeNavigate((navigation) => {
    if (contact.lostSince === null || navigation.willUnload) return;
    navigation.cancel();
    notices.complain({
      detail: `${lostWords(contact.lostSince)} The page stays as it is.`,
      remedy: 'It is tried again every second and comes back by itself; what you have written stays.'
    });
  });
</script>

{@render children()}
