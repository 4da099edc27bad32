<script lang="ts">
  import type { Role } from '$server/access/roles';
  import { invalidate } from '$app/navigation';
  import Header from '$ui/frame/Header.svelte';
  import Keys from '$ui/frame/Keys.svelte';
  import NoticeLine from '$ui/frame/NoticeLine.svelte';
  import { pageKey } from '$ui/frame/page-keys';
  import Sheet from '$ui/parts/Sheet.svelte';
  import { call, doCall, notices, type Trouble } from '$ui/call.svelte';
  import { plural } from '$ui/format';

  let { data } = $props();
  const roles = [
    ['reader', 'looks, checks, reads dumps'],
    ['engineer', 'also drafts, rehearses, proves'],
    ['keeper', 'also keeps accounts, backups, clusters']
  ] as const;
  let keys = $state(false);
  let name = $state('');
  let password = $state('');
  let role = $state<Role>('engineer');
  let trouble = $state.raw<Trouble | null>(null);
  let tokenName = $state('');
  let tokenRole = $state<Role>('engineer');
  let tokenDays = $state(90);
  let shown = $state<string | null>(null);
  let resetting = $state<string | null>(null);
  let ending = $state<string | null>(null);
  let next = $state('');
  let busy = $state(false);
  const day = (text: string) => text.slice(0, 10);
  const anew = () => invalidate('app:accounts');

  async function add(event: SubmitEvent) {
    event.preventDefault();
    const made = await call('POST', '/accounts', { body: { name: name.trim(), role, password } });
    trouble = made.ok ? null : made.trouble;
    if (!made.ok) return;
    notices.say(`${name.trim()} can sign in now.`);
    [name, password] = ['', ''];
    await anew();
  }
  async function change(account: string, body: { role?: Role; password?: string }, says: string) {
    if (await doCall('PUT', '/accounts/{account}', { params: { account }, body })) notices.say(says);
    await anew();
  }
  async function end() {
    if (ending && (await doCall('DELETE', '/accounts/{account}', { params: { account: ending } })))
      notices.say(`${ending} can't sign in any more.`);
    ending = null;
    await anew();
  }
  async function addToken(event: SubmitEvent) {
    event.preventDefault();
    const made = await doCall('POST', '/tokens', { body: { name: tokenName.trim(), role: tokenRole, days: tokenDays } });
    if (made) [shown, tokenName] = [made.token, ''];
    await anew();
  }
  async function backup() {
    busy = true;
    const made = await doCall('POST', '/backups');
    busy = false;
    if (made) notices.say(`${made.file} is made.`);
    await anew();
  }
</script>

