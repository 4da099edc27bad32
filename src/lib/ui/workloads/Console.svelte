<script lang="ts">
  import type { WorkloadSheet } from '$server/views/workload';
  import { doCall } from '../call.svelte';
  import { columnClock } from '../format';
  import Peg from '../parts/Peg.svelte';
  import { askedText } from './asked';

  interface Props {
    id: string;
    sheet: WorkloadSheet;
    still: boolean;
  }
  let { id, sheet, still }: Props = $props();
  let chosen = $state('');
  let values = $state<Record<string, string>>({});
  let member = $state('');
  let way = $state<'inside' | 'outside' | 'tunnel'>('inside');
  let login = $state<'right' | 'wrong' | 'none'>('right');
  let account = $state('');
  let asking = $state(false);
  const form = $derived(sheet.forms.find((one) => one.do === chosen) ?? sheet.forms[0]);
  const members = $derived(sheet.bands.flatMap((band) => band.rows.filter((row) => row.exists).map((row) => row.name)));
  const field = (name: string, start: string) => values[`${form?.do}.${name}`] ?? start;
  const numeric = new Set(['count', 'bytes']);

  async function ask(event: SubmitEvent) {
    event.preventDefault();
    if (!form || asking) return;
    asking = true;
    const given = form.fields.map((one) => [one.id, field(one.id, one.start)] as const).filter(([, value]) => value !== '');
    const op = { do: form.do, ...Object.fromEntries(given.map(([name, value]) => [name, numeric.has(name) ? Number(value) : value])) };
    await doCall('POST', '/rehearsals/{id}/asks', {
      params: { id },
      body: {
        namespace: sheet.namespace,
        workload: sheet.name,
        way,
        login,
        op,
        ...(account ? { account } : {}),
        ...(member && form.member ? { member } : {})
      }
    });
    asking = false;
  }
  const pegs = { acknowledged: 'holds', refused: 'broken', unknown: 'settling' } as const;
</script>

{#if form}
  <form class="border-t border-ink pt-3" onsubmit={ask}>
    <div class="flex flex-wrap items-center gap-x-4 gap-y-2">
      {#each sheet.forms as one (one.do)}
        <button
          type="button"
          class={form.do === one.do ? 'border-b-2 border-ink font-semibold' : 'quiet hover:underline'}
          aria-pressed={form.do === one.do}
          onclick={() => (chosen = one.do)}>{one.title}</button
        >
      {/each}
    </div>
    <div class="mt-3 flex flex-wrap items-end gap-x-4 gap-y-3">
      {#each form.fields as one (form.do + one.id)}
        <label class="small quiet block"
          >{one.label}
          {#if one.options}
            <select
              class="select-plain block h-[33px] border border-line bg-sheet px-2 text-[0.95rem] text-ink"
              value={field(one.id, one.start)}
              onchange={(event) => (values = { ...values, [`${form.do}.${one.id}`]: event.currentTarget.value })}
              >{#each one.options as option (option)}<option>{option}</option>{/each}</select
            >
          {:else}
            <input
              class="mono block h-[33px] border border-line bg-sheet px-2 text-[0.9rem] text-ink"
              size={one.id === 'value' ? 26 : 16}
              inputmode={numeric.has(one.id) ? 'numeric' : undefined}
              value={field(one.id, one.start)}
              oninput={(event) => (values = { ...values, [`${form.do}.${one.id}`]: event.currentTarget.value })}
            />
          {/if}
        </label>
      {/each}
      {#if form.member}
        <label class="small quiet block"
          >on<select class="select-plain block h-[33px] border border-line bg-sheet px-2 text-[0.95rem] text-ink" bind:value={member}
            ><option value="">whoever answers</option>{#each members as one (one)}<option>{one}</option>{/each}</select
          ></label
        >
      {/if}
      <label class="small quiet block"
        >from<select class="select-plain block h-[33px] border border-line bg-sheet px-2 text-[0.95rem] text-ink" bind:value={way}
          ><option value="inside">inside</option><option value="outside">outside</option><option value="tunnel">outside, by a tunnel</option
          ></select
        ></label
      >
      {#if sheet.accounts.length}
        <label class="small quiet block"
          >as<select class="select-plain block h-[33px] border border-line bg-sheet px-2 text-[0.95rem] text-ink" bind:value={account}
            ><option value="">the first account</option>{#each sheet.accounts as one (one.name)}<option>{one.name}</option>{/each}</select
          ></label
        >
      {/if}
      <label class="small quiet block"
        >with<select class="select-plain block h-[33px] border border-line bg-sheet px-2 text-[0.95rem] text-ink" bind:value={login}
          ><option value="right">the password</option><option value="wrong">a wrong password</option><option value="none"
            >no password</option
          ></select
        ></label
      >
      <button class="push push-main" disabled={asking || still}>{asking ? 'Asking …' : 'Ask'}</button>
    </div>
  </form>
{/if}

{#if sheet.asks.length}
  <table class="table-plain mt-5">
    <thead><tr><th>At</th><th>Asked</th><th>Of</th><th>Came back</th><th class="num">Took</th></tr></thead>
    <tbody>
      {#each sheet.asks as one (one.id)}
        <tr>
          <td class="mono quiet whitespace-nowrap">{one.status ? columnClock(one.status.askedMs) : 'now'}</td>
          <td class="mono max-w-[17rem] break-words"
            >{askedText(one.op, sheet.forms)}{one.way === 'inside'
              ? ''
              : `, ${one.way === 'tunnel' ? 'by a tunnel' : 'from outside'}`}{one.account ? `, as ${one.account}` : ''}{one.login ===
            'right'
              ? ''
              : `, ${one.login === 'wrong' ? 'wrong password' : 'no password'}`}</td
          >
          <td class="mono whitespace-nowrap">{one.status?.by ?? one.member ?? ''}</td>
          <td
            ><span class="flex items-baseline gap-2"
              ><Peg
                state={one.status?.outcome ? pegs[one.status.outcome] : 'settling'}
                size={10}
                label={one.status?.outcome ?? 'no answer yet'}
              /><span
                >{one.status?.says ?? 'no answer yet; run the clock'}
                {#if one.status?.rows?.length}<span class="mono mt-1 block text-[0.8rem] break-words"
                    >{#each one.status.rows as [key, value], i (i)}<span class="block">{key} <span class="quiet">{value}</span></span
                      >{/each}</span
                  >{/if}</span
              ></span
            ></td
          >
          <td class="num whitespace-nowrap"
            >{one.status?.answeredMs === undefined ? '' : `${(one.status.answeredMs - one.status.askedMs).toLocaleString('en')} ms`}</td
          >
        </tr>
      {/each}
    </tbody>
  </table>
{:else if sheet.forms.length}
  <p class="quiet mt-5">Nothing has been asked yet. An answer takes time on the clock, and the clock runs until it is there.</p>
{/if}
