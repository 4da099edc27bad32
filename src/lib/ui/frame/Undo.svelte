<script lang="ts">
  import { clockText } from '../format';
  import Sheet from '../parts/Sheet.svelte';

  interface Props {
    /** What was done so far, oldest first. */
    marks: readonly { atMs: number; label: string }[];
    flag: { hue: number; weave: string };
    /** The rehearsal can't be stood up whole: what stands latest in it can't be shown. */
    fault?: boolean;
    onundo(): Promise<void>;
    onclose(): void;
  }
  let { marks, flag, fault = false, onundo, onclose }: Props = $props();
  const last = $derived(marks.at(-1));

  async function undo() {
    onclose();
    await onundo();
  }
</script>

<Sheet title={last || fault ? 'Take the latest action back?' : 'There is nothing to take back'} {flag} {onclose}>
  {#if fault}
    <p>It is the one that stands latest in the database; it can't be carried out, so it can't be shown either.</p>
    <p class="quiet mt-1">It is marked as taken back and stays written. If the rehearsal still can't be stood up, take back one more.</p>
    <div class="mt-4 flex gap-2">
      <!-- svelte-ignore a11y_autofocus -->
      <button autofocus class="push push-main" onclick={undo}>Take it back</button>
      <button class="push" onclick={onclose}>Not now</button>
    </div>
  {:else if last}
    <p><b class="font-semibold">{last.label}</b>, at {clockText(last.atMs)}.</p>
    <p class="quiet mt-1">What followed from it goes too, and the clock stands at the moment before it.</p>
    {#if marks.length > 1}<p class="quiet small mt-2">Before it: {marks.at(-2)?.label}.</p>{/if}
    <div class="mt-4 flex gap-2">
      <!-- svelte-ignore a11y_autofocus -->
      <button autofocus class="push push-main" onclick={undo}>Take it back</button>
      <button class="push" onclick={onclose}>Not now</button>
    </div>
  {:else}
    <p>Nothing was done on this rehearsal yet.</p>
    <button class="push mt-4" onclick={onclose}>Close</button>
  {/if}
</Sheet>
