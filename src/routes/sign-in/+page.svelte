<script lang="ts">
  import { call, type Trouble } from '$ui/call.svelte';

  let { data } = $props();
  let name = $state('');
  let password = $state('');
  let code = $state('');
  let busy = $state(false);
  let trouble = $state.raw<Trouble | null>(null);

  async function go(event: SubmitEvent) {
    event.preventDefault();
    busy = true;
    const answer = data.first
      ? await call('POST', '/first-keeper', { body: { code: code.trim(), name: name.trim(), password } })
      : await call('POST', '/session', { body: { name: name.trim(), password } });
    busy = false;
    // The whole page is loaded anew, so that nothing of a stranger's stays.
    if (answer.ok) location.assign(data.to);
    else trouble = answer.trouble;
  }
</script>

<svelte:head><title>Sign in · Root Barn</title></svelte:head>

<main class="mx-auto mt-[12vh] max-w-[26rem] px-6">
  <p class="font-bold">Root Barn</p>
  <h1 class="mt-4 mb-4">{data.first ? 'Make the first keeper' : 'Sign in'}</h1>
  {#if data.first}<p class="mb-4">
      Nobody has an account here yet. The first one is a keeper's: it makes the others. The code stands where Root Barn was started.
    </p>{/if}
  {#if data.failed}<p role="alert" class="mb-4 text-brick">The provider of identities did not vouch for you. Try again.</p>{/if}
  <form onsubmit={go} class="grid gap-3">
    {#if data.first}<label class="block"
        >Code
        <input
          class="mono mt-1 block w-full border border-ink bg-sheet px-2 py-1.5"
          bind:value={code}
          required
          autocomplete="off"
          maxlength="100"
        />
      </label>{/if}
    <label class="block"
      >Name
      <!-- svelte-ignore a11y_autofocus -->
      <input
        autofocus
        class="mt-1 block w-full border border-ink bg-sheet px-2 py-1.5"
        bind:value={name}
        required
        autocomplete="username"
        maxlength="200"
      />
    </label>
    <label class="block"
      >Password
      <input
        type="password"
        class="mt-1 block w-full border border-ink bg-sheet px-2 py-1.5"
        bind:value={password}
        required
        autocomplete={data.first ? 'new-password' : 'current-password'}
        maxlength="1000"
      />
    </label>
    {#if data.first}<p class="quiet small">Twelve characters or more that nobody guesses: several words, say.</p>{/if}
    {#if trouble}<p role="alert" class="text-brick">{trouble.detail} <span class="quiet">{trouble.remedy}</span></p>{/if}
    <div class="flex items-center gap-4">
      <button class="push push-main" disabled={busy}>{busy ? 'a moment …' : data.first ? 'Make it' : 'Sign in'}</button>
      {#if data.provider && !data.first}<a class="word" href="/sign-in/provider?to={encodeURIComponent(data.to)}" data-sveltekit-reload
          >through {data.provider}</a
        >{/if}
    </div>
  </form>
</main>
