<script lang="ts">
  import type { Ref } from '$core/model';
  import { page } from '$app/state';
  import type { Band } from '$server/views/members';
  import { doCall, notices, proveWorkload } from '../call.svelte';
  import { lineHref, plural } from '../format';
  import Peg from '../parts/Peg.svelte';
  import { addressShown, prefs } from '../prefs.svelte';
  import { selection } from '../selection.svelte';
  import Removal from './Removal.svelte';
  import Secret from './Secret.svelte';

  interface Props {
    id: string;
    flag: { hue: number; weave: string };
    band: Band;
    marked: boolean;
    /** It stands on its workload's own sheet. */
    opened?: boolean;
    /** The workload was taken away from here. */
    onremoved?: (() => void) | undefined;
  }
  let { id, flag, band, marked, opened = false, onremoved }: Props = $props();
  /** What was read of a real cluster can be looked at only. */
  const still = $derived(page.data.cluster?.kind === 'dump');
  const isSet = $derived(band.kind === 'StatefulSet');
  const spare = $derived(Math.max(0, band.ready - band.majority));
  const outside = $derived(band.reach.filter((one) => one.outside));
  const inside = $derived(band.reach.filter((one) => !one.outside && !one.headless));
  const roles = $derived(band.rows.some((row) => row.role));
  const sheetHref = $derived(`/r/${encodeURIComponent(id)}/members/${band.namespace}/${band.workload}`);
  let scaling = $state(false);
  let wanted = $state(3);
  let taking = $state<Ref | null>(null);
  /** It goes already, and its node doesn't end it. */
  let forcing = $state(false);
  const goesAlready = (row: { label: string }) => row.label === 'is being taken away';
  const first = $derived(band.rows.find((row) => row.exists));

  async function scale(event: SubmitEvent) {
    event.preventDefault();
    const sent = await doCall('POST', '/rehearsals/{id}/scale', {
      params: { id },
      body: { namespace: band.namespace, name: band.name, replicas: wanted }
    });
    if (!sent) return;
    scaling = false;
    notices.say(
      `${band.name} was asked for ${wanted} members. Run the clock to see them ${wanted < band.replicas ? 'go, the highest first' : 'come, one after the other'}.`
    );
  }
  const prove = () => proveWorkload(id, band.namespace, band.name);
  const claimSizes = (row: Band['rows'][number]) => {
    const sizes = [...new Set(row.claims.map((one) => one.size))];
    return sizes.length === 1 && row.claims.length > 1 ? `${row.claims.length} × ${sizes[0]}` : sizes.join(', ');
  };
  const select = (name: string) => (selection.ref = { kind: 'Pod', namespace: band.namespace, name });
</script>

