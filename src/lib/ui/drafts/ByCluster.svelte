<script lang="ts">
  import { parse, stringify } from 'yaml';
  import { isTable, rowsOf, tableFile, tableOf, type TableRow } from '$core/drafts';
  import { call, notices } from '../call.svelte';
  import { plural } from '../format';
  import type { Desk } from './desk.svelte';
  import type { TextEdit } from './types';

  interface Props {
    desk: Desk;
    clusters: readonly string[];
    cluster: string;
    onedits(edits: readonly TextEdit[], cause: string): void;
  }
  let { desk, clusters, cluster, onedits }: Props = $props();
  let offered = $state<TableRow[]>([]);
  const file = $derived(desk.files.find((one) => /^kind: *["']?ValueTable/m.test(one.text)));
  const table = $derived.by(() => {
    if (!file) return { rows: [] as readonly TableRow[] };
    try {
      const value = parse(file.text, { maxAliasCount: 20 }) as unknown;
      return isTable(value) ? rowsOf(value) : { rows: [], fault: 'it is no table' };
    } catch (error) {
      return { rows: [], fault: (error as Error).message.split('\n')[0] };
    }
  });

  async function look() {
    const answer = await call('POST', '/rehearsals/{id}/rework', {
      params: { id: desk.rehearsal() },
      body: { files: desk.files, lift: true }
    });
    if (!answer.ok) return notices.complain(answer.trouble);
    const taken = new Set(table.rows.flatMap((one) => one.places));
    offered = (answer.value.rows ?? []).filter((one) => !one.places.every((place) => taken.has(place)));
    if (!offered.length) notices.say('Nothing more in this draft is apt to differ by cluster.');
  }
  function write(rows: readonly TableRow[], cause: string) {
    const text = stringify(tableOf('values', rows), { lineWidth: 0 });
    if (file) onedits([{ file: file.name, from: 0, to: file.text.length, insert: text }], cause);
    else {
      const before = desk.open;
      desk.addFile(tableFile, text);
      desk.open = before;
    }
  }
  function lift(row: TableRow) {
    offered = offered.filter((one) => one !== row);
    write([...table.rows, row], `${row.name} lifted out`);
  }
  const typed = (text: string, like: unknown): string | number | boolean =>
    typeof like === 'number' && /^\d+(\.\d+)?$/.test(text) ? Number(text) : text;
  function set(row: TableRow, name: string, text: string) {
    const values = { ...row.values };
    if (text.trim() === '') delete values[name];
    else values[name] = typed(text.trim(), Object.values(row.values)[0]);
    write(
      table.rows.map((one) => (one === row ? { ...row, values } : one)),
      `${row.name} for ${name}`
    );
  }
</script>

<p class="quiet small">
  The manifests stay plain, with the values of one cluster; the table, <span class="mono">{file?.name ?? tableFile}</span>, stands beside
  them and is used when the draft goes to another.
</p>
{#if table.fault}<p class="text-brick">The table can't be used: {table.fault}</p>{/if}
{#if table.rows.length}
  <div class="overflow-x-auto">
    <table class="table-plain small">
      <thead
        ><tr
          ><th>Value</th>{#each clusters as one (one)}<th class={one === cluster ? 'font-semibold' : ''}>{one}</th>{/each}<th
            ><span class="sr-only">What can be done</span></th
          ></tr
        ></thead
      >
      <tbody>
        {#each table.rows as row, i (i)}
          <tr>
            <td title={row.places.join('\n')}>{row.name}<br /><span class="quiet">{plural(row.places.length, 'place')}</span></td>
            {#each clusters as one (one)}
              <td
                ><input
                  class="mono w-[7.5rem] border-b border-line bg-sheet"
                  value={row.values[one] ?? ''}
                  placeholder="as written"
                  aria-label="{row.name} on {one}"
                  onchange={(event) => set(row, one, event.currentTarget.value)}
                /></td
              >
            {/each}
            <td
              ><button
                class="word"
                aria-label="Put {row.name} back"
                onclick={() =>
                  write(
                    table.rows.filter((one) => one !== row),
                    `${row.name} put back`
                  )}>put back</button
              ></td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  </div>
{/if}
<button class="push mt-2" onclick={look}>Look for such values</button>
{#if offered.length}
  <ul class="mt-2">
    {#each offered as row (row.name)}
      <li class="flex items-baseline gap-2 py-0.5">
        <button class="push" onclick={() => lift(row)}>Lift out</button><span>{row.name}</span>
        <span class="mono small min-w-0 break-all">{Object.values(row.values)[0]}</span><span class="quiet small whitespace-nowrap"
          >{plural(row.places.length, 'place')}</span
        >
      </li>
    {/each}
  </ul>
{/if}
