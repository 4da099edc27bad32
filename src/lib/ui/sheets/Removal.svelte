<script lang="ts">
  import { page } from '$app/state';
  import type { Ref } from '$core/model';
  import type { Answers } from '$server/api/types';
  import { untrack } from 'svelte';
  import { call, doCall, notices } from '../call.svelte';
  import { plural } from '../format';
  import NameToLose from '../parts/NameToLose.svelte';
  import Sheet from '../parts/Sheet.svelte';

  type Found = Answers['RemovalSheet'];
  type Companion = Found['with'][number];
  type Line = Found['goes'][number];
  interface Props {
    id: string;
    flag: { hue: number; weave: string };
    ref: Ref;
    /** What goes together with it in any case. */
    more?: readonly Ref[];
    /** A pod that goes already: its node isn't waited for. */
    byForce?: boolean;
    /** Offers to keep what the object owns. */
    maykeep?: boolean;
    onclose(): void;
    /** It was taken away; the sheet that it stood on may be gone by now. */
    onremoved?(): void;
  }
  let { id, flag, ref: asked, more = [], maykeep = false, byForce = false, onclose, onremoved }: Props = $props();
  // Whoever opened this may forget what for as soon as it closes.
  const ref = untrack(() => asked);
  const keyOf = (one: Ref) => `${one.kind} ${one.namespace}/${one.name}`;
  const holdsData = ({ ref: { kind } }: Companion) => kind === 'PersistentVolumeClaim' || kind === 'VolumeSnapshot';
  let keepMembers = $state(false);
  let force = $state(untrack(() => byForce));
  let last = $state(false);
  const foreground = $derived(maykeep && last && !keepMembers);
  let typed = $state('');
  let busy = $state(false);
  let sheet = $state.raw<Found | null>(null);
  let chosen = $state.raw<ReadonlySet<string>>(new Set());
  const cluster = $derived(page.data.cluster?.name as string);

  $effect(() => {
    let late = false;
    void call('POST', '/rehearsals/{id}/removal-sheet', { params: { id }, body: { ...ref, keepMembers, force, foreground } }).then(
      (answer) => {
        if (late) return;
        if (!answer.ok) return notices.complain(answer.trouble);
        sheet = answer.value;
        chosen = new Set(sheet.with.filter((one) => one.goes).map((one) => keyOf(one.ref)));
      }
    );
    return () => void (late = true);
  });
  const all = $derived(sheet?.with ?? []);
  const everything = $derived(all.some((one) => one.takesAll && chosen.has(keyOf(one.ref))));
  const goesAlong = (one: Companion) => everything || chosen.has(keyOf(one.ref));
  const plain = $derived(all.filter((one) => !holdsData(one)));
  const data = $derived(all.filter(holdsData));
  /** What can be ticked is said there, not twice. */
  const stays = $derived((sheet?.stays ?? []).filter((line) => !all.some((one) => keyOf(one.ref) === keyOf(line.ref))));
  const lost = $derived(sheet ? [...sheet.lost, ...all.filter(goesAlong).flatMap((one) => one.lost)] : []);
  const kept = $derived(data.filter((one) => !goesAlong(one)));
  const sure = $derived(sheet !== null && !sheet.refusal && !busy && (lost.length === 0 || typed === cluster));

  function tick(list: readonly Companion[], on: boolean) {
    const next = new Set(chosen);
    for (const one of list) next[on ? 'add' : 'delete'](keyOf(one.ref));
    chosen = next;
  }
  async function take(event: SubmitEvent) {
    event.preventDefault();
    if (!sure) return;
    busy = true;
    const along = all.filter((one) => chosen.has(keyOf(one.ref))).map((one) => one.ref);
    const gone = await doCall('POST', '/rehearsals/{id}/remove', {
      params: { id },
      body: { ...ref, keepMembers, force, foreground, more: [...more, ...along] }
    });
    busy = false;
    if (!gone) return;
    notices.say(
      `${ref.name} is being taken away${along.length ? `, and ${plural(along.length, 'object')} with it` : ''}. Run the clock to see what follows, or undo (u).`
    );
    onclose();
    onremoved?.();
  }
</script>

{#snippet lines(title: string, list: readonly Line[], grave: boolean)}
  {#if list.length}
    <h3 class="mt-3 font-semibold {grave ? 'text-brick' : ''}">{title}</h3>
    <ul>
      {#each list as line, i (i)}<li class="break-words">
          <span class="quiet small">{line.ref.kind}</span> <span class="mono">{line.ref.name}</span>
          {line.says}
        </li>{/each}
    </ul>
  {/if}
{/snippet}
{#snippet ticks(list: Companion[])}
  <ul>
    {#each list as one (keyOf(one.ref))}
      <li>
        <label class="flex items-baseline gap-2"
          ><input
            type="checkbox"
            checked={goesAlong(one)}
            disabled={everything && !one.takesAll}
            onchange={(event) => tick([one], event.currentTarget.checked)}
          />
          <span class="min-w-0 break-words"
            ><span class="quiet small">{one.ref.kind}</span> <span class="mono">{one.ref.name}</span>
            <span class="quiet">{holdsData(one) && goesAlong(one) ? 'goes, with its data' : one.says}</span></span
          ></label
        >
      </li>
    {/each}
  </ul>
{/snippet}

<Sheet title="Take {ref.name} away from {cluster}?" {flag} {onclose} wide={all.length > 0}>
  {#if sheet?.refusal}
    <p class="text-brick">{sheet.refusal.message}</p>
    <p>{sheet.refusal.remedy}</p>
  {:else if sheet}
    {@render lines('Goes', [...sheet.goes, ...more.map((one) => ({ ref: one, says: 'goes too' }))], false)}
    {#if plain.length}
      <h3 class="mt-3 font-semibold">Stands with it; what is ticked goes too</h3>
      {@render ticks(plain)}
    {/if}
    {#if data.length}
      <h3 class="mt-3 font-semibold">
        <label class="flex items-baseline gap-2"
          ><input
            type="checkbox"
            checked={kept.length === 0}
            indeterminate={kept.length > 0 && kept.length < data.length}
            onchange={(event) => tick(data, event.currentTarget.checked)}
          />Its claims and their data, all {data.length}</label
        >
      </h3>
      {@render ticks(data)}
    {/if}
    {@render lines('Stays', stays, false)}
    {@render lines('Data that is lost', lost, true)}
    {@render lines('Risked', sheet.risks, true)}
  {:else}
    <p class="quiet">Looking at what stands with it …</p>
  {/if}
  <form class="dialog-foot" onsubmit={take}>
    {#if maykeep}<label class="mb-3 flex items-center gap-2"
        ><input type="checkbox" bind:checked={keepMembers} />Keep its members running</label
      >
      <label class="mb-3 flex items-center gap-2"
        ><input type="checkbox" bind:checked={last} disabled={keepMembers} />It goes last: all that it owns goes first</label
      >{/if}
    {#if ref.kind === 'Pod'}<label class="mb-3 flex items-center gap-2"
        ><input type="checkbox" bind:checked={force} />By force: don't wait for its node to end it</label
      >{/if}
    {#if lost.length}
      <NameToLose {cluster} bind:typed />
    {/if}
    <div class="flex gap-2">
      <button class="push push-grave" disabled={!sure}>{busy ? 'Taking away …' : 'Take away'}</button>
      <button type="button" class="push" onclick={onclose}>Not now</button>
    </div>
  </form>
</Sheet>
