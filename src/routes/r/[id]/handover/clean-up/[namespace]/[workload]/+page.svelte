<script lang="ts">
  import { goto } from '$app/navigation';
  import { wordsOf } from '$core/shared';
  import { plural } from '$ui/format';
  import Peg from '$ui/parts/Peg.svelte';

  let { data } = $props();
  const gone = $derived(data.tried.steps.reduce((sum, one) => sum + one.refs.length - one.stuck.length, 0));
  const costs = $derived(data.tried.rest.filter((one) => one.costs).length);
  const stays = $derived.by(() => {
    const all = data.tried.rest.length;
    if (!all) return 'nothing stays';
    const paid = costs === all ? (all === 1 ? ', and is paid for' : ', all paid for') : costs ? `, ${costs} of them paid for` : '';
    return `${plural(all, 'thing')} ${all === 1 ? 'stays' : 'stay'}${paid}`;
  });
  const nameOf = ({ kind, namespace, name }: { kind: string; namespace: string; name: string }) =>
    `${kind} ${namespace && namespace !== data.namespace ? `${namespace}/` : ''}${name}`;
  function keep(what: 'data' | 'copies', on: boolean) {
    const next = { ...data.keeps, [what]: on };
    const all = (['data', 'copies'] as const).filter((one) => next[one]);
    void goto(all.length ? `?keep=${all.join(',')}` : '?', { keepFocus: true, noScroll: true });
  }
</script>

<svelte:head><title>Clean-up of {data.workload} · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <p>
    <a class="word" href="/r/{encodeURIComponent(data.id)}/members/{data.namespace}/{data.workload}">{data.workload}</a> ·
    <a class="word" href="/r/{encodeURIComponent(data.id)}/handover">Handover</a>
  </p>
  <h1>
    {#if data.tried.steps.some((one) => one.stuck.length)}Not all of {data.workload} goes.{:else if data.tried.state === 'broken'}Not all of {data.workload}
      stays that is to be kept.{:else}{plural(gone, 'object')} of {data.workload} go in {plural(data.tried.steps.length, 'step')}; {stays}.{/if}
  </h1>
  <p class="quiet mt-1">Tried on a fork a moment ago, which is thrown away. Nothing was taken away here.</p>
  {#each data.tried.lost as one (`${nameOf(one.ref)} ${one.why}`)}<p class="mt-1 text-brick">{nameOf(one.ref)}: {one.why}.</p>{/each}
  <p class="mt-3 flex gap-5">
    <label
      ><input type="checkbox" checked={data.keeps.data} onchange={(event) => keep('data', event.currentTarget.checked)} /> keep its data</label
    >
    <label
      ><input type="checkbox" checked={data.keeps.copies} onchange={(event) => keep('copies', event.currentTarget.checked)} /> keep its copies</label
    >
  </p>
  <div class="mt-4 grid grid-cols-2 gap-x-8 max-[1000px]:grid-cols-1">
    <section aria-label="In this order">
      <h2 class="border-b border-ink pb-1">In this order</h2>
      <ol>
        {#each data.tried.steps as step, i (step.id)}
          <li class="grid grid-cols-[1.6rem_1fr] border-b border-line py-2">
            <span class="quiet">{i + 1}</span>
            <div class="min-w-0">
              <p>
                <Peg state={step.stuck.length ? 'broken' : 'holds'} />
                {step.says} <span class="quiet small">{wordsOf(step.tookMs)}</span>
              </p>
              <p class="small break-words">{step.refs.map(nameOf).join(', ')}</p>
              {#if step.along.length}<p class="small quiet break-words">by itself with it: {step.along.map(nameOf).join(', ')}</p>{/if}
              {#each step.stuck as one (nameOf(one.ref))}<p class="small text-brick">{nameOf(one.ref)}: {one.why}.</p>{/each}
            </div>
          </li>
        {/each}
      </ol>
    </section>
    <section class="max-[1000px]:mt-6" aria-label="What stays">
      <h2 class="border-b border-ink pb-1">What stays</h2>
      {#if data.tried.rest.length}
        <ul>
          {#each data.tried.rest as one (nameOf(one.ref))}
            <li class="border-b border-line py-1.5 break-words">
              {nameOf(one.ref)} <span class="quiet">{one.why}</span>{#if one.costs}<span class="small text-ochre">
                  · held and paid for</span
                >{/if}
            </li>
          {/each}
        </ul>
      {:else}<p class="quiet mt-1">Nothing of it.</p>{/if}
    </section>
  </div>
</div>
