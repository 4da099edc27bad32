<script lang="ts">
  import { goto } from '$app/navigation';
  import { call } from '../call.svelte';
  import { lineHref } from '../format';
  import Sheet from '../parts/Sheet.svelte';
  import { HelpTexts } from './help-texts.svelte';

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
  // Without its texts all else is found.
  const help = new HelpTexts();

  const sheets = $derived<Hit[]>(
    ['ground', 'supply', 'claims', 'members', 'proofs', 'drafts', 'drills', 'backups', 'sizing', 'handover']
      .map((name) => ({ label: name[0]!.toUpperCase() + name.slice(1), what: 'sheet', href: `${base}/${name}` }))
      .concat([{ label: 'Estate', what: 'sheet', href: '/' }])
  );
  const wanted = $derived(text.trim().toLowerCase());
  // What was found for a shorter text stays only as far as it answers to what is written now.
  const hits = $derived([
    ...sheets.filter((one) => one.label.toLowerCase().includes(wanted)),
    ...found.filter((one) => one.label.toLowerCase().includes(wanted)),
    ...(help.texts?.findHelp(wanted) ?? []).map((one) => ({ label: one.title, what: 'help', href: `/help/${one.id}` }))
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
    void call('GET', '/rehearsals/{id}/find', { params: { id }, query: { text: asked }, signal: stop.signal }).then((answer) => {
      if (answer.ok && !stop.signal.aborted)
        found = answer.value.items.map((one) => ({
          label: one.name,
          what: `${one.kind}${one.namespace ? ` in ${one.namespace}` : ''}`,
          href: hrefOf(one)
        }));
    });
    return () => stop.abort();
  });

  function go(hit: Hit) {
    onclose();
    void goto(hit.href);
  }
  function onkeydown(event: KeyboardEvent) {
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      chosen = Math.max(0, Math.min(hits.length - 1, chosen + (event.key === 'ArrowDown' ? 1 : -1)));
      event.preventDefault();
    } else if (event.key === 'Enter' && hits[chosen]) go(hits[chosen]!);
  }
</script>

<Sheet title="Find" {onclose}>
  <!-- svelte-ignore a11y_autofocus -->
  <input
    autofocus
    class="w-full border border-ink bg-sheet px-2 py-1.5"
    bind:value={text}
    {onkeydown}
    placeholder="a member, a claim, a class, a node, a sheet, a word of the help"
    aria-label="What to find"
    role="combobox"
    aria-expanded="true"
    aria-controls="hits"
    aria-activedescendant={hits[chosen] ? `hit-${chosen}` : undefined}
  />
  <ul id="hits" role="listbox" class="mt-3 max-h-[44vh] overflow-auto">
    {#each hits as hit, i (hit.href + hit.what)}
      <!-- svelte-ignore a11y_click_events_have_key_events -->
      <li
        role="option"
        id="hit-{i}"
        aria-selected={i === chosen}
        class="flex cursor-pointer items-baseline justify-between gap-4 border-b border-line px-2 py-1.5 hover:bg-tape"
        class:bg-tape={i === chosen}
        onclick={() => go(hit)}
      >
        <span class="min-w-0 break-words" class:mono={hit.what !== 'sheet' && hit.what !== 'help'}>{hit.label}</span><span
          class="quiet small whitespace-nowrap">{hit.what}</span
        >
      </li>
    {:else}
      <li class="quiet px-2 py-2" role="option" aria-selected="false">Nothing is called that at this moment.</li>
    {/each}
  </ul>
</Sheet>
