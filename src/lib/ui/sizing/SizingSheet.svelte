<script lang="ts">
  import { untrack } from 'svelte';
  import type { Answers } from '$server/api/types';
  import { call, doCall, notices } from '../call.svelte';
  import Say from '../parts/Say.svelte';
  import Slot from '../parts/Slot.svelte';
  import { openDraft } from './draft';
  import KeptSizings from './KeptSizings.svelte';
  import MeasuredBox from './MeasuredBox.svelte';
  import SizingChart from './SizingChart.svelte';

  type Kept = Answers['Sizings']['items'][number];
  interface Props {
    id: string;
    calc: Answers['Calculations']['calculations'][number];
    workloads: Answers['Calculations']['workloads'];
    /** The kept one that is open. */
    one: Kept | null;
    first: Answers['Sized'];
    kept: readonly Kept[];
    /** All names that are taken, of other calculations too. */
    names: readonly string[];
    compared: readonly { id: number; name: string; sized: Answers['Sized']['sized'] }[];
    base: string;
  }
  let { id, calc, workloads, one, first, kept, names, compared, base }: Props = $props();

  const keyOf = (of: { namespace: string; name: string }) => `${of.namespace}/${of.name}`;
  let written = $state<Record<string, string>>(untrack(() => ({ ...one?.written })));
  let of = $state<string>(untrack(() => (one?.of ? keyOf(one.of) : '')));
  let taken = $state<Record<string, string> | null>(untrack(() => one?.taken ?? null));
  let found = $state.raw(untrack(() => first));
  let name = $state(untrack(() => one?.name ?? ''));
  /** What couldn't be taken, or why nothing could. */
  let said = $state('');
  /** Whether something was taken from the workload that is chosen. */
  let took = $state(untrack(() => one?.taken != null));
  /** The last figures that could be reckoned: they stay, dimmed, while a slot can't be read. */
  let last = $state.raw(untrack(() => first.sized));
  let asks = 0;
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** The kept one that stands in the slots. What is kept from here is not read back: somebody may be writing on already. */
  let opened = $state(untrack(() => one?.id ?? null));
  $effect.pre(() => {
    const next = one;
    untrack(() => {
      if ((next?.id ?? null) === opened) return;
      opened = next?.id ?? null;
      written = { ...next?.written };
      of = next?.of ? keyOf(next.of) : '';
      taken = next?.taken ?? null;
      took = taken !== null;
      name = next?.name ?? '';
      said = '';
      clearTimeout(timer);
      asks += 1;
      found = first;
      last = first.sized ?? last;
    });
  });
  const text = (slot: { id: string; start: string }) => written[slot.id] ?? slot.start;
  const parts = $derived(calc.sentence.split(/(\{\w+\})/));
  const slotOf = (part: string) => calc.slots.find((each) => `{${each.id}}` === part);
  const faults = $derived(found.faults as Record<string, string>);
  const shown = $derived(found.sized ?? last);
  const chosen = $derived(workloads.find((each) => keyOf(each) === of));
  /** Whether there is something that an answer can be written for. */
  const aimed = $derived(calc.taken === 'place' || (chosen !== undefined && took));

  function reckon(waitMs = 120) {
    clearTimeout(timer);
    timer = setTimeout(async () => {
      const nth = (asks += 1);
      const answer = await call('POST', '/rehearsals/{id}/sizing', { params: { id }, body: { calc: calc.id, written: { ...written } } });
      if (nth !== asks) return;
      if (!answer.ok) return notices.complain(answer.trouble);
      found = answer.value;
      if (found.sized) last = found.sized;
    }, waitMs);
  }
  function put(slot: string, value: string) {
    written[slot] = value;
    reckon();
  }

  async function take(key: string) {
    of = key;
    const [namespace, ...rest] = key.split('/');
    const query = key ? { calc: calc.id, namespace: namespace!, workload: rest.join('/') } : { calc: calc.id };
    const answer = await call('GET', '/rehearsals/{id}/sizing/taken', { params: { id }, query });
    if (!answer.ok) return notices.complain(answer.trouble);
    const { written: texts, says } = answer.value;
    took = texts !== null;
    said = texts ? (says ? `Not taken: ${says}.` : '') : `Nothing was taken: ${says}.`;
    if (!texts) return;
    taken = { ...texts };
    written = { ...written, ...texts };
    reckon(0);
  }
  const target = () => (chosen ? { of: { namespace: chosen.namespace, name: chosen.name } } : {});
  const body = () => ({ calc: calc.id, written: { ...written }, ...target(), ...(taken ? { taken: { ...taken } } : {}) });
  async function draft() {
    const body = { calc: calc.id, ...target(), written: { ...written } };
    await openDraft(id, await doCall('POST', '/rehearsals/{id}/sizing/draft', { params: { id }, body }));
  }
  const besideHref = (which: Kept) => {
    const now = compared.map((each) => each.id);
    const next = now.includes(which.id) ? now.filter((each) => each !== which.id) : [...now, which.id];
    return `${base}?${one ? `kept=${one.id}` : `calc=${calc.id}`}${next.length ? `&beside=${next.join(',')}` : ''}`;
  };
</script>

