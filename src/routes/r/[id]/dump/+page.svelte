<script lang="ts">
  import { goto, invalidateAll } from '$app/navigation';
  import Peg from '$ui/parts/Peg.svelte';
  import { doCall } from '$ui/call.svelte';
  import { dateText, plural } from '$ui/format';

  let { data } = $props();
  const dump = $derived(data.dumps[0]!);
  const epochMs = Date.UTC(2026, 2, 2, 6);
  const kinds = $derived(Object.entries(dump.summary.kinds).sort((a, b) => b[1] - a[1]));
  let kind = $state('');
  const others = $derived(dump.summary.others.filter((one) => !kind || one.kind === kind).slice(0, 300));
  let sure = $state('');
  async function take() {
    if (sure === data.cluster.name && (await doCall('DELETE', '/clusters/{name}', { params: { name: data.cluster.name } })))
      await goto('/');
  }
  const reachWords = {
    contained: 'exported',
    'left-out': 'not exported: other objects speak of some',
    unknown: "there are none in it; whether there are some can't be told"
  };
  let space = $state('');
  const spaces = $derived([...new Set(data.scope.map((one) => one.namespace))].filter(Boolean));
  type Row = (typeof data.scope)[number];
  const correctionOf = (row: Row) => dump.corrections.find((one) => one.kind === row.kind && one.namespace === row.namespace)?.reach;
  async function correct(row: Row, reach: '' | 'contained' | 'left-out') {
    const others = dump.corrections.filter((one) => one.kind !== row.kind || one.namespace !== row.namespace);
    const items = reach ? [...others, { kind: row.kind, namespace: row.namespace, reach }] : others;
    if (await doCall('PUT', '/clusters/{name}/scope', { params: { name: data.cluster.name }, body: { items } })) await invalidateAll();
  }
  type Joined = typeof data.joined;
  let care = $state<{ cluster: string; namespace: string; name: string } | null>(null);
  const operator = $derived(care ?? data.joined.operator ?? { cluster: data.joined.with[0] ?? data.id, namespace: '', name: '' });
  async function join(next: Joined) {
    const { with: others, operator } = next;
    const body = { with: [...others], ...(operator ? { operator: { ...operator } } : {}) };
    if (await doCall('PUT', '/clusters/{name}/joined', { params: { name: data.cluster.name }, body })) {
      care = null;
      await invalidateAll();
    }
  }
  const linkedWith = (other: string, on: boolean) =>
    join({ ...data.joined, with: on ? [...data.joined.with, other] : data.joined.with.filter((one) => one !== other) });
  const cares = (event: SubmitEvent) => {
    event.preventDefault();
    return join({ ...data.joined, operator: { kind: 'Deployment', ...operator } });
  };
  const conditionOf = (one: (typeof others)[number]) => one.conditions?.find((two) => two.type === 'Ready') ?? one.conditions?.[0];
</script>

