<script lang="ts">
  import { parse, stringify } from 'yaml';
  import { goto, invalidate } from '$app/navigation';
  import { isTable, rowsOf, tableFile, tableOf, type TableRow } from '$core/drafts';
  import type { Answers } from '$server/api/types';
  import Flag from '$ui/parts/Flag.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import { call, doCall, notices } from '$ui/call.svelte';
  import { frameHere } from '$ui/frame/frame.svelte';
  import { changesOf, fits, fitSentence, lacksOf } from '$ui/fit/words';
  import SendPanel from '$ui/fit/SendPanel.svelte';
  import { clockText, plural } from '$ui/format';
  import { sentenceShown } from '$ui/prefs.svelte';

  let { data } = $props();
  const frame = frameHere();
  const base = $derived(`/r/${encodeURIComponent(data.id)}/drafts/${data.draft.id}`);
  let tried = $state.raw<{ of: string; clusters: Answers['Fits']['clusters'] } | null>(null);
  let trying = $state(false);
  let sending = $state(false);
  let chosen = $state<Record<string, boolean>>({});
  const stamp = $derived(JSON.stringify([data.draft.revision, data.must]));
  const clusters = $derived(data.table.clusters);
  const good = $derived(clusters.filter(fits));
  const picked = $derived(good.filter((one) => chosen[one.cluster] ?? true));
  const changes = $derived(good.reduce((sum, one) => sum + changesOf(one), 0));
  const square = (cluster: (typeof clusters)[number], need: string) => cluster.fit?.squares.find((one) => one.need === need);
  /** Rows that only the target's own reading has (another class there, say) stand where that of the draft stands. */
  const rows = $derived(data.table.rows);
  const at = (cluster: (typeof clusters)[number], id: string, i: number) =>
    square(cluster, id) ?? square(cluster, cluster.fit?.rows[i]?.id ?? '');
  const trialOf = (cluster: string) =>
    tried?.of === stamp ? tried.clusters.find((one) => one.cluster === cluster)?.fit?.tried : undefined;
  const driftOf = (rehearsal: string) => data.sent.find((one) => one.rehearsal === rehearsal);
  const peg = { holds: 'holds', tight: 'settling', broken: 'broken', unseen: 'unseen' } as const;

  async function tryIt() {
    trying = true;
    const of = stamp;
    const answer = await call('POST', '/rehearsals/{id}/fit', {
      params: { id: data.id },
      body: { files: data.draft.files, must: data.must, tried: true }
    });
    trying = false;
    if (answer.ok) tried = { of, clusters: answer.value.clusters };
    else notices.complain(answer.trouble);
  }

  /** Writes the values that mend squares into the draft's table by cluster. */
  async function takeIn(): Promise<boolean> {
    const file = data.draft.files.find((one) => /^kind: *["']?ValueTable/m.test(one.text));
    const value = file ? (parse(file.text, { maxAliasCount: 20 }) as unknown) : undefined;
    const table: TableRow[] = file && isTable(value) ? [...rowsOf(value).rows] : [];
    for (const one of good)
      for (const mend of one.fit!.squares.flatMap(({ mends }) => mends ?? [])) {
        const places = [...mend.places].sort();
        const i = table.findIndex((row) => JSON.stringify([...row.places].sort()) === JSON.stringify(places));
        if (i >= 0) table[i] = { ...table[i]!, values: { ...table[i]!.values, [one.cluster]: mend.value } };
        else
          table.push({
            name: table.some((row) => row.name === mend.row) ? `${mend.row} ${table.length + 1}` : mend.row,
            places,
            values: { [one.cluster]: mend.value }
          });
      }
    const text = stringify(tableOf('values', table), { lineWidth: 0 });
    const files = file
      ? data.draft.files.map((one) => (one === file ? { ...one, text } : one))
      : [...data.draft.files, { name: tableFile, text }];
    const kept = await doCall('PUT', '/drafts/{draft}', {
      params: { draft: data.draft.id },
      body: { files, cause: 'values by cluster taken from the fit' },
      revision: data.draft.revision
    });
    if (!kept) return false;
    notices.say(`Taken into the draft's table by cluster: ${plural(changes, 'value')}. Undo in the draft takes that back.`);
    await invalidate('fit');
    return true;
  }
  function demand(name: string, trait: 'grows' | 'keeps' | 'encrypts', wanted: boolean) {
    const url = new URL(location.href);
    const key = `${name || '-'} ${trait}`;
    const others = url.searchParams.getAll('must').filter((one) => !one.startsWith(`${key} `));
    url.searchParams.delete('must');
    for (const one of others) url.searchParams.append('must', one);
    url.searchParams.append('must', `${key} ${wanted ? 'yes' : 'no'}`);
    void goto(url, { keepFocus: true, noScroll: true, replaceState: true });
  }
  const words = { grows: 'grow', keeps: 'keep its data', encrypts: 'encrypt' } as const;
</script>

<svelte:head><title>Fit of {data.draft.name} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <div class="flex flex-wrap items-start justify-between gap-x-6 gap-y-2">
    <div class="max-w-[56rem] min-w-0">
      <h1 class="break-words">{fitSentence(data.draft.name, clusters)}</h1>
      <p class="quiet mt-1">
        needs from the draft <a class="word italic" href={base}>{data.draft.name}</a>, as it stands on {data.cluster.name}; what would be
        changed stands underlined
      </p>
    </div>
    <div class="flex flex-wrap items-center gap-3">
      <button class="push" onclick={tryIt} disabled={trying}>{trying ? 'It comes up on forks …' : 'Try it on forks'}</button>
      {#if changes}<button class="push" onclick={takeIn}>Take {plural(changes, 'value')} into the table</button>{/if}
      <button class="push push-main" onclick={() => (sending = !sending)} disabled={!picked.length}
        >{picked.length ? `Send to ${plural(picked.length, 'cluster')}` : 'Nowhere to send it'}</button
      >
    </div>
  </div>
  {#if data.table.problems.length}<p class="mt-2 text-brick" role="alert">
      The draft can't be read whole: {data.table.problems.slice(0, 2).join(' ')}
    </p>{/if}
  {#if data.table.classes.length}
    <p class="small mt-2">
      {#each data.table.classes as one (one.className)}
        <span class="mr-5 whitespace-nowrap"
          >{one.className || 'the default class'} must
          {#each ['grows', 'keeps', 'encrypts'] as const as trait (trait)}
            <label class="ml-2"
              ><input
                type="checkbox"
                checked={one.traits?.[trait] ?? false}
                onchange={(event) => demand(one.className, trait, event.currentTarget.checked)}
              />
              {words[trait]}</label
            >
          {/each}</span
        >
      {/each}
    </p>
  {/if}
  {#if sending}
    <SendPanel
      draft={data.draft}
      clusters={picked}
      flags={data.flags}
      unkept={changes}
      take={takeIn}
      ondone={() => {
        sending = false;
        void invalidate('fit');
        void frame.look();
      }}
    />
  {/if}
  <div class="mt-4 overflow-x-auto">
    <table class="w-full border-collapse text-left" aria-label="How the draft fits, by need and cluster">
      <thead>
        <tr class="align-bottom">
          <td class="w-[210px]"></td>
          {#each clusters as one (one.cluster)}
            <th scope="col" class="min-w-[150px] border-l border-line px-2.5 pb-2 font-normal">
              {#if data.flags[one.cluster]}<Flag flag={data.flags[one.cluster]!} class="mb-2 h-[8px]" />{/if}
              {#if fits(one)}<label class="whitespace-nowrap"
                  ><input
                    type="checkbox"
                    checked={chosen[one.cluster] ?? true}
                    onchange={(event) => (chosen[one.cluster] = event.currentTarget.checked)}
                  />
                  <b class="font-semibold">{one.cluster}</b> <span class="quiet">fits</span></label
                >
              {:else}<b class="font-semibold">{one.cluster}</b>
                <span class="quiet">{one.kind === 'dump' ? 'read only' : one.fit ? `lacks ${lacksOf(one)}` : 'unseen'}</span>{/if}
            </th>
          {/each}
        </tr>
      </thead>
      <tbody>
        {#each rows as row, i (row.id)}
          <tr class="border-t border-line align-top">
            <th scope="row" class="py-2 pr-3 font-normal">{sentenceShown(row.title)}</th>
            {#each clusters as one (one.cluster)}
              {@const cell = at(one, row.id, i)}
              <td class="small max-w-[240px] border-l border-line px-2.5 py-2 break-words {cell?.state === 'broken' ? 'text-brick' : ''}">
                {#if cell}
                  <Peg state={peg[cell.state]} label={cell.state} />
                  {#if cell.mends}<span class="mono border-b-2 border-moss bg-tape">{sentenceShown(cell.says)}</span>
                  {:else}{sentenceShown(cell.says)}{/if}
                {:else if one.fault}<Peg state="unseen" /> {one.fault}{/if}
              </td>
            {/each}
          </tr>
        {/each}
        <tr class="border-t border-ink align-top">
          <th scope="row" class="quiet py-2 pr-3 font-normal">change sheet</th>
          {#each clusters as one (one.cluster)}
            <td class="small max-w-[240px] border-l border-line px-2.5 py-2 break-words">
              {#if one.fit?.sheet}
                {#if one.fit.sheet.refused.length}<span class="text-brick"
                    ><Peg state="broken" /> {sentenceShown(one.fit.sheet.refused[0]!)}</span
                  >
                {:else}{one.fit.sheet.new} new, {one.fit.sheet.altered} altered,
                  <span class={one.fit.sheet.lost.length ? 'text-brick' : ''}>{one.fit.sheet.lost.length} lost</span>{/if}
              {:else}–{/if}
            </td>
          {/each}
        </tr>
        <tr class="border-t border-line align-top">
          <th scope="row" class="quiet py-2 pr-3 font-normal">on a fork</th>
          {#each clusters as one (one.cluster)}
            {@const trial = trialOf(one.cluster)}
            <td class="small max-w-[240px] border-l border-line px-2.5 py-2 break-words" data-testid="tried-{one.cluster}">
              {#if trial}<Peg state={trial.state} /> {sentenceShown(trial.says)}
              {:else}<span class="quiet"
                  >{one.kind === 'dump' ? 'an export runs nothing' : tried?.of === stamp ? 'not sent: it is refused' : 'not tried'}</span
                >{/if}
            </td>
          {/each}
        </tr>
        <tr class="border-t border-line align-top">
          <th scope="row" class="quiet py-2 pr-3 font-normal">since it was sent</th>
          {#each clusters as one (one.cluster)}
            {@const sent = driftOf(one.rehearsal)}
            <td class="small max-w-[240px] border-l border-line px-2.5 py-2 break-words" data-testid="drift-{one.cluster}">
              {#if !sent}<span class="quiet">not sent from here</span>
              {:else if sent.drift === null}<Peg state="unseen" /> can't be told
              {:else if sent.drift.length}
                <Peg state="settling" /> sent {clockText(sent.atMs)}
                <ul>
                  {#each sent.drift.slice(0, 6) as line, n (n)}<li><span class="mono">{line.object}</span> {line.says}</li>{/each}
                </ul>
              {:else}<Peg state="holds" /> stands as it was sent, {clockText(sent.atMs)}{sent.changedSince
                  ? '; the draft has changed since'
                  : ''}{/if}
            </td>
          {/each}
        </tr>
      </tbody>
    </table>
  </div>
</div>
