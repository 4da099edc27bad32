<script lang="ts">
  import { call, notices } from '../call.svelte';
  import { prefs } from '../prefs.svelte';

  let { id, namespace, name }: { id: string; namespace: string; name: string } = $props();
  let values = $state<Record<string, string> | null>(null);

  async function load(): Promise<Record<string, string> | null> {
    const query = new URLSearchParams({ kind: 'Secret', namespace, name });
    const answer = await call('GET', '/rehearsals/{id}/objects', { params: { id }, query });
    if (!answer.ok) notices.complain(answer.trouble);
    const decode = (text: string) => new TextDecoder().decode(Uint8Array.from(atob(text), (char) => char.charCodeAt(0)));
    return answer.ok
      ? Object.fromEntries(Object.entries(answer.value.items[0]?.data ?? {}).map(([key, value]) => [key, decode(value)]))
      : null;
  }
  async function copy() {
    const all = await load();
    if (!all) return;
    try {
      await navigator.clipboard.writeText(all.password ?? Object.values(all).join('\n'));
      notices.say(
        `${all.password ? 'The password' : 'The values'} of ${name} ${all.password ? 'is' : 'are'} on the clipboard; nothing was shown.`
      );
    } catch {
      notices.complain({
        detail: "The browser doesn't let pages write to the clipboard.",
        remedy: 'Uncover (c) and copy the value by hand.'
      });
    }
  }
  $effect(() => {
    if (prefs.covered) values = null;
    else void load().then((all) => (values = all));
  });
</script>

<p>
  {#if values}
    {#each Object.entries(values) as [key, value] (key)}<span class="quiet small">{key}</span> <span class="mono">{value}</span>{' '}{/each}
  {:else}
    <span class="quiet tracking-widest" aria-label="covered">··········</span>
  {/if}
  <button class="word" onclick={copy} aria-label="Copy the credentials in {name}">copy</button>
</p>
