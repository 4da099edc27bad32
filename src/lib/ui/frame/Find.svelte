<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '../call.svelte';
  import { lineHref } from '../format';
  import Sheet from '../parts/Sheet.svelte';

  interface Hit {
    readonly label: string;
    readonly what: string;
    readonly href: string;
  }
  let { id, onclose }: { id: string; onclose(): void } = $props();
  const base = $derived(`/r/${encodeURIComponent(id)}`);
  let text = $state('');
  let found = $state<Hit[]>([]);
  let chosen = $state(0);

  const sheets = $derived<Hit[]>(
    ['ground', 'supply', 'claims', 'members', 'proofs', 'drafts', 'handover']
      .map((name) => ({ label: name[0]!.toUpperCase() + name.slice(1), what: 'sheet', href: `${base}/${name}` }))
      .concat([{ label: 'Estate', what: 'sheet', href: '/' }])
  );
  const wanted = $derived(text.trim().toLowerCase());
  // What was found for a shorter text stays only as far as it answers to what is written now.
  const hits = $derived([
    ...sheets.filter((one) => one.label.toLowerCase().includes(wanted)),
    ...found.filter((one) => one.label.toLowerCase().includes(wanted))
  ]);

  function hrefOf(ref: { kind: string; namespace: string; name: string }): string {
    if (['Pod', 'PersistentVolumeClaim', 'StatefulSet', 'PersistentVolume', 'VolumeSnapshot'].includes(ref.kind)) return lineHref(id, ref);
    if (['MemoryCluster', 'MemoryDatabase', 'DocumentSet', 'OperatorOrder'].includes(ref.kind)) return lineHref(id, ref);
    const name = encodeURIComponent(ref.name);
    if (['Node', 'Registry', 'Disk'].includes(ref.kind)) return `${base}/ground#${ref.name.replace(/-(raw-\d+|system)$/, '')}`;
    if (ref.kind === 'StorageClass') return `${base}/supply?class=${name}`;
    if (ref.kind === 'CSIDriver') return `${base}/supply?driver=${name}`;
    if (ref.kind === 'Backend' || ref.kind === 'Pool') return `${base}/supply?backend=${name}`;
    if (ref.kind === 'Identity') return `${base}/supply`;
    return `${base}/members#${ref.name}`;
  }

  $effect(() => {
    const asked = wanted;
    chosen = 0;
    if (!asked) {
      found = [];
      return;
    }
    const stop = new AbortController();
    void call<{ items: { kind: string; namespace: string; name: string }[] }>(
      'GET',
      `/rehearsals/${encodeURIComponent(id)}/find?text=${encodeURIComponent(asked)}`,
      undefined,
      { signal: stop.signal }
    ).then((answer) => {
      if (answer.ok && !stop.signal.aborted)
        found = answer.value.items.map((one) => ({
          label: one.name,
          what: `${one.kind}${one.namespace ? ` in ${one.namespace}` : ''}`,
          href: hrefOf(one)
        }));
    });
    return () => stop.abort();
  });

  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      chosen = Math.max(0, Math.min(hits.length - 1, chosen + (event.key === 'ArrowDown' ? 1 : -1)));
      event.preventDefault();
    } else if (event.key === 'Enter' && hits[chosen]) {
      onclose();
      void goto(hits[chosen]!.href);
    }
  }
</script>

<Sheet title="Find" {onclose}>
  <!-- svelte-ignore a11y_autofocus -->
  <input
    autofocus
    class="w-full border border-ink bg-sheet px-2 py-1.5"
    bind:value={text}
    {onkeydown}
    placeholder="a member, a claim, a class, a node, a sheet"
    aria-label="What to find"
    role="combobox"
    aria-expanded="true"
    aria-controls="hits"
  />
  <ul id="hits" role="listbox" class="mt-3 max-h-[44vh] overflow-auto">
    {#each hits as hit, i (hit.href + hit.what)}
      <li role="option" aria-selected={i === chosen} class="border-b border-line" class:bg-tape={i === chosen}>
        <a class="flex items-baseline justify-between px-2 py-1.5" href={hit.href} onclick={onclose}
          ><span class:mono={hit.what !== 'sheet'}>{hit.label}</span><span class="quiet small">{hit.what}</span></a
        >
      </li>
    {:else}
      <li class="quiet px-2 py-2">Nothing is called that at this moment.</li>
    {/each}
  </ul>
</Sheet>
