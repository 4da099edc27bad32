<script lang="ts">
  import Sheet from '../parts/Sheet.svelte';
  import { prefs } from '../prefs.svelte';
  import { keyList } from './keys';

  let { onclose }: { onclose(): void } = $props();
</script>

<Sheet title="Keys" {onclose}>
  <dl class="grid grid-cols-[5.5rem_1fr] gap-y-1.5">
    {#each keyList as [key, words] (key)}
      <dt><span class="key text-ink">{key}</span></dt>
      <dd>{words}</dd>
    {/each}
  </dl>
  <label class="mt-5 flex items-center gap-2 border-t border-line pt-4">
    <input type="checkbox" checked={prefs.singleKeys} onchange={(event) => prefs.setKeys(event.currentTarget.checked)} />
    Single keys act (turn off if they get in the way of your keyboard or voice control)
  </label>
  <p class="quiet small mt-4">
    A peg tells a state by its shape: filled holds, half filled settles, barred is broken, empty waits, dotted is unseen.
  </p>
  <button class="push mt-5" onclick={onclose}>Close</button>
</Sheet>
