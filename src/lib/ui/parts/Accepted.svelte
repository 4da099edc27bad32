<script lang="ts" generics="T extends { message: string; accepted?: { reason: string; until?: string | null } | null }">
  import type { Snippet } from 'svelte';
  import { plural } from '../format';

  interface Props {
    items: readonly T[];
    /** What stands in front of a finding: where it is. */
    where: Snippet<[T]>;
    class?: string;
  }
  let { items, where, class: more = '' }: Props = $props();
  /** So many are written out; a house that accepts more has other cares. */
  const mostShown = 200;
</script>

{#if items.length}
  <details class="small {more}" data-testid="accepted">
    <summary class="quiet cursor-pointer">{plural(items.length, 'finding')} accepted by house rules</summary>
    <ul class="max-h-[30vh] overflow-auto">
      {#each items.slice(0, mostShown) as one, i (i)}
        <li class="quiet py-[2px] break-words">
          {@render where(one)}
          {one.message} Accepted{one.accepted?.until ? ` until ${one.accepted.until}` : ''}: {one.accepted?.reason}
        </li>
      {/each}
    </ul>
    {#if items.length > mostShown}<p class="quiet">and {items.length - mostShown} more.</p>{/if}
  </details>
{/if}