<svelte:head><title>What was read · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <h1>
    {plural(dump.objects, 'object')} of {plural(kinds.length, 'kind')}{dump.summary.otherKinds.length
      ? `, and ${plural(dump.summary.others.length, 'object')} of kinds that are not known here`
      : ''}.
  </h1>
  <p class="quiet mt-1">
    The latest moment in it is {dateText(dump.takenMs - epochMs)} UTC. {plural(dump.summary.files, 'file')} read{dump.summary.skipped
      ? `, ${dump.summary.skipped} left out: no manifests`
      : ''}.
    {dump.summary.secretsKept ? 'The values of secrets were kept.' : 'The values of secrets were dropped at the door.'}
  </p>
  <p class="mt-3 flex flex-wrap gap-2">
    <a class="push push-main" href="/r/{data.id}/rehearse">Rehearse from here</a>
    <a class="push" href="/read?name={data.id}">Read another dump of it</a>
    {#if data.dumps.length > 1}<a class="push" href="/r/{data.id}/compare">Compare the last two</a>{/if}
  </p>
  <section class="mt-5 max-w-[52rem]">
    <h2 class="border-b border-ink pb-1">What a dump can't show</h2>
    <p class="mt-2">
      <Peg state="unseen" size={11} /> What the provider trusts a driver to do, what its backends have left, which images a registry holds, and
      what is inside the volumes. Joints that rest on these are unseen and say what to look at.
    </p>
  </section>
  <section class="mt-5 max-w-[60rem]">
    <h2 class="border-b border-ink pb-1">How far it reaches</h2>
    <p class="mt-2">
      A thing is called missing only where its kind was exported. What was told from the objects is said here; correct it where you know
      better, and every answer follows.
    </p>
    <p class="small mt-2">
      {#each ['', ...spaces] as one (one)}<button
          class="mr-3 {space === one ? 'border-b-2 border-ink font-semibold' : 'quiet'}"
          aria-pressed={space === one}
          onclick={() => (space = one)}>{one === '' ? 'cluster-wide' : one}</button
        >{/each}
    </p>
    <table class="table-plain mt-1">
      <thead><tr><th>Kind</th><th class="num">Objects</th><th>Reach</th><th><span class="sr-only">Correct it</span></th></tr></thead>
      <tbody>
        {#each data.scope.filter((one) => one.namespace === space) as one (one.kind)}
          {@const said = correctionOf(one)}
          <tr>
            <td>{one.kind}</td>
            <td class="num">{one.count.toLocaleString('en')}</td>
            <td
              ><Peg state={one.reach === 'contained' ? 'holds' : 'unseen'} size={10} />
              {reachWords[one.reach]}{said ? ', as you say' : ''}</td
            >
            <td class="num">
              <select
                class="border-b border-line bg-sheet"
                aria-label="Reach of {one.kind}{one.namespace ? ` in ${one.namespace}` : ''}"
                value={said ?? ''}
                onchange={(event) => correct(one, event.currentTarget.value as '' | 'contained' | 'left-out')}
              >
                <option value="">as told from the objects</option>
                <option value="contained">exported whole</option>
                <option value="left-out">not exported</option>
              </select>
            </td>
          </tr>
        {/each}
      </tbody>
    </table>
  </section>
  {#if data.read.length}
    <section class="mt-5 max-w-[52rem]" aria-label="Other clusters">
      <h2 class="border-b border-ink pb-1">What belongs to it elsewhere</h2>
      <p class="mt-2">
        An export doesn't say which clusters it is linked with. Say it, and root lines of workloads run over all of them; whether calls come
        through stays unseen.
      </p>
      <p class="mt-2 flex flex-wrap gap-x-5">
        {#each data.read as one (one)}<label
            ><input
              type="checkbox"
              checked={data.joined.with.includes(one)}
              onchange={(event) => linkedWith(one, event.currentTarget.checked)}
            />
            linked with {one}</label
          >{/each}
      </p>
      {#if data.joined.with.length}
        <form class="mt-2 leading-[2.2]" onsubmit={cares} aria-label="Who looks after its workloads">
          Its workloads are looked after from
          <select
            class="border-b border-ink bg-sheet px-1"
            value={operator.cluster}
            onchange={(event) => (care = { ...operator, cluster: event.currentTarget.value })}
            aria-label="The operator's cluster"
          >
            {#each [data.id, ...data.joined.with] as one (one)}<option value={one}>{one}</option>{/each}
          </select>
          by the deployment
          <input
            class="w-[10rem] border-b border-ink bg-sheet px-1"
            required
            maxlength="63"
            placeholder="namespace"
            value={operator.namespace}
            oninput={(event) => (care = { ...operator, namespace: event.currentTarget.value })}
            aria-label="The operator's namespace"
          />
          /
          <input
            class="w-[12rem] border-b border-ink bg-sheet px-1"
            required
            maxlength="253"
            placeholder="name"
            value={operator.name}
            oninput={(event) => (care = { ...operator, name: event.currentTarget.value })}
            aria-label="The operator's name"
          />
          <button class="push">Say so</button>
          {#if data.joined.operator}<button type="button" class="word ml-2" onclick={() => join({ with: data.joined.with })}
              >nobody does</button
            >{/if}
        </form>
      {/if}
    </section>
  {/if}
  {#if dump.summary.problems.length}
    <section class="mt-5">
      <h2 class="border-b border-ink pb-1">
        {plural(dump.summary.problems.length + dump.summary.moreProblems, 'thing')} that could not be read
      </h2>
      <ul class="max-h-[240px] overflow-auto">
        {#each dump.summary.problems as one, i (i)}
          <li class="py-1">
            <Peg state="broken" size={10} />
            {one.at.file ? `${one.at.file} ` : ''}{one.at.line ? `line ${one.at.line}: ` : ''}{one.message}
            <span class="quiet">{one.remedy}</span>
          </li>
        {/each}
      </ul>
    </section>
  {/if}
  <div class="mt-5 grid grid-cols-[minmax(14rem,20rem)_minmax(0,1fr)] gap-10">
    <section>
      <h2>Known kinds</h2>
      <table class="table-plain">
        <thead><tr><th>Kind</th><th class="num">Objects</th></tr></thead>
        <tbody
          >{#each kinds as [name, count] (name)}<tr><td>{name}</td><td class="num">{count.toLocaleString('en')}</td></tr>{/each}</tbody
        >
      </table>
    </section>
    <section class="min-w-0">
      <h2>Kinds that are not known here</h2>
      {#if dump.summary.otherKinds.length}
        <p class="small mt-1">
          <button class={kind === '' ? 'border-b-2 border-ink font-semibold' : 'quiet'} onclick={() => (kind = '')}>all</button>
          {#each dump.summary.otherKinds as one (one.apiVersion + one.kind)}<button
              class="ml-3 {kind === one.kind ? 'border-b-2 border-ink font-semibold' : 'quiet'}"
              title={one.apiVersion}
              onclick={() => (kind = one.kind)}>{one.kind} {one.count}</button
            >{/each}
        </p>
        <table class="table-plain small">
          <thead><tr><th>Object</th><th>Belongs to</th><th>Says</th></tr></thead>
          <tbody>
            {#each others as one, i (i)}
              {@const says = conditionOf(one)}
              <tr
                ><td
                  ><span class="quiet">{one.kind}</span>
                  <span class="mono break-all">{one.namespace ? `${one.namespace}/` : ''}{one.name}</span></td
                ><td class="break-all">{one.owners.map((owner) => `${owner.kind} ${owner.name}`).join(', ') || '–'}</td><td
                  >{one.unread
                    ? `not as the API writes it: ${one.unread}`
                    : says
                      ? `${says.type} ${says.status}${says.reason ? `, ${says.reason}` : ''}`
                      : '–'}</td
                ></tr
              >
            {/each}
          </tbody>
        </table>
      {:else}<p class="quiet mt-1">There are none in it.</p>{/if}
    </section>
  </div>
  <section class="mt-8 max-w-[40rem] border-t border-line pt-3">
    <h2>Take it away</h2>
    <p class="quiet mt-1">The dumps of {data.cluster.name} and its drafts go from this application. The real cluster isn't touched.</p>
    <p class="mt-2 flex gap-2">
      <input
        class="border border-line bg-sheet px-2 py-1"
        placeholder={data.cluster.name}
        bind:value={sure}
        aria-label="Type the cluster's name"
        autocomplete="off"
      />
      <button class="push push-grave" disabled={sure !== data.cluster.name} onclick={take}>Take away</button>
    </p>
  </section>
</div>
