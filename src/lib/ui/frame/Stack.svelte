<script lang="ts">
  import { page } from '$app/state';
  import type { Stack } from '$server/views/levels';
  import Peg from '../parts/Peg.svelte';

  interface Props {
    id: string;
    stack: Stack;
    drafts: number;
    /** Drills that came out worse than expected. */
    worse?: number;
    /** How many clusters have one clock with this one, itself among them. */
    kin?: number;
    /** A cluster that was read has no handover, but a dump to look into. */
    dump?: boolean;
  }
  let { id, stack, drafts, worse = 0, kin = 1, dump = false }: Props = $props();
  const base = $derived(`/r/${encodeURIComponent(id)}`);
  const here = $derived(page.url.pathname.slice(page.url.pathname.lastIndexOf(decodeURIComponent(id)) + id.length + 1).split('/')[0]);
  const levels = $derived([...stack.levels].reverse());
  /** Levels above a broken one rest on nothing. */
  const lowestBroken = $derived(stack.levels.findIndex((one) => one.state === 'broken' && !one.partial));
  const hollow = (levelId: string) => lowestBroken >= 0 && stack.levels.findIndex((one) => one.id === levelId) > lowestBroken;
  const tools = $derived([
    ...(dump ? [['wrong', 'What is wrong', '']] : []),
    ['drafts', 'Drafts', drafts ? String(drafts) : ''],
    ...(dump
      ? [
          ['dump', 'What was read', ''],
          ['compare', 'Compare', ''],
          ['rehearse', 'Rehearse', '']
        ]
      : [
          ['drills', 'Drills', worse ? `${worse} worse` : ''],
          ['links', 'Links', kin > 1 ? `${kin} clusters` : ''],
          ['backups', 'Backups', ''],
          ['sizing', 'Sizing', ''],
          ['handover', 'Handover', '']
        ])
  ]);
  const current = (name: string) => page.url.pathname.startsWith(`/r/${id}/${name}`) || here === name;
</script>

<nav
  aria-label="The stack"
  class="flex w-[177px] shrink-0 flex-col overflow-y-auto border-r border-ink max-[1000px]:w-full max-[1000px]:flex-row max-[1000px]:overflow-x-auto max-[1000px]:border-r-0 max-[1000px]:border-b"
>
  <ul class="border-b border-line max-[1000px]:flex max-[1000px]:border-b-0">
    {#each levels as level (level.id)}
      <li class="border-t border-line first:border-t-0 max-[1000px]:border-t-0 max-[1000px]:border-r">
        <a
          href="{base}/{level.id}"
          aria-current={current(level.id) ? 'page' : undefined}
          class="block h-[56px] px-[18px] pt-[8px] max-[1000px]:h-[34px] max-[1000px]:px-[10px] max-[1000px]:pt-[6px] max-[1000px]:whitespace-nowrap {current(
            level.id
          )
            ? 'bg-ink text-sheet [&_svg]:text-sheet!'
            : hollow(level.id)
              ? 'hatched'
              : 'hover:bg-tape'}"
        >
          <span class="flex items-center gap-[9px]">
            <Peg state={level.state} size={10} />
            <span class="font-semibold">{level.title}</span>
            <span class="ml-auto max-[1000px]:hidden {current(level.id) ? '' : 'quiet'}">{level.count}</span>
          </span>
          {#if level.says}<span class="small block truncate max-[1000px]:hidden {current(level.id) ? '' : 'quiet'}">{level.says}</span>{/if}
        </a>
      </li>
    {/each}
  </ul>
  <ul
    class="mt-[18px] border-t-[3px] border-b border-ink max-[1000px]:mt-0 max-[1000px]:flex max-[1000px]:border-t-0 max-[1000px]:border-b-0 max-[1000px]:border-l-[3px]"
  >
    {#each tools as [name, title, count] (name)}
      <li class="border-b border-line last:border-b-0 max-[1000px]:border-r max-[1000px]:border-b-0">
        <a
          href="{base}/{name}"
          aria-current={current(name!) ? 'page' : undefined}
          class="flex h-[34px] items-center justify-between gap-2 px-[18px] max-[1000px]:px-[10px] max-[1000px]:whitespace-nowrap {current(
            name!
          )
            ? 'bg-ink text-sheet'
            : 'quiet hover:bg-tape'}"><span>{title}</span><span>{count}</span></a
        >
      </li>
    {/each}
  </ul>
</nav>
