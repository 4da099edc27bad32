<script lang="ts">
  import type { Answers } from '$server/api/types';
  import Flag from '../parts/Flag.svelte';
  import Peg from '../parts/Peg.svelte';
  import { kinId, lineHref, plural } from '../format';
  import { sentenceShown } from '../prefs.svelte';
  import { arcsOf } from './arcs';

  interface Props {
    id: string;
    workload: Answers['Linked']['workloads'][number];
    links: Answers['Linked']['links'];
    clusters: readonly string[];
    flags: Readonly<Record<string, { hue: number; weave: string }>>;
    rights: Answers['Linked']['rights'];
    nowMs: number;
    /** What the sheet says at its top; it isn't said twice. */
    head: string;
  }
  let { id, workload, links, flags, rights, nowMs, head }: Props = $props();
  const rowHeight = 92;
  const home = $derived(workload.from?.cluster);
  const held = $derived(workload.parts.map((one) => one.cluster));
  const rows = $derived([...held, ...(home !== undefined && !held.includes(home) ? [home] : [])]);
  const arcs = $derived(arcsOf(rows, links, rowHeight));
  const part = (cluster: string) => workload.parts.find((one) => one.cluster === cluster);
  const right = (cluster: string) =>
    rights
      .flatMap((one) => (one.cluster === home ? one.squares : []))
      .find((one) => one.cluster === cluster && one.namespace === workload.namespace);
  const reached = $derived(
    rights
      .flatMap((one) => (one.cluster === home ? one.squares : []))
      .filter((one) => one.namespace === workload.namespace && one.state === 'holds').length
  );
  const breakIn = (cluster: string) => workload.breaks.find((one) => one.cluster === cluster);
  /** How long its members have been looking for each other, beside what is usual. */
  const coming = $derived.by(() => {
    if (!workload.coming) return '';
    const { sinceMs, normalMs } = workload.coming;
    const minutes = (ms: number) => Math.round(ms / 60_000);
    return `minute ${Math.ceil((nowMs - sinceMs) / 60_000)} of a usual ${minutes(normalMs[0]!)} to ${minutes(normalMs[1]!)}`;
  });
  function state(cluster: string): 'holds' | 'settling' | 'broken' | 'waiting' {
    const one = part(cluster);
    if (!one || one.ready === one.wanted) return 'holds';
    if (breakIn(cluster)) return 'broken';
    return one.members.some((member) => member.role) ? 'settling' : 'waiting';
  }
  function says(cluster: string): string {
    const one = part(cluster)!;
    if (one.ready === one.wanted) {
      const leads = one.members.find((member) => member.role === 'primary');
      return leads
        ? `${one.ready} of ${one.wanted} ready, ${leads.name} leads`
        : `${one.ready} of ${one.wanted} ready${workload.leads ? `, follows ${workload.leads}` : ''}`;
    }
    const broken = breakIn(cluster);
    if (broken) return `${one.ready} of ${one.wanted} ready: ${broken.says}`;
    const first = one.members.find((member) => !member.ready)!;
    return `${one.ready} of ${one.wanted} ready; ${first.name} ${first.says || 'starts'}`;
  }
  const missing = (cluster: string) => (workload.names?.missing ?? []).filter((name) => name.endsWith(`.${cluster}.linked.example`)).length;
</script>

<section class="mt-6" aria-label="{workload.name} over {plural(workload.parts.length, 'cluster')}">
  <h2>
    {workload.name}
    <span class="quiet font-normal"
      >{workload.namespace}, over {plural(workload.parts.length, 'cluster')}{coming ? ` · ${coming}` : ''}</span
    >
    {#if workload.trace}<a class="word ml-2 font-normal" href={lineHref(kinId(id, workload.trace.cluster), workload.trace.ref)}>trace</a
      >{/if}
  </h2>
  {#if workload.state !== 'holds' && workload.sentence !== head}<p>
      <Peg state={workload.state} />
      {sentenceShown(workload.sentence)}
    </p>{/if}
  <div class="mt-2 grid grid-cols-[150px_minmax(0,1fr)]">
    <svg width="150" height={rows.length * rowHeight} aria-hidden="true" class="block">
      {#each arcs as arc (arc.key)}
        <path
          d={arc.d}
          fill="none"
          stroke={arc.broken ? 'var(--color-brick)' : 'var(--color-ink)'}
          stroke-width={arc.broken ? 2.4 : 1.8}
          stroke-dasharray={arc.broken ? '5 5' : undefined}
        />
        <text
          x={arc.x}
          y={arc.y}
          font-size="11"
          text-anchor="middle"
          fill={arc.broken ? 'var(--color-brick)' : 'var(--color-quiet)'}
          paint-order="stroke"
          stroke="var(--color-sheet)"
          stroke-width="4">{arc.label}</text
        >
      {/each}
    </svg>
    <ul>
      {#each rows as cluster (cluster)}
        {@const one = part(cluster)}
        <li
          class="grid grid-cols-[12px_minmax(150px,1fr)_minmax(0,2fr)_minmax(0,1fr)] items-start gap-x-4 border-t border-ink pt-2"
          style:height="{rowHeight}px"
        >
          {#if flags[cluster]}<Flag flag={flags[cluster]!} class="h-[72px] w-3" />{:else}<span></span>{/if}
          <div class="min-w-0">
            <a class="font-semibold hover:underline" href="/r/{encodeURIComponent(kinId(id, cluster))}/members">{cluster}</a>
            <p class="quiet small truncate" title={one?.members.map((member) => member.name).join(', ')}>
              {one ? one.members.map((member) => member.name).join(', ') : 'runs the operator, holds no member'}
            </p>
          </div>
          <div class="min-w-0">
            {#if one}<p class="line-clamp-3" title={says(cluster)}><Peg state={state(cluster)} /> {sentenceShown(says(cluster))}</p>
            {:else}<p><Peg state="holds" /> reaches {reached} of {plural(workload.parts.length, 'cluster')}</p>{/if}
          </div>
          <div class="quiet small min-w-0">
            {#if one && home !== undefined && cluster !== home}
              {@const square = right(cluster)}
              <p class={square?.state === 'broken' ? 'text-brick' : ''}>
                {square?.state === 'broken' ? `no rights in ${workload.namespace}` : `rights in ${workload.namespace}`}
              </p>
            {/if}
            {#if one && workload.names}<p class={missing(cluster) ? 'text-brick' : ''}>
                {missing(cluster) ? `its certificate lacks ${plural(missing(cluster), 'name')}` : 'all names in its certificate'}
              </p>{/if}
          </div>
        </li>
      {/each}
    </ul>
  </div>
  <div class="border-t border-ink pt-2">
    <p>
      <b class="font-semibold">Survives</b>
      <span class="quiet">as it is linked now; a majority of {workload.parts.reduce((sum, one) => sum + one.wanted, 0)} decides</span>
    </p>
    <ul class="grid grid-cols-[repeat(auto-fill,minmax(250px,1fr))] gap-x-6">
      {#each workload.survives as loss (loss.id)}
        <li class="py-0.5">
          <Peg state={loss.state === 'partial' ? 'settling' : loss.state} label={loss.state} />
          {loss.label}: <span class="quiet">{loss.says}</span>
        </li>
      {/each}
    </ul>
  </div>
</section>
