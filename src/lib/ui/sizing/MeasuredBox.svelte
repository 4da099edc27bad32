<script lang="ts">
  import type { Answers } from '$server/api/types';
  import { call, notices } from '../call.svelte';

  interface Props {
    id: string;
    /** What stands in the slots of the speed sheet. */
    written: Readonly<Record<string, string>>;
  }
  let { id, written }: Props = $props();

  let table = $state('');
  let operations = $state(-1);
  let time = $state(-1);
  let seconds = $state(0.001);
  let found = $state.raw<Answers['SizingMeasured'] | null>(null);
  let asks = 0;
  const mostBytes = 400_000;
  const units = [
    [1, 's'],
    [0.001, 'ms'],
    [0.000001, 'µs'],
    [0.000000001, 'ns']
  ] as const;

  $effect(() => {
    const body = {
      table,
      written: { ...written },
      ...(operations < 0 ? {} : { columns: { operations, ...(time < 0 ? {} : { time: { column: time, seconds } }) } })
    };
    if (!table.trim()) {
      found = null;
      return;
    }
    const timer = setTimeout(async () => {
      const nth = (asks += 1);
      const answer = await call('POST', '/rehearsals/{id}/sizing/measured', { params: { id }, body });
      if (nth !== asks) return;
      if (!answer.ok) return notices.complain(answer.trouble);
      found = answer.value;
    }, 200);
    return () => clearTimeout(timer);
  });
  function put(text: string) {
    table = text;
    // Columns of another table are other ones.
    [operations, time] = [-1, -1];
  }
  async function open(event: Event & { currentTarget: HTMLInputElement }) {
    const [file] = event.currentTarget.files ?? [];
    event.currentTarget.value = '';
    if (!file) return;
    if (file.size > mostBytes)
      return notices.complain({
        detail: `${file.name} is larger than 400 kB.`,
        remedy: 'Keep the lines that tell, and leave the others out.'
      });
    put(await file.text());
  }
</script>

<h2 class="mt-6">Beside a benchmark</h2>
<p class="quiet small mt-1">
  What was measured on a volume, as comma-separated values: <label class="word cursor-pointer"
    >open a file<input class="sr-only" type="file" accept=".csv,.tsv,.txt,text/csv" onchange={open} /></label
  >, or paste it here.
</p>
<textarea
  class="mono mt-1 h-20 w-full max-w-[46rem] border border-line bg-sheet p-1"
  aria-label="Benchmark, comma-separated"
  placeholder={'iops,mean ms\n400,1.3\n800,1.4'}
  maxlength={mostBytes}
  value={table}
  oninput={(event) => put(event.currentTarget.value)}
  spellcheck="false"></textarea>
{#if found?.fault}<p class="small text-brick" role="alert">{found.fault}</p>{/if}
{#if found?.table}
  {@const { heads, first, lines } = found.table}
  <p class="mt-1">
    <label
      >Operations a second are in
      <select class="border-b-2 border-ink bg-sheet" bind:value={operations}>
        <option value={-1}>no column yet</option>
        {#each heads as head, i (i)}<option value={i}>{head}</option>{/each}
      </select></label
    >;
    <label
      >the time of one in
      <select class="border-b-2 border-ink bg-sheet" bind:value={time}>
        <option value={-1}>no column</option>
        {#each heads as head, i (i)}<option value={i}>{head}</option>{/each}
      </select></label
    >{#if time >= 0}<label
        >, counted in <select class="border-b-2 border-ink bg-sheet" bind:value={seconds}
          >{#each units as [value, word] (value)}<option {value}>{word}</option>{/each}</select
        ></label
      >{/if}.
  </p>
  {#if operations < 0}
    <p class="quiet small mt-1">
      {lines.toLocaleString('en')}
      {lines === 1 ? 'line' : 'lines'}. The first: {first[0]?.map((cell, i) => `${heads[i] ?? `column ${i + 1}`} ${cell}`).join(', ')}.
    </p>
  {/if}
{/if}
{#if found?.beside}
  {#each found.beside.says as says (says)}<p class="mt-1">{says}</p>{/each}
  {#each found.beside.left as left (left)}<p class="small text-ochre">Left out: {left}.</p>{/each}
  {#if found.beside.points.length}
    <div class="mt-1 max-h-72 max-w-[46rem] overflow-auto">
      <table class="w-full">
        <thead>
          <tr class="small border-b border-ink text-left"
            ><th class="py-1 font-normal">line</th><th class="num text-right font-normal">done</th><th class="num text-right font-normal"
              >of the ceiling</th
            ><th class="num text-right font-normal">time measured</th><th class="num text-right font-normal">reckoned</th></tr
          >
        </thead>
        <tbody>
          {#each found.beside.points as point (point.line)}
            <tr class="border-b border-line"
              ><th scope="row" class="py-1 text-left font-normal">{point.line}</th><td class="num text-right">{point.texts.operations}</td
              ><td class="num text-right {point.share > 1.02 ? 'text-ochre' : ''}">{point.texts.share}</td><td class="num text-right"
                >{point.texts.time || '–'}</td
              ><td class="num text-right">{point.texts.reckoned}</td></tr
            >
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
{/if}
