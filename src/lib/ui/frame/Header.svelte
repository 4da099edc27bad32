<script lang="ts">
  import type { Snippet } from 'svelte';
  import { contact } from '../contact.svelte';
  import { page } from '$app/state';
  import { call, notices } from '../call.svelte';
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
  const me = $derived(page.data.me as { name: string; role: string } | null | undefined);

  async function signOut() {
    const answer = await call('DELETE', '/session');
    if (answer.ok) location.assign('/sign-in');
    else notices.complain(answer.trouble);
  }
</script>

<header class="no-print flex min-h-[44px] shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-b border-ink px-[18px] max-[1000px]:py-1">
  <a href="/" class="font-bold whitespace-nowrap">Root Barn</a>
  <span class="whitespace-nowrap">{title}</span>
  {#if sub}<span class="quiet whitespace-nowrap">{sub}</span>{/if}
  {@render middle?.()}
  {#if contact.lostSince !== null}
    <span class="font-semibold whitespace-nowrap text-brick" role="alert"
      >no contact since {new Date(contact.lostSince).toLocaleTimeString('en-GB')}<span class="max-[1500px]:sr-only">, trying again</span
      ></span
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
  {#if me}<span class="whitespace-nowrap"
      ><a class="quiet hover:text-ink" href="/account" title={me.role}>{me.name}</a>
      <button class="word ml-1" onclick={signOut}>sign out</button></span
    >{/if}
  <button class="quiet whitespace-nowrap hover:text-ink" onclick={onkeys}>help <span class="key">?</span></button>
</header>
