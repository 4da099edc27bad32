<script lang="ts">
  import { goto } from '$app/navigation';
  import Peg from '$ui/parts/Peg.svelte';
  import { dateText, lineHref, plural } from '$ui/format';

  let { data } = $props();
  const epochMs = Date.UTC(2026, 2, 2, 6);
  const dateOf = (id: number) => dateText((data.dumps.find((one) => one.id === id)?.takenMs ?? 0) - epochMs);
  const choose = (before: number, after: number) => void goto(`/r/${data.id}/compare?before=${before}&after=${after}`, { keepFocus: true });
  type Line = NonNullable<typeof data.comparison>['changed'][number];
  const name = (one: Line) => `${one.ref.namespace ? `${one.ref.namespace}/` : ''}${one.ref.name}`;
  const traced = new Set(['Pod', 'StatefulSet', 'PersistentVolumeClaim', 'PersistentVolume', 'VolumeSnapshot']);
  const shown = (value: unknown) => {
    const text = value === undefined ? 'nothing' : typeof value === 'string' ? value : JSON.stringify(value);
    return text.length > 80 ? `${text.slice(0, 77)}...` : text;
  };
  const lasted = (sinceMs: number | undefined) => {
    if (sinceMs === undefined) return '';
    const takenMs = (data.dumps.find((one) => one.id === data.after)?.takenMs ?? 0) - epochMs;
    const min = Math.max(0, Math.round((takenMs - sinceMs) / 60_000));
    return min < 120 ? `${min} min` : min < 2_880 ? `${Math.round(min / 60)} h` : `${Math.round(min / 1_440)} days`;
  };
  type Became = NonNullable<typeof data.comparison>['became'];
  const partsOf = ({ broke, mended, still, fresh, unseen }: Became) =>
    [
      { title: 'What broke', list: broke, state: 'broken' },
      { title: 'What mended', list: mended, state: 'holds' },
      { title: 'Still the same, grown older', list: still, state: 'broken' },
      { title: "Wrong now, and the earlier one doesn't hold its kind", list: fresh, state: 'broken' },
      { title: 'Was wrong, and the later one does not tell', list: unseen, state: 'unseen' }
    ] as const;
</script>

