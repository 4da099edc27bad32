<script lang="ts">
  import { page } from '$app/state';
  import Sheet from '../parts/Sheet.svelte';
  import { prefs } from '../prefs.svelte';
  import { keyList } from './keys';

  let { onclose }: { onclose(): void } = $props();
  // The texts are many and seldom asked for: no page loads them before.
  const texts = import('../help');
  let title = $state('Help');
  void texts.then(
    ({ helpFor }) => (title = `Help: ${helpFor(page.url.pathname).title}`),
    () => undefined
  );
</script>

<Sheet {title} wide {onclose}>
  {#await texts then { helpFor, helpHtml, helpPages }}
    {@const help = helpFor(page.url.pathname)}
    <div class="help">
      <!-- eslint-disable-next-line svelte/no-at-html-tags -- our own texts, from docs/help -->
      {@html helpHtml(help)}
    </div>
    <p class="quiet small mt-4 flex flex-wrap gap-x-3 border-t border-line pt-3">
      Other sheets:
      {#each helpPages.filter((one) => one.id !== help.id) as one (one.id)}<a class="word" href="/help/{one.id}">{one.title}</a>{/each}
    </p>
  {:catch}
    <p>The help can't be read: the server doesn't answer. Its keys are known here.</p>
  {/await}
  <h3 class="mt-5 mb-2 font-semibold">Keys</h3>
  <dl class="grid grid-cols-[5.5rem_1fr_5.5rem_1fr] gap-x-2 gap-y-1.5 max-[700px]:grid-cols-[5.5rem_1fr]">
    {#each keyList as [key, words] (key)}
      <dt><span class="key text-ink">{key}</span></dt>
      <dd>{words}</dd>
    {/each}
  </dl>
  <label class="mt-5 flex items-center gap-2 border-t border-line pt-4">
    <input type="checkbox" checked={prefs.singleKeys} onchange={(event) => prefs.setKeys(event.currentTarget.checked)} />
    Single keys act (turn off if they get in the way of your keyboard or voice control)
  </label>
  <button class="push mt-5" onclick={onclose}>Close</button>
</Sheet>
