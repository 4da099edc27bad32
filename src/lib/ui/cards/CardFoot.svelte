<script lang="ts">
  /** What stands under a card that is being written: what is wrong, and what to do with the changes. */
  interface Props {
    fault: string;
    changed: boolean;
    onput(): Promise<void>;
    onleave(): void;
  }
  let { fault, changed, onput, onleave }: Props = $props();
  let busy = $state(false);
  async function put() {
    busy = true;
    await onput();
    busy = false;
  }
</script>

{#if fault}<p class="small text-brick">{fault}</p>{/if}
{#if changed}
  <p class="mt-1 flex gap-2">
    <button class="push push-main" disabled={busy || fault !== ''} onclick={put}>Put in a draft</button>
    <button class="push" onclick={onleave}>Leave it as it is</button>
  </p>
{/if}
