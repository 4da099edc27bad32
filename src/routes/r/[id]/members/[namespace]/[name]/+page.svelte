<script lang="ts">
  import { frameHere } from '$ui/frame/frame.svelte';
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import Peg from '$ui/parts/Peg.svelte';
  import Console from '$ui/workloads/Console.svelte';
  import Findings from '$ui/workloads/Findings.svelte';
  import Logs from '$ui/workloads/Logs.svelte';
  import Band from '$ui/sheets/Band.svelte';
  import Removal from '$ui/sheets/Removal.svelte';
  import { doCall, newDraft, notices } from '$ui/call.svelte';
  import { addressShown } from '$ui/prefs.svelte';
  import { gib } from '$ui/format';

  let { data } = $props();
  const frame = frameHere();
  const sheet = $derived(data.sheet);
  let removing = $state(false);
  const chief = $derived(sheet.bands.find((one) => one.name === sheet.name) ?? sheet.bands[0]);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  const dump = $derived(data.cluster.kind === 'dump');
  const views = [
    ['members', 'members'],
    ['console', 'console'],
    ['logs', 'logs'],
    ['reach', 'reach'],
    ['waits', 'what waits'],
    ['findings', 'findings']
  ] as const;
  const view = $derived(page.url.searchParams.get('view') ?? 'members');
  const rows = $derived(sheet.bands.flatMap((band) => band.rows));
  const ready = $derived(sheet.bands.reduce((sum, band) => sum + band.ready, 0));
  const wanted = $derived(sheet.bands.reduce((sum, band) => sum + band.replicas, 0));
  const show = (one: string) => goto(`?${new URLSearchParams({ view: one })}`, { keepFocus: true, noScroll: true });

  async function rest(wake: boolean) {
    const sent = await doCall('POST', wake ? '/rehearsals/{id}/wake' : '/rehearsals/{id}/rest', {
      params: { id: data.id },
      body: { namespace: sheet.namespace, workload: sheet.name }
    });
    if (sent)
      notices.say(
        wake ? `${sheet.name} starts in order when the clock runs.` : `${sheet.name} stops in order when the clock runs; its volumes stay.`
      );
  }
  async function keepInside(service: string, yaml: string) {
    const id = await newDraft(data.cluster.name, `${service} for the inside only`, yaml);
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
  async function withTls() {
    const id = await newDraft(data.cluster.name, `${sheet.name} with certificates`, sheet.withTls);
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
  /** Where a tunnel is reached, in the stand-in's own names. */
  const tunnelAddress = (one: { name: string; ports: readonly { port: number }[] }) =>
    `${one.name}.${sheet.namespace}.tunnel.standin.example:${one.ports[0]!.port}`;
  async function copyAddress(address: string) {
    try {
      await navigator.clipboard.writeText(address);
      notices.say(`${address} was copied.`);
    } catch {
      notices.complain({ detail: "The browser doesn't let pages write to the clipboard.", remedy: `Copy it by hand: ${address}` });
    }
  }
  async function tunnel(service: string, open: boolean) {
    const sent = await doCall('POST', '/rehearsals/{id}/tunnels', {
      params: { id: data.id },
      body: { namespace: sheet.namespace, service, open }
    });
    if (sent) notices.say(open ? `A tunnel to ${service} stands until you close it.` : `The tunnel to ${service} is closed.`);
  }
</script>

<svelte:head><title>{sheet.name} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <div class="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
    <div>
      <p class="quiet"><a class="hover:underline" href="{base}/members">Members</a> · <span class="mono">{sheet.namespace}</span></p>
      <h1>
        {sheet.name}: {sheet.rest
          ? `${sheet.rest}.`
          : ready === wanted
            ? `all ${wanted} members are ready.`
            : `${ready} of ${wanted} members are ready.`}
      </h1>
      <p class="quiet mt-1 max-w-[52rem]">{sheet.blueprint}. {sheet.order}</p>
    </div>
    {#if !dump}
      <div class="flex items-center gap-2 whitespace-nowrap">
        {#if sheet.restName}<button class="push push-main" onclick={() => rest(true)}>Wake it</button>
        {:else if sheet.engine}<button class="push" onclick={() => rest(false)}>Rest it</button>{/if}
        {#if sheet.engine && frame.now.kin > 1}<a class="push" href="{base}/move/{sheet.namespace}/{sheet.name}">Move it</a>{/if}
        <button class="push push-grave" onclick={() => (removing = true)}>Take it away</button>
        <a class="push" href="{base}/proofs?{new URLSearchParams({ set: `${sheet.namespace}/${sheet.name}` })}">Proofs</a>
      </div>
    {/if}
  </div>
  <nav class="mt-4 flex flex-wrap gap-x-5 gap-y-1" aria-label="Parts of the sheet">
    {#each views as [one, title] (one)}
      <button
        class={view === one ? 'border-b-2 border-ink font-semibold' : 'quiet hover:underline'}
        aria-pressed={view === one}
        onclick={() => show(one)}>{title}</button
      >
    {/each}
  </nav>

  {#if view === 'console'}
    <div class="mt-4">
      {#if sheet.forms.length}<Console id={data.id} {sheet} still={dump} />{:else}<p class="quiet">
          The program in its members isn't one that the stand-in knows, so nothing can be asked of it.
        </p>{/if}
    </div>
  {:else if view === 'logs'}
    <div class="mt-4">
      <Logs
        id={data.id}
        namespace={sheet.namespace}
        name={sheet.name}
        moment="{frame.now.clock.nowMs}/{frame.now.rehearsal.revision}"
        members={rows.filter((row) => row.exists).map((row) => row.name)}
      />
    </div>
  {:else if view === 'reach'}
    <div class="mt-4">
      <table class="table-plain border-t border-ink">
        <thead><tr><th>Service</th><th>Ports</th><th>Reached from</th><th>Leads to</th><th>Tunnel</th></tr></thead>
        <tbody>
          {#each sheet.services as one (one.name)}
            <tr>
              <td class="mono">{one.name}</td>
              <td>{one.ports.map((port) => `${port.name} ${port.port}`).join(', ')}</td>
              <td
                >{#if one.outside && one.called}<Peg state={one.fault ? 'broken' : 'holds'} size={10} label="public, with a certificate" /> inside
                  and outside, with a certificate for <span class="mono text-[0.85rem]">{one.called}</span>{one.addresses.length
                    ? `, at ${one.addresses.map(addressShown).join(', ')}`
                    : '; the address is still to come'}{:else if one.outside}<Peg state="settling" size={10} label="public" /> inside and outside,
                  for anybody and in plain{one.addresses.length
                    ? `, at ${one.addresses.map(addressShown).join(', ')}`
                    : '; the address is still to come'}{:else}inside{one.headless ? ', by member' : ''}{one.called
                    ? `, with a certificate for ${one.called}`
                    : ''}{/if}{#if one.fault}<span class="small block text-brick">{one.fault}</span>{/if}</td
              >
              <td class="mono max-w-[22rem] text-[0.82rem] break-words">{one.members.join(', ') || 'nobody'}</td>
              <td
                >{#if one.tunnel && one.ports[0]}<span class="mono block text-[0.82rem] break-all">{tunnelAddress(one)}</span><button
                    class="word"
                    onclick={() => copyAddress(tunnelAddress(one))}>copy the address</button
                  >{' '}{/if}{#if dump}–{:else if one.outside}<button class="word" onclick={() => keepInside(one.name, one.inside)}
                    >keep it inside</button
                  >{:else if one.tunnel}<button class="word" onclick={() => tunnel(one.name, false)}>close it</button
                  >{:else if !one.headless}<button class="word" onclick={() => tunnel(one.name, true)}>open one</button>{/if}</td
              >
            </tr>
          {:else}<tr><td colspan="5" class="quiet">No service leads to it.</td></tr>{/each}
        </tbody>
      </table>
      <p class="quiet mt-3 max-w-[44rem]">
        A tunnel is a private path from outside to one service, for as long as it stands: for a look or a one-time copy, instead of a public
        address.
      </p>
      {#if sheet.withTls && !dump}
        <p class="mt-3 flex max-w-[52rem] flex-wrap items-baseline gap-x-3">
          <button class="push" onclick={withTls}>Serve it with certificates</button>
          <span class="quiet"
            >A draft: an issuer, a certificate with every name, and the outside addresses on the port with TLS. Members restart one after
            another.</span
          >
        </p>
      {/if}
      {#if sheet.accounts.length}
        <h2 class="mt-6 mb-1">Accounts</h2>
        {#each sheet.accounts as one (one.name)}<p>
            <Peg state={one.ready ? 'holds' : 'settling'} size={10} /> <span class="mono">{one.name}</span>
            <span class="quiet">{one.says}</span>
          </p>{/each}
      {/if}
      {#if sheet.topics.length}
        <h2 class="mt-6 mb-1">Topics</h2>
        {#each sheet.topics as one (one.name)}<p>
            <Peg state={one.ready ? 'holds' : 'settling'} size={10} /> <span class="mono">{one.name}</span>
            <span class="quiet">{one.says}</span>
          </p>{/each}
      {/if}
      <h2 class="mt-6 mb-1">Images</h2>
      {#each sheet.images as one (one.image)}<p>
          <span class="mono">{one.image}</span>
          <span class="quiet"
            >{gib(one.bytes)}{one.fits ? `; fits clusters from ${one.fits.from} to ${one.fits.to}` : ''}{one.licence
              ? `; licence: ${one.licence}`
              : ''}</span
          >
        </p>{/each}
    </div>
  {:else if view === 'findings'}
    <div class="mt-4">
      <Findings
        id={data.id}
        cluster={data.cluster.name}
        namespace={sheet.namespace}
        moment="{frame.now.clock.nowMs}/{frame.now.rehearsal.revision}"
      />
    </div>
  {:else if view === 'waits'}
    <dl class="mt-4 border-t border-ink">
      {#each sheet.waits as one (one.name)}
        <div class="grid grid-cols-[13rem_1fr] border-b border-line py-2">
          <dt class="mono">{one.name}</dt>
          <dd>{one.says}</dd>
        </div>
      {/each}
    </dl>
  {:else}
    {#each sheet.bands as band (band.kind + band.name)}<Band
        id={data.id}
        flag={data.cluster.flag}
        {band}
        marked={false}
        opened
        onremoved={() => goto(`${base}/members`)}
      />{/each}
  {/if}
</div>

{#if removing && chief}<Removal
    id={data.id}
    flag={data.cluster.flag}
    ref={{ kind: chief.kind, namespace: chief.namespace, name: chief.name }}
    maykeep
    onclose={() => (removing = false)}
    onremoved={() => goto(`${base}/members`)}
  />{/if}
