<script lang="ts">
  import type { Snippet } from 'svelte';
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

<header class="flex h-[44px] shrink-0 items-center gap-4 border-b border-ink px-[18px]">
  <a href="/" class="font-bold whitespace-nowrap">Root Barn</a>
  <span class="whitespace-nowrap">{title}</span>
  {#if sub}<span class="quiet whitespace-nowrap">{sub}</span>{/if}
  {@render middle?.()}
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
  <button class="quiet whitespace-nowrap hover:text-ink" onclick={onkeys}>keys <span class="key">?</span></button>
</header>
