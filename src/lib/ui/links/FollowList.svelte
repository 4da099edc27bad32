<script lang="ts">
  import type { Answers } from '$server/api/types';
  import Flag from '../parts/Flag.svelte';
  import Peg from '../parts/Peg.svelte';
  import { kinId, lineHref, plural } from '../format';
  import { sentenceShown } from '../prefs.svelte';
  import { followWords } from './words';

  interface Props {
    id: string;
    follows: Answers['Linked']['follows'];
    flags: Readonly<Record<string, { hue: number; weave: string }>>;
    ondraft(title: string, yaml: string, cluster: string): Promise<void>;
  }
  let { id, follows, flags, ondraft }: Props = $props();
  type Followed = Props['follows'][number];
  const keyOf = (one: Followed) => `${one.cluster} ${one.namespace}/${one.name}`;
</script>

<ul class="mt-1">
  {#each follows as one (keyOf(one))}
    <li class="grid grid-cols-[12px_minmax(0,1fr)_auto] gap-x-4 border-t border-ink py-2">
      {#if flags[one.cluster]}<Flag flag={flags[one.cluster]!} class="h-[44px] w-3" />{:else}<span></span>{/if}
      <div class="min-w-0">
        <p>
          <b class="font-semibold">{followWords(one)}</b>
          <a class="word ml-2" href={lineHref(kinId(id, one.cluster), { kind: 'Mirror', namespace: one.namespace, name: one.name })}
            >trace</a
          >
        </p>
        <p class={one.state === 'broken' ? 'text-brick' : ''}>
          <Peg state={one.state} />
          {sentenceShown(one.says)}.
          {#if one.remedy}<span class="text-ink">{one.remedy.text}</span>
            {#if one.remedy.yaml}{@const yaml = one.remedy.yaml}{@const cluster = one.remedy.in}
              <button class="word" onclick={() => ondraft(`${one.name}: remedy`, yaml, cluster)}>put in a draft for {cluster}</button
              >{/if}{/if}
        </p>
        {#each one.lost as loss (loss.label)}
          <p class="small">
            <Peg state={loss.state === 'partial' ? 'settling' : 'broken'} label={loss.state} />
            {loss.label}: <span class="quiet">{loss.says}</span>
          </p>
        {/each}
        {#if one.unshared?.count}
          <details class="small">
            <summary class="cursor-pointer"
              >{plural(one.unshared.count, one.what === 'topics' ? 'message' : one.what === 'objects' ? 'object' : 'write')} of its own never
              came to the other: {one.unshared.stays ? 'they stay here' : 'they were given up'}</summary
            >
            <ul class="mono mt-1 pl-4">
              {#each one.unshared.first as each, i (i)}<li class="break-all">{each.what} <span class="quiet">{each.value}</span></li>{/each}
              {#if one.unshared.count > one.unshared.first.length && one.what !== 'topics'}<li class="quiet">
                  and {one.unshared.count - one.unshared.first.length} more
                </li>{/if}
            </ul>
          </details>
        {/if}
        {#if one.offsets.length}
          <details class="small">
            <summary class="cursor-pointer">offsets of {plural(one.offsets.length, 'partition')}</summary>
            <table class="table-plain mt-1">
              <thead
                ><tr
                  ><th>Partition</th><th class="text-right">next in {one.from.cluster}</th><th class="text-right">next in {one.cluster}</th
                  ></tr
                ></thead
              >
              <tbody>
                {#each one.offsets as each (each.key)}<tr
                    ><td class="mono">{each.key}</td><td class="text-right">{each.there}</td><td class="text-right">{each.here}</td></tr
                  >{/each}
              </tbody>
            </table>
          </details>
        {/if}
      </div>
      <div class="flex flex-col items-end gap-1">
        {#if one.promote}{@const yaml = one.promote}
          <button class="word" onclick={() => ondraft(`promote ${one.workload}`, yaml, one.cluster)}
            >promote {one.workload} of {one.cluster}</button
          >{/if}
        {#if one.back}{@const { yaml, cluster } = one.back}
          <button class="word" onclick={() => ondraft(`${one.from.workload} follows ${one.cluster}`, yaml, cluster)}
            >let {one.from.workload} of {cluster} follow it</button
          >{/if}
      </div>
    </li>
  {/each}
</ul>