<div class="grid grid-cols-[minmax(0,1fr)_300px] gap-x-8 max-[1100px]:grid-cols-1">
  <section aria-label={calc.title}>
    <p class="quiet">
      Sizing · {calc.title.toLowerCase()}{chosen && took ? ` · taken from ${chosen.name}` : ''}{#if one}, kept as <em>{one.name}</em>{/if}
    </p>
    <h1 class={found.sized ? '' : 'opacity-50'}>
      {#if shown}<Say text={shown.headline} />{:else}{calc.tells}{/if}
    </h1>
    <p class="mt-3 text-[1.05rem] leading-9" role="group" aria-label="What is reckoned with">
      {#each parts as part, i (i)}{@const slot = slotOf(part)}{#if slot}<Slot
            label={slot.label}
            value={text(slot)}
            width={4}
            wrong={faults[slot.id] !== undefined}
            onchange={(value) => put(slot.id, value)}
          />{:else}{part}{/if}{/each}
    </p>
    {#each Object.entries(faults) as [slot, fault] (slot)}
      <p class="small text-brick" role="alert">{slot ? `${calc.slots.find((each) => each.id === slot)?.label}: ` : ''}{fault}</p>
    {/each}
    <p class="small quiet mt-1">A range may stand in any slot: 0.4 to 0.7 MB/s.</p>
    {#if shown?.chart}
      <div class="mt-4 {found.sized ? '' : 'opacity-50'}"><SizingChart chart={shown.chart} /></div>
    {/if}
    {#each shown?.notes ?? [] as note (note)}<p class="mt-2 max-w-[46rem] text-ochre">{note}</p>{/each}
    <div class="small mt-4 max-w-[52rem]">
      {#each found.formulas as formula (formula.text)}
        <p class="mt-1"><span class="mono">{formula.text}</span> <span class="quiet">{formula.source}</span></p>
      {/each}
      {#if shown?.draws}
        <p class="quiet mt-1">
          Ranges: {shown.draws.toLocaleString('en')} draws, each value of a range as likely as another; figures stand at the middle of the ranges,
          nine of ten draws lie in the range beside them.
        </p>
      {/if}
    </div>
    {#if calc.id === 'speed'}<MeasuredBox {id} {written} />{/if}
    {#if compared.length && shown}
      <h2 class="mt-6">Compared</h2>
      <div class="overflow-x-auto">
        <table class="mt-1 w-full">
          <thead>
            <tr class="border-b border-ink text-left"
              ><th class="py-1 font-normal">figure</th><th class="num font-normal">here</th>{#each compared as each (each.id)}<th
                  class="num font-normal">{each.name}</th
                >{/each}</tr
            >
          </thead>
          <tbody>
            {#each shown.figures as figure (figure.id)}
              <tr class="border-b border-line">
                <th scope="row" class="py-1 text-left font-normal">{figure.label}</th><td class="num">{figure.text}</td>
                {#each compared as each (each.id)}<td class="num">{each.sized?.figures.find((two) => two.id === figure.id)?.text ?? '–'}</td
                  >{/each}
              </tr>
            {/each}
          </tbody>
        </table>
      </div>
    {/if}
  </section>
  <aside class="max-[1100px]:mt-6">
    <dl class="border-t border-line {found.sized ? '' : 'opacity-50'}">
      {#each shown?.figures ?? [] as figure (figure.id)}
        <div class="flex items-baseline justify-between gap-3 border-b border-line py-1.5">
          <dt class="min-w-[44%]">{figure.label}</dt>
          <dd class="text-right">
            <b>{figure.text}</b>{#if figure.range}<span class="quiet small block whitespace-nowrap">{figure.range}</span
              >{/if}{#if figure.note}<span class="quiet small block">{figure.note}</span>{/if}
          </dd>
        </div>
      {/each}
    </dl>
    <div>
      <p class="mt-4">
        {#if calc.taken === 'place'}<button class="push" onclick={() => take('')}>Take it from what stands</button>
        {:else}<label
            >Take it from
            <select
              class="max-w-[11rem] border-b-2 border-ink bg-sheet"
              value={of}
              onchange={(event) => take(event.currentTarget.value)}
              aria-label="Take it from"
            >
              <option value="" disabled>a workload</option>
              {#each workloads as each (keyOf(each))}<option value={keyOf(each)}>{keyOf(each)}</option>{/each}
            </select></label
          >{/if}
      </p>
      {#if said}<p class="small quiet mt-1">{said}</p>{/if}
      <p class="mt-3">
        <button class="push push-main" disabled={!aimed || !found.sized} onclick={draft}>Put in a draft</button>
        {#if !aimed}<span class="small quiet block">Take it from a workload first: that is the one it is written for.</span>{/if}
      </p>
    </div>
    <KeptSizings
      {id}
      {one}
      {kept}
      {names}
      {base}
      calc={calc.id}
      bind:name
      ready={found.sized != null}
      {body}
      onkept={(made) => (opened = made)}
    >
      {#snippet more(each)}
        {#if each.id !== one?.id}<a class="word" href={besideHref(each)} data-sveltekit-noscroll
            >{compared.some((two) => two.id === each.id) ? 'leave out' : 'compare with'}</a
          >{/if}
      {/snippet}
    </KeptSizings>
  </aside>
</div>
