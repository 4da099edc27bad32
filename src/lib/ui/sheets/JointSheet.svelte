<script lang="ts">
  import Peg from '../parts/Peg.svelte';
  import { sentenceShown } from '../prefs.svelte';
  import { shortClock } from '../format';
  import type { LineRow } from './line-rows';

  interface Props {
    row: LineRow;
    isBreak: boolean;
    ondraft(manifests: string, cluster: string | null): Promise<void>;
  }
  let { row, isBreak, ondraft }: Props = $props();
  const speaking = $derived(row.joints.filter((one) => one.state === row.state));
  const remedy = $derived(speaking.find((one) => one.remedy)?.remedy);
  const evidence = $derived(speaking.flatMap((one) => one.evidence).slice(0, 16));
  const seconds = (ms: number) => Math.round(ms / 1000);
</script>

<aside aria-label="The joint {row.title}" class="pt-[30px]">
  <h2 class="flex items-center gap-2 {isBreak ? 'text-brick' : ''}">
    <Peg state={row.state} size={12} />{row.title} <span class="quiet font-normal">{row.state}</span>
  </h2>
  {#if remedy}
    <div class="remedy mt-3">
      <h3 class="font-semibold">Remedy</h3>
      <p class="mt-1">{remedy.text}</p>
      {#if remedy.manifests}
        {@const manifests = remedy.manifests}
        <p class="mt-2">
          <button class="push push-main" onclick={() => ondraft(manifests, remedy.in)}
            >{remedy.press}{remedy.in ? ` for ${remedy.in}` : ''}</button
          >
          <span class="key">d</span>
        </p>
      {/if}
      {#if remedy.also}
        {@const also = remedy.also}
        <p class="mt-2"><button class="push" onclick={() => ondraft(also.manifests, remedy.in)}>{also.press}</button></p>
      {/if}
      {#if row.id === 'driver'}<p class="quiet small mt-2">
          Normal wait afterwards: driver 10–60 s, claims 2–20 s, three members 1–3 min.
        </p>{/if}
    </div>
  {/if}
  <p class="mt-3">{sentenceShown(row.says)}.</p>
  {#if speaking[0]?.cluster}<p class="quiet small mt-1">looked at in {[...new Set(speaking.map((one) => one.cluster))].join(', ')}</p>{/if}
  {#each speaking.slice(0, 1) as one (one.label)}
    {#if one.settling}<p class="quiet small mt-1">
        normal {seconds(one.settling.normalMs[0])}–{seconds(one.settling.normalMs[1])} s, since {shortClock(one.settling.sinceMs)}
      </p>{/if}
  {/each}
  {#if evidence.length}
    <h3 class="quiet small mt-4">Evidence</h3>
    <ul>
      {#each evidence as one, i (i)}
        <li class="border-b border-line py-1.5">
          <span class="small break-words"><span class="quiet">{one.object.kind}</span> <span class="mono">{one.object.name}</span></span><br
          />
          {#if one.field}<span class="mono text-[0.76rem] break-words">{one.field}: <b>{sentenceShown(one.value ?? '')}</b></span>{/if}
          {#if one.event}<span class="small"
              ><b class="font-semibold">{one.event.reason}</b>
              {sentenceShown(one.event.message)}{one.event.count > 1 ? ` (${one.event.count} times)` : ''}</span
            >{/if}
          {#if one.atMs !== undefined}<span class="mono quiet text-[0.72rem]"> {shortClock(one.atMs)}</span>{/if}
        </li>
      {/each}
    </ul>
  {/if}
  <h3 class="quiet small mt-4">Why it matters</h3>
  <p>{row.why}</p>
</aside>
