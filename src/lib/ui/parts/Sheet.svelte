<script lang="ts">
  import type { Snippet } from 'svelte';
  import Flag from './Flag.svelte';

  interface Props {
    title: string;
    flag?: { hue: number; weave: string } | undefined;
    wide?: boolean;
    onclose(): void;
    children: Snippet;
  }
  let { title, flag, wide = false, onclose, children }: Props = $props();
  let dialog: HTMLDialogElement;

  $effect(() => {
    const before = document.activeElement;
    dialog.showModal();
    // Back to where one was; where that has gone, to the sheet, so that keys go on working.
    return () => {
      const back =
        before instanceof HTMLElement && before.isConnected && before !== document.body ? before : document.getElementById('sheet');
      back?.focus();
    };
  });
</script>

<!-- Escape closes at once: the event of having closed comes a task later, and a key pressed in between would be lost. -->
<dialog
  bind:this={dialog}
  oncancel={(event) => {
    event.preventDefault();
    onclose();
  }}
  {onclose}
  aria-label={title}
  class="fixed top-[12vh] left-1/2 m-0 max-h-[76vh] -translate-x-1/2 overflow-auto border border-ink bg-sheet p-0 text-ink backdrop:bg-black/25 {wide
    ? 'w-[46rem]'
    : 'w-[32rem]'} max-w-[94vw]"
>
  {#if flag}<Flag {flag} class="h-[6px]" />{/if}
  <div class="px-6 py-5">
    <h2 class="mb-3 text-lg break-words">{title}</h2>
    {@render children()}
  </div>
</dialog>
