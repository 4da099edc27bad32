<script lang="ts">
  import { page } from '$app/state';
  import Sheet from '../parts/Sheet.svelte';
  import { prefs } from '../prefs.svelte';
  import { HelpTexts } from './help-texts.svelte';
  import { keyList } from './keys';

  let { onclose }: { onclose(): void } = $props();
  const help = new HelpTexts();
  const here = $derived(help.texts?.helpFor(page.url.pathname));
</script>

<Sheet title={here ? `Help: ${here.title}` : 'Help'} wide {onclose}>
  <!-- What is read has the focus, and is scrolled by keys; else the first field had it, far below, and a space would switch it. -->
  <!-- svelte-ignore a11y_autofocus -->
  <div tabindex="-1" autofocus class="outline-none">
    {#if help.texts && here}
      <div class="help">
        <!-- eslint-disable-next-line svelte/no-at-html-tags -- our own texts, from docs/help -->
        {@html help.texts.helpHtml(here)}
      </div>
      <p class="quiet small mt-4 flex flex-wrap gap-x-3 border-t border-line pt-3">
        Other sheets:
        {#each help.texts.helpPages.filter((one) => one.id !== here.id) as one (one.id)}<a class="word" href="/help/{one.id}">{one.title}</a
          >{/each}
      </p>
    {:else if help.failed}
      <p>The texts of the help could not be loaded. Load the page anew once there is contact; the keys are known without them.</p>
    {/if}
  </div>
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
