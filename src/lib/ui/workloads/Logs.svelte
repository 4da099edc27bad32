<script lang="ts">
  import { call, notices } from '../call.svelte';
  import { columnClock } from '../format';

  interface Props {
    id: string;
    namespace: string;
    name: string;
    /** Changes whenever the clock's head or the rehearsal does. */
    moment: string;
    members: readonly string[];
  }
  let { id, namespace, name, moment, members }: Props = $props();
  let text = $state('');
  let member = $state('');
  let grave = $state(false);
  let found = $state<{ total: number; lines: { atMs: number; member: string; text: string; grave: boolean }[] } | null>(null);
  let list = $state<HTMLElement | null>(null);

  $effect(() => {
    void moment;
    const query = new URLSearchParams({
      namespace,
      name,
      ...(text ? { text } : {}),
      ...(member ? { member } : {}),
      ...(grave ? { grave: 'yes' } : {})
    });
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      const answer = await call('GET', '/rehearsals/{id}/logs', { params: { id }, query, signal: stop.signal });
      if (stop.signal.aborted) return;
      if (answer.ok) found = answer.value;
      else notices.complain(answer.trouble);
    }, 60);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });
  // Follows the clock's head: the newest line is in sight.
  $effect(() => {
    void found;
    if (list) list.scrollTop = list.scrollHeight;
  });
</script>

<div class="flex flex-wrap items-end gap-4 border-t border-ink pt-3">
  <label class="small quiet block"
    >search<input
      class="block border border-line bg-sheet px-2 py-1 text-[0.95rem] text-ink"
      bind:value={text}
      placeholder="leads, majority, joins"
    /></label
  >
  <label class="small quiet block"
    >member<select class="select-plain block border border-line bg-sheet px-2 py-1 text-[0.95rem] text-ink" bind:value={member}
      ><option value="">all</option>{#each members as one (one)}<option>{one}</option>{/each}</select
    ></label
  >
  <label class="flex items-center gap-2 pb-1"><input type="checkbox" bind:checked={grave} />only what is wrong</label>
  <span class="quiet small pb-1.5">{found ? `${found.total.toLocaleString('en')} lines up to the clock's head` : ''}</span>
</div>
<!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
<div bind:this={list} class="mt-3 max-h-[46vh] overflow-auto" tabindex="0" role="log" aria-label="Log of {name}">
  {#each found?.lines ?? [] as line, i (i)}
    <p class="grid grid-cols-[4.6rem_11rem_1fr] gap-x-3 border-b border-line py-[3px]">
      <span class="mono quiet text-[0.8rem]">{columnClock(line.atMs)}</span>
      <span class="mono truncate text-[0.8rem]" title={line.member}>{line.member}</span>
      <span class={line.grave ? 'text-brick' : ''}>{line.text}</span>
    </p>
  {:else}
    <p class="quiet py-2">
      {grave && !text && !member
        ? 'Nobody has written that anything is wrong.'
        : text || member || grave
          ? 'No line says that.'
          : 'No member has written anything yet.'}
    </p>
  {/each}
</div>