<svelte:head><title>Accounts and backups · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<div class="flex min-h-screen flex-col">
  <Header title="Accounts and backups" onkeys={() => (keys = true)} />
  <main class="mx-auto w-full max-w-[72rem] flex-1 px-[34px] pt-6 pb-10">
    <h1>Who may come in</h1>
    {#if !data.demanded}<p class="quiet mt-1">
        Nobody signs in here: this Root Barn listens on this machine only. With --listen, --origin or --sign-in these accounts count.
      </p>{/if}
    <table class="table-plain mt-3 w-full">
      <thead><tr><th>Name</th><th>Role</th><th>Since</th><th><span class="sr-only">What can be done</span></th></tr></thead>
      <tbody>
        {#each data.accounts as one (one.name)}
          <tr>
            <td class="break-all">{one.name}{one.name === data.own ? ' (you)' : ''}</td>
            <td>
              {#if one.endedAt}<span class="quiet">ended {day(one.endedAt)}</span>{:else}
                <select
                  class="bg-sheet"
                  value={one.role}
                  aria-label="Role of {one.name}"
                  onchange={(event) =>
                    change(one.name, { role: event.currentTarget.value as Role }, `${one.name} is ${event.currentTarget.value} now.`)}
                >
                  {#each roles as [id] (id)}<option value={id}>{id}</option>{/each}
                </select>{/if}
            </td>
            <td class="mono">{day(one.madeAt)}</td>
            <td class="text-right whitespace-nowrap">
              {#if !one.endedAt}
                <button class="word" onclick={() => ((resetting = one.name), (next = ''))}>new password</button>
                <button class="word ml-3 text-brick" onclick={() => (ending = one.name)}>end</button>
              {/if}
            </td>
          </tr>
        {:else}<tr><td colspan="4" class="quiet">Nobody yet.</td></tr>{/each}
      </tbody>
    </table>
    <form class="mt-4 flex flex-wrap items-end gap-3" onsubmit={add}>
      <label
        >Name <input
          class="mt-1 block border border-ink bg-sheet px-2 py-1"
          bind:value={name}
          required
          maxlength="60"
          autocomplete="off"
        /></label
      >
      <label
        >Password
        <input
          type="password"
          class="mt-1 block border border-ink bg-sheet px-2 py-1"
          bind:value={password}
          required
          autocomplete="new-password"
        /></label
      >
      <label
        >Role
        <select class="mt-1 block border border-ink bg-sheet px-2 py-1" bind:value={role} aria-label="Role of the new account">
          {#each roles as [id, says] (id)}<option value={id}>{id}: {says}</option>{/each}
        </select></label
      >
      <button class="push">Make an account</button>
    </form>
    {#if trouble}<p role="alert" class="mt-2 text-brick">{trouble.detail} <span class="quiet">{trouble.remedy}</span></p>{/if}

    <h2 class="mt-9 mb-2">Tokens of programs</h2>
    {#if shown}<p role="status" class="mb-2 border border-ink px-3 py-2">
        <span class="mono break-all" data-testid="token">{shown}</span><br /><span class="quiet small"
          >This is shown once. Send it as Authorization: Bearer …</span
        >
        <button class="word small ml-3" onclick={() => (shown = null)}>I have it</button>
      </p>{/if}
    <table class="table-plain w-full">
      <thead><tr><th>Name</th><th>Role</th><th>Made</th><th>Until</th><th><span class="sr-only">What can be done</span></th></tr></thead>
      <tbody>
        {#each data.tokens as one (one.id)}
          <tr>
            <td class="break-all">{one.name}</td><td>{one.role}</td>
            <td><span class="mono">{day(one.madeAt)}</span> by {one.madeBy}</td>
            <td
              >{#if one.endedAt}<span class="quiet">ended {day(one.endedAt)}</span>{:else}<span
                  class="mono"
                  class:quiet={one.endsAt < data.now}>{day(one.endsAt)}</span
                >{/if}</td
            >
            <td class="text-right">
              {#if !one.endedAt}<button
                  class="word text-brick"
                  onclick={async () => {
                    await doCall('DELETE', '/tokens/{token}', { params: { token: one.id } });
                    await anew();
                  }}>end</button
                >{/if}
            </td>
          </tr>
        {:else}<tr><td colspan="5" class="quiet">None.</td></tr>{/each}
      </tbody>
    </table>
    <form class="mt-4 flex flex-wrap items-end gap-3" onsubmit={addToken}>
      <label>Name <input class="mt-1 block border border-ink bg-sheet px-2 py-1" bind:value={tokenName} required maxlength="60" /></label>
      <label
        >Role
        <select class="mt-1 block border border-ink bg-sheet px-2 py-1" bind:value={tokenRole} aria-label="Role of the new token">
          {#each roles as [id] (id)}<option value={id}>{id}</option>{/each}
        </select></label
      >
      <label
        >Days
        <input
          type="number"
          min="1"
          max="365"
          class="mt-1 block w-[6rem] border border-ink bg-sheet px-2 py-1"
          bind:value={tokenDays}
          required
        /></label
      >
      <button class="push">Make a token</button>
    </form>

    <h2 class="mt-9 mb-2">Backups</h2>
    <p class="quiet">
      {data.backups.length ? `${plural(data.backups.length, 'backup')} in the folder for them.` : 'None in the folder for them yet.'}
    </p>
    <ul class="mt-2">
      {#each data.backups.slice(0, 12) as one (one.file)}<li>
          <span class="mono">{one.file}</span> <span class="quiet">{(one.bytes / 2 ** 20).toFixed(1)} MiB</span>
        </li>{/each}
    </ul>
    <p class="mt-3">
      <button class="push" onclick={backup} disabled={busy}>{busy ? 'being made …' : 'Make a backup now'}</button>
      <a class="word ml-4" href="/deeds">who did what</a>
    </p>
  </main>
  <NoticeLine />
</div>

{#if resetting}<Sheet title="A new password for {resetting}" onclose={() => (resetting = null)}>
    <form
      onsubmit={async (event) => {
        event.preventDefault();
        const who = resetting!;
        resetting = null;
        await change(who, { password: next }, `${who} has a new password; where ${who} was signed in, that is over.`);
      }}
    >
      <!-- svelte-ignore a11y_autofocus -->
      <input
        autofocus
        type="password"
        class="block w-full border border-ink bg-sheet px-2 py-1.5"
        bind:value={next}
        required
        minlength="12"
        autocomplete="new-password"
        aria-label="New password"
      />
      <div class="mt-4 flex gap-2">
        <button class="push push-main">Set it</button>
        <button type="button" class="push" onclick={() => (resetting = null)}>Not now</button>
      </div>
    </form>
  </Sheet>{/if}
{#if ending}<Sheet title="End the account {ending}?" onclose={() => (ending = null)}>
    <p>{ending} is signed out everywhere and can't sign in any more. What {ending} did stays written.</p>
    <div class="mt-4 flex gap-2">
      <button class="push push-main" onclick={end}>End it</button>
      <!-- svelte-ignore a11y_autofocus -->
      <button autofocus class="push" onclick={() => (ending = null)}>Not now</button>
    </div>
  </Sheet>{/if}
{#if keys}<Keys onclose={() => (keys = false)} />{/if}