<section id={band.name} class="mt-4 pb-2 {marked ? 'bg-tape' : ''}" aria-label={band.name}>
  <div class="flex flex-wrap items-start gap-x-10 gap-y-2 border-b border-ink pb-3">
    <div class="min-w-[15rem]">
      <h2 class="text-[1.2rem] leading-tight">
        {#if band.engine}<a class="hover:underline" href={sheetHref}>{band.name}</a>{:else}{band.name}{/if}
      </h2>
      <p class="quiet">
        {band.blueprint}{band.part && band.part !== 'member' ? `, ${band.part}` : ''} · <span class="mono">{band.namespace}</span> · sent {band.sentAt}
      </p>
    </div>
    {#if isSet}
      <div>
        <p class="quiet small mb-1">{band.replicas > 1 && band.byMajority ? 'Quorum' : 'Members'}</p>
        <p class="flex items-center gap-2">
          {#each band.rows.slice(0, 9) as row (row.name)}<Peg state={row.state} size={13} />{/each}
          {band.ready} of {band.replicas}{#if band.replicas > 1 && band.byMajority}, {band.ready >= band.majority
              ? `may lose ${spare}`
              : 'no majority'}{/if}
        </p>
      </div>
    {/if}
    <div>
      <p class="quiet small mb-1">Reach</p>
      <p>
        {#if inside.length}inside {#each inside as one (one.name)}<span class="mono">{one.name}:{one.ports}</span>{' '}{/each}{:else}no
          service inside{/if}
        · outside <b class="font-semibold">{outside.length ? outside.map((one) => one.name).join(', ') : 'nobody'}</b>
      </p>
    </div>
    {#if band.secrets.length}
      <div>
        <p class="quiet small mb-1">Credentials</p>
        {#each band.secrets as name (name)}<Secret {id} namespace={band.namespace} {name} />{/each}
      </div>
    {/if}
    {#if band.certificate}
      <div>
        <p class="quiet small mb-1">Certificate</p>
        <p>{plural(band.certificate.names, 'name')} · {plural(band.certificate.days, 'day')} left</p>
      </div>
    {/if}
  </div>
  <table class="table-plain">
    <thead>
      <tr
        ><th class="w-7"><span class="sr-only">Ordinal</span></th><th>Member</th><th class="wide-only">Address</th><th>Node · zone</th><th
          class="wide-only">Claim</th
        ><th class="num wide-only">Size</th>{#if roles}<th>Role</th><th class="num">Position</th><th class="num">Lag</th>{/if}<th>State</th
        ><th><span class="sr-only">What can be done</span></th></tr
      >
    </thead>
    <tbody>
      {#each band.rows as row (row.name)}
        <tr class="hover:bg-tape {selection.ref?.name === row.name ? 'bg-tape' : ''}">
          <td class="quiet">{row.ordinal ?? ''}</td>
          <td
            ><a
              class="mono hover:underline"
              href={lineHref(
                id,
                row.exists
                  ? { kind: 'Pod', namespace: band.namespace, name: row.name }
                  : { kind: band.kind, namespace: band.namespace, name: band.name }
              )}
              onfocus={() => select(row.name)}>{row.name}</a
            ></td
          >
          <td class="mono quiet wide-only">{addressShown(row.address) || '–'}</td>
          <td class="whitespace-nowrap">{row.node ? `${row.node} · ${row.zone}` : '–'}</td>
          <td class="mono wide-only" title={row.claims.map((one) => one.name).join(', ')}
            >{row.claims[0]?.name ?? '–'}{row.claims.length > 1 ? ` +${row.claims.length - 1}` : ''}</td
          >
          <td class="num wide-only">{claimSizes(row)}</td>
          {#if roles}
            <td class="whitespace-nowrap">{row.role}</td>
            <td class="num">{row.position === null ? '' : row.position.toLocaleString('en')}</td>
            <td class="num">{row.lag === null ? '' : row.lag.toLocaleString('en')}</td>
          {/if}
          <td><span class="inline-flex items-baseline gap-2"><Peg state={row.state} /><span>{row.label}</span></span></td>
          <td class="num"
            >{#if !still && row.exists}<button
                class="word small"
                onclick={() => {
                  forcing = goesAlready(row);
                  taking = { kind: 'Pod', namespace: band.namespace, name: row.name };
                }}
                aria-label="{goesAlready(row) ? 'take away by force' : 'take away'} {row.name}"
                >{goesAlready(row) ? 'by force' : 'take away'}</button
              >{/if}</td
          >
        </tr>
      {:else}
        <tr
          ><td colspan="11" class="quiet"
            >{band.replicas === 0 ? 'It asks for no members. Scale it up to have some.' : 'No members stand yet.'}</td
          ></tr
        >
      {/each}
      {#each band.leaving as name (name)}<tr class="quiet"
          ><td></td><td class="mono">{name}</td><td colspan="9"><Peg state="settling" /> goes</td></tr
        >{/each}
    </tbody>
  </table>
  <div class="mt-3 flex flex-wrap items-center gap-2">
    {#if isSet && still}
      {#if band.engine && !opened}<a class="push push-main" href={sheetHref}>Open</a>{/if}
      <a class="push" href={lineHref(id, { kind: 'StatefulSet', namespace: band.namespace, name: band.name })}>Root line</a>
    {:else if isSet}
      {#if scaling}
        <form class="flex items-center gap-2" onsubmit={scale}>
          <label
            >members <input
              type="number"
              min="0"
              max="1000"
              class="w-[5rem] border border-ink bg-sheet px-2 py-0.5"
              bind:value={wanted}
            /></label
          >
          <button class="push push-main" disabled={wanted === band.replicas}>Send</button>
          <button type="button" class="push" onclick={() => (scaling = false)}>Not now</button>
        </form>
      {:else}
        <button
          class="push"
          onclick={() => {
            wanted = band.replicas;
            scaling = true;
          }}>Scale</button
        >
      {/if}
      {#if first}<button
          class="push"
          onclick={() => {
            forcing = false;
            taking = { kind: 'Pod', namespace: band.namespace, name: first.name };
          }}>Take a member away</button
        >{/if}
      {#if band.engine && !opened}<a class="push push-main" href={sheetHref}>Open</a>{/if}
      <button class="push" onclick={prove}>Prove</button>
      <a class="push" href={lineHref(id, { kind: 'StatefulSet', namespace: band.namespace, name: band.name })}>Root line</a>
    {/if}
    {#if !still}<button class="push push-grave" onclick={() => (taking = { kind: band.kind, namespace: band.namespace, name: band.name })}
        >Take the workload away</button
      >{/if}
  </div>
  {#if isSet}
    <div class="mt-4 grid grid-cols-2 gap-x-10 border-t border-line pt-3 max-[1000px]:grid-cols-1">
      <div>
        <h3 class="font-semibold">Order of start</h3>
        <p class="quiet">
          {#if band.ordered && band.replicas > 1}{band.rows[0]?.name} starts first; each of the others when the one before is ready. Scaling down
            removes the highest first.{:else if band.replicas > 1}All start at once.{:else}There is one member.{/if}
          {band.keepsClaims ? 'Claims stay when a member goes.' : 'Claims go with the members that are scaled away.'}
        </p>
      </div>
      <div>
        <h3 class="font-semibold">Names</h3>
        {#if band.serviceName && band.rows[0]}
          <p class="mono text-[0.82rem]">{band.rows[0].dns} <span class="quiet font-sans">from {band.namespace}</span></p>
          <p class="mono text-[0.82rem]">{band.rows[0].fullDns}</p>
          <p class="mono quiet text-[0.82rem]">{band.rows[0].name} <span class="font-sans">alone does not resolve</span></p>
        {:else}<p class="quiet">It names no headless service, so its members have no names.</p>{/if}
      </div>
    </div>
  {/if}
  {#if 'ephemeral' in band && band.ephemeral?.length}<p class="mt-2">
      <Peg state="settling" label="note" /> <span class="mono">{band.ephemeral.join(', ')}</span> is an ephemeral directory: what lies in it goes
      with the pod.
    </p>{/if}
</section>
{#if taking}<Removal
    {id}
    {flag}
    ref={taking}
    maykeep={taking.kind !== 'Pod'}
    byForce={forcing && taking.kind === 'Pod'}
    onclose={() => (taking = null)}
    onremoved={taking.kind === 'Pod' ? undefined : onremoved}
  />{/if}
{#if prefs.covered}<span class="sr-only">Addresses are covered; press c to uncover.</span>{/if}
