<script lang="ts">
  import type { Snippet } from 'svelte';
  import { contact } from '../contact.svelte';
  import { prefs } from '../prefs.svelte';

  interface Props {
    title: string;
    sub?: string;
    onfind?: (() => void) | undefined;
    onkeys(): void;
    middle?: Snippet;
    clock?: Snippet;
  }
  let { title, sub, onfind, onkeys, middle, clock }: Props = $props();
</script>

<header class="no-print flex min-h-[44px] shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-b border-ink px-[18px] max-[1000px]:py-1">
  <a href="/" class="font-bold whitespace-nowrap">Root Barn</a>
  <span class="whitespace-nowrap">{title}</span>
  {#if sub}<span class="quiet whitespace-nowrap">{sub}</span>{/if}
  {@render middle?.()}
  {#if contact.lostSince !== null}
    <span class="font-semibold whitespace-nowrap text-brick" role="alert"
      >no contact since {new Date(contact.lostSince).toLocaleTimeString('en-GB')}, trying again</span
    >
  {/if}
  <span class="flex-1"></span>
  {@render clock?.()}
  <button class="quiet whitespace-nowrap hover:text-ink" aria-pressed={prefs.covered} onclick={() => prefs.setCovered(!prefs.covered)}>
    {prefs.covered ? 'covered' : 'uncovered'} <span class="key">c</span>
  </button>
  {#if onfind}
    <button class="quiet whitespace-nowrap hover:text-ink" onclick={onfind}>find <span class="key">/</span></button>
  {/if}
  <button class="quiet whitespace-nowrap hover:text-ink" onclick={() => prefs.setTheme(prefs.theme === 'paper' ? 'night' : 'paper')}>
    {prefs.theme === 'paper' ? 'night' : 'paper'} <span class="key">n</span>
  </button>
  <button class="quiet whitespace-nowrap hover:text-ink" onclick={onkeys}>help <span class="key">?</span></button>
</header>