<svelte:head><title>Compare · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  {#if data.comparison}
    {@const { came, went, changed, waiting, became, notCompared } = data.comparison}
    <h1>
      {data.counts.came} came, {data.counts.went} went, {data.counts.changed} changed; {plural(data.counts.waiting, 'object')}
      {data.counts.waiting === 1 ? 'waits' : 'wait'}.
    </h1>
    <p class="mt-2">
      From <select
        class="border-b border-ink bg-sheet"
        value={data.before}
        onchange={(event) => choose(Number(event.currentTarget.value), data.after!)}
        aria-label="Earlier dump"
        >{#each data.dumps as one (one.id)}<option value={one.id}>{dateOf(one.id)}</option>{/each}</select
      >
      to
      <select
        class="border-b border-ink bg-sheet"
        value={data.after}
        onchange={(event) => choose(data.before!, Number(event.currentTarget.value))}
        aria-label="Later dump"
        >{#each data.dumps as one (one.id)}<option value={one.id}>{dateOf(one.id)}</option>{/each}</select
      >, UTC.
    </p>
    {#each partsOf(became) as part (part.title)}
      {#if part.list.length}
        <section class="mt-5">
          <h2 class="border-b border-ink pb-1">{part.title} <span class="quiet font-normal">{part.list.length}</span></h2>
          <ul>
            {#each part.list as one (one.ref.kind + one.ref.namespace + one.ref.name)}
              <li class="flex flex-wrap gap-x-3 border-b border-line py-1.5">
                <span class="max-w-full min-w-0"
                  ><Peg state={part.state} size={10} />
                  {#if part.state === 'unseen'}<span class="quiet">{one.ref.kind}</span>
                    <span class="mono break-all">{one.ref.namespace ? `${one.ref.namespace}/` : ''}{one.ref.name}</span>{:else}<a
                      class="word"
                      href={lineHref(data.id, one.ref)}
                      ><span class="quiet">{one.ref.kind}</span>
                      <span class="mono break-all">{one.ref.namespace ? `${one.ref.namespace}/` : ''}{one.ref.name}</span></a
                    >{/if}</span
                >
                <span class="min-w-0 flex-1 break-words"
                  >{#if part.title === 'What mended' || part.state === 'unseen'}<span class="quiet">was: {one.title}: {one.says}</span
                    >{:else}{one.title}: {one.says}{#if one.was}<span class="quiet">; before: {one.was}</span>{/if}{/if}</span
                >
                {#if one.sinceMs !== undefined && part.title !== 'What mended'}<span class="quiet whitespace-nowrap"
                    >since {dateText(one.sinceMs)}, {lasted(one.sinceMs)}</span
                  >{/if}
              </li>
            {/each}
          </ul>
        </section>
      {/if}
    {/each}
    {#if notCompared.length}
      <p class="quiet mt-4">
        <Peg state="unseen" size={10} /> Only one of the two holds {notCompared
          .slice(0, 8)
          .map((one) => `${one.kind}${one.namespace ? ` of ${one.namespace}` : ''} (${one.count}, the ${one.in})`)
          .join(', ')}{notCompared.length > 8 ? ` and ${notCompared.length - 8} kinds more` : ''}: what came or went of them can't be told.
      </p>
    {/if}
    <section class="mt-5">
      <h2 class="border-b border-ink pb-1">What waits, the longest first</h2>
      <table class="table-plain">
        <thead
          ><tr
            ><th>Object</th><th>State</th><th>Since</th><th class="num">Waited</th><th><span class="sr-only">What can be done</span></th
            ></tr
          ></thead
        >
        <tbody>
          {#each waiting as one (one.ref.kind + name(one))}
            <tr
              ><td
                ><Peg state="waiting" size={10} /> <span class="quiet small">{one.ref.kind}</span>
                <span class="mono break-all">{name(one)}</span></td
              ><td>{one.after}</td><td
                >{one.sinceMs === undefined ? '–' : dateText(one.sinceMs)}{one.also ? '' : ', not in the earlier dump'}</td
              ><td class="num">{lasted(one.sinceMs)}</td><td class="num"
                >{#if traced.has(one.ref.kind)}<a class="word" href={lineHref(data.id, one.ref)}>trace</a>{/if}</td
              ></tr
            >
          {:else}<tr><td colspan="5" class="quiet">Nothing waits.</td></tr>{/each}
        </tbody>
      </table>
    </section>
    <section class="mt-6">
      <h2 class="border-b border-ink pb-1">Changed</h2>
      <table class="table-plain">
        <tbody>
          {#each changed as one (one.ref.kind + name(one))}
            <tr
              ><td class="w-[40%]"><span class="quiet small">{one.ref.kind}</span> <span class="mono break-all">{name(one)}</span></td><td
                >{#if one.before !== one.after}<p>
                    {one.before ?? 'nothing'} → <b>{one.after ?? 'nothing'}</b>
                  </p>{/if}{#each one.fields ?? [] as field (field.field)}<p class="small">
                    <span class="quiet">{field.field}</span>
                    {shown(field.before)} → {shown(field.after)}
                  </p>{/each}</td
              ></tr
            >
          {:else}<tr><td class="quiet">Nothing changed its state or was changed.</td></tr>{/each}
        </tbody>
      </table>
    </section>
    <div class="mt-6 grid grid-cols-2 gap-10">
      {#each [{ title: 'Came', list: came, state: 'after' }, { title: 'Went', list: went, state: 'before' }] as const as part (part.title)}
        <section class="min-w-0">
          <h2 class="border-b border-ink pb-1">{part.title}</h2>
          <ul>
            {#each part.list as one (one.ref.kind + name(one))}<li class="border-b border-line py-1">
                <span class="quiet small">{one.ref.kind}</span> <span class="mono break-all">{name(one)}</span>
                <span class="quiet">{one[part.state] ?? ''}</span>
              </li>
            {:else}<li class="quiet py-1">Nothing.</li>{/each}
          </ul>
        </section>
      {/each}
    </div>
  {:else}
    <h1>There is one dump of {data.cluster.name} so far.</h1>
    <p class="mt-3">
      Read another one under the same name, later: then it stands here what came, what went, what changed, and since when something has been
      waiting.
    </p>
    <p class="mt-3"><a class="push push-main" href="/read?name={data.id}">Read another dump of it</a></p>
  {/if}
</div>
