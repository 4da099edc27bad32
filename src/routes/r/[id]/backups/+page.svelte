<script lang="ts">
  import { wordsOf } from '$core/shared';
  import Peg from '$ui/parts/Peg.svelte';
  import { plural } from '$ui/format';
  import { sentenceShown } from '$ui/prefs.svelte';
  import { howWords, scheduleWords, worstOf } from '$ui/backups/words';

  let { data } = $props();
  const dump = $derived(data.cluster.kind === 'dump');
  const all = $derived(data.backups.workloads);
  const without = $derived(all.filter((one) => !one.plans.length).length);
  const proved = $derived(all.filter((one) => one.findings.some((two) => two.id === 'restored')).length);
  const head = $derived(
    `${plural(all.length, 'workload')} ${all.length === 1 ? 'keeps' : 'keep'} something: ${without ? `${without} without a plan` : 'each has a plan'}, ${proved ? `${proved} put back once` : 'none was ever put back'}.`
  );
  const href = (one: { namespace: string; name: string }) =>
    `/r/${encodeURIComponent(data.id)}/backups/${encodeURIComponent(one.namespace)}/${encodeURIComponent(one.name)}`;
  const first = (one: (typeof all)[number]) =>
    one.findings.find((two) => two.state === 'broken') ?? one.findings.find((two) => two.state === 'doubt') ?? one.findings[0];
</script>

<svelte:head><title>Backups · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  {#if dump}
    <h1>A dump tells nothing of copies.</h1>
    <p class="mt-3">
      Plans are rehearsed. <a class="word" href="/r/{encodeURIComponent(data.id)}/rehearse">Rehearse from here</a>, and write one there.
    </p>
  {:else if !all.length}
    <h1>Nothing keeps anything yet.</h1>
    <p class="mt-3">Plans copy workloads with claims; none stands on this cluster at this moment.</p>
  {:else}
    <h1>{head}</h1>
    <p class="quiet mt-1">
      members that agree lose the same rows together when somebody drops them by mistake; a copy that lies elsewhere brings them back
    </p>
    <div class="mt-5 overflow-x-auto">
      <table class="w-full border-collapse text-left" aria-label="Workloads and their copies">
        <thead>
          <tr class="quiet small border-b border-ink align-bottom">
            <th scope="col" class="py-1 pr-3 font-normal">workload</th>
            <th scope="col" class="px-3 py-1 font-normal">is copied</th>
            <th scope="col" class="px-3 py-1 text-right font-normal">could lose</th>
            <th scope="col" class="px-3 py-1 text-right font-normal">comes back in</th>
            <th scope="col" class="px-3 py-1 font-normal">what is to be said</th>
          </tr>
        </thead>
        <tbody>
          {#each all as one (one.namespace + '/' + one.name)}
            {@const plan = one.plans[0]}
            {@const said = first(one)}
            {@const state = worstOf(one.findings)}
            <tr class="border-b border-line align-top">
              <th scope="row" class="max-w-[210px] py-2 pr-3 font-normal">
                <a class="word block truncate font-semibold" href={href(one)} title="{one.namespace}/{one.name}">{one.name}</a>
                <span class="small quiet block truncate" title={one.kind}>{one.kind}</span>
              </th>
              <td class="px-3 py-2">
                {#if plan}{howWords[plan.how]}, {scheduleWords(plan.schedule)}{#if plan.into}<span class="quiet small block"
                      >to {plan.into.bucket} at {plan.into.store}{plan.into.cluster === undefined ? '' : ` of ${plan.into.cluster}`}</span
                    >{/if}{#if one.plans.length > 1}<span class="quiet small block">and {plural(one.plans.length - 1, 'plan')} more</span
                    >{/if}{:else}<span class="quiet">by nobody</span>{/if}
              </td>
              <td class="mono px-3 py-2 text-right whitespace-nowrap"
                >{plan && plan.figures.couldLoseMs !== null ? wordsOf(plan.figures.couldLoseMs) : 'everything'}</td
              >
              <td class="mono px-3 py-2 text-right whitespace-nowrap"
                >{#if plan && plan.latestMs !== null}{wordsOf(plan.figures.measuredMs ?? plan.figures.backMs[1])}<span
                    class="quiet small block">{plan.figures.measuredMs === null ? 'computed' : 'measured'}</span
                  >{:else}never{/if}</td
              >
              <td class="px-3 py-2">
                <span class="flex gap-2"
                  ><Peg state={state === 'doubt' ? 'settling' : state} label={state === 'doubt' ? 'in doubt' : undefined} /><span
                    >{said ? sentenceShown(said.says) : 'nothing'}</span
                  ></span
                >
              </td>
            </tr>
          {/each}
        </tbody>
      </table>
    </div>
  {/if}
</div>
