<script lang="ts">
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import { pageKey } from '$ui/frame/page-keys';
  import { call, type Trouble } from '$ui/call.svelte';

  let { data } = $props();
  let keys = $state(false);
  let old = $state('');
  let password = $state('');
  let trouble = $state.raw<Trouble | null>(null);
  let changed = $state(false);

  async function change(event: SubmitEvent) {
    event.preventDefault();
    const answer = await call('PUT', '/session/password', { body: { old, password } });
    changed = answer.ok;
    trouble = answer.ok ? null : answer.trouble;
    if (answer.ok) [old, password] = ['', ''];
  }
</script>

<svelte:head><title>Your account · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<Header title="Your account" onkeys={() => (keys = true)} />
<main class="mx-auto max-w-[34rem] px-[34px] pt-6 pb-10">
  {#if data.me}
    <h1 class="break-all">{data.me.name}</h1>
    <p class="quiet mt-1">Your role is {data.me.role}.</p>
    {#if data.me.role === 'keeper'}<p class="mt-3">
        <a class="word" href="/accounts">Accounts and backups</a> · <a class="word" href="/deeds">who did what</a>
      </p>{:else if data.me.role === 'engineer'}<p class="mt-3"><a class="word" href="/deeds">Who did what</a></p>{/if}
    <h2 class="mt-7 mb-2">Another password</h2>
    <form class="grid gap-3" onsubmit={change}>
      <label
        >The present one
        <input
          type="password"
          class="mt-1 block w-full border border-ink bg-sheet px-2 py-1.5"
          bind:value={old}
          required
          autocomplete="current-password"
        /></label
      >
      <label
        >The new one
        <input
          type="password"
          class="mt-1 block w-full border border-ink bg-sheet px-2 py-1.5"
          bind:value={password}
          required
          minlength="12"
          autocomplete="new-password"
        /></label
      >
      {#if trouble}<p role="alert" class="text-brick">{trouble.detail} <span class="quiet">{trouble.remedy}</span></p>{/if}
      {#if changed}<p role="status">It is changed; where else you were signed in, that is over.</p>{/if}
      <div><button class="push push-main">Change it</button></div>
    </form>
  {:else}
    <h1>Nobody signs in here</h1>
    <p class="mt-2">This Root Barn listens on this machine only and is yours. docs/operating.md tells how others can reach it.</p>
    <p class="mt-3"><a class="word" href="/accounts">Accounts and backups</a> · <a class="word" href="/deeds">who did what</a></p>
  {/if}
</main>

{#if keys}<Keys onclose={() => (keys = false)} />{/if}
