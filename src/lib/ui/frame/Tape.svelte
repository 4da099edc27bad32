<script lang="ts">
  import type { TapeView } from '$server/views/tape';
  import { clockText, lineHref, shortClock } from '../format';
  import { prefs } from '../prefs.svelte';
  import type { Clockwork } from './clockwork.svelte';

  interface Props {
    id: string;
    tape: TapeView;
    clock: { nowMs: number; frontierMs: number; settled: boolean; running: number };
    work: Clockwork;
    /** Whether the lanes are shown. */
    open: boolean;
  }
  let { id, tape, clock, work, open }: Props = $props();

  let whole = $state(false);
  let track: HTMLDivElement | undefined = $state();
  let frozen = $state<{ fromMs: number; toMs: number } | null>(null);
  const headMs = $derived(work.dragged ?? clock.nowMs);
  const range = $derived.by(() => {
    if (frozen) return frozen;
    const end = Math.max(clock.frontierMs, headMs);
    const spanMs = whole ? end : Math.min(end, 9 * 60_000);
    const toMs = Math.max(120_000, end + Math.max(30_000, spanMs * (open ? 0.16 : 0.5)));
    const fromMs = whole ? 0 : Math.max(0, Math.min(end - spanMs, headMs - 30_000));
    return { fromMs, toMs };
  });
  const at = (ms: number) => (100 * (ms - range.fromMs)) / (range.toMs - range.fromMs);
  const ticks = $derived.by(() => {
    const steps = [
      10_000, 30_000, 60_000, 120_000, 300_000, 600_000, 1_800_000, 3_600_000, 10_800_000, 43_200_000, 86_400_000, 259_200_000
    ];
    const step = steps.find((one) => (range.toMs - range.fromMs) / one <= 9) ?? 604_800_000;
    const first = Math.ceil(range.fromMs / step) * step;
    return Array.from({ length: Math.max(0, Math.floor((range.toMs - first) / step) + 1) }, (_, i) => first + i * step);
  });
  const fill: Record<string, string> = {
    placing: 'var(--color-quiet)',
    provisioning: 'color-mix(in oklab, var(--color-moss) 45%, var(--color-ochre))',
    attaching: 'color-mix(in oklab, var(--color-moss) 62%, var(--color-ochre))',
    mounting: 'color-mix(in oklab, var(--color-moss) 78%, var(--color-sheet))',
    pulling: 'color-mix(in oklab, var(--color-ochre) 62%, var(--color-sheet))',
    starting: 'var(--color-moss)',
    growing: 'color-mix(in oklab, var(--color-moss) 55%, var(--color-ochre))'
  };
  const speeds = [1, 10, 60, 600];

  function msAt(event: PointerEvent): number {
    const box = track!.getBoundingClientRect();
    return range.fromMs + ((event.clientX - box.left) / box.width) * (range.toMs - range.fromMs);
  }
  function down(event: PointerEvent) {
    if (event.button !== 0) return;
    track!.setPointerCapture(event.pointerId);
    frozen = { ...range };
    void work.drag(msAt(event));
  }
  function moved(event: PointerEvent) {
    if (frozen) void work.drag(msAt(event));
  }
  async function up(event: PointerEvent) {
    if (!frozen) return;
    await work.drag(msAt(event));
    frozen = null;
  }
  // The dragged head gives way as soon as the server's clock has caught up.
  $effect(() => {
    if (!frozen && work.dragged !== null && Math.abs(clock.nowMs - Math.max(0, Math.round(work.dragged))) < 2) work.dragged = null;
  });

  function onkeydown(event: KeyboardEvent) {
    const jumps: Record<string, number> = { PageUp: 60_000, PageDown: -60_000 };
    if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') void work.move({ step: event.key === 'ArrowRight' ? 1 : -1 });
    else if (jumps[event.key]) void work.move({ untilMs: Math.max(0, clock.nowMs + jumps[event.key]!) });
    else if (event.key === 'Home') void work.move({ untilMs: 0 });
    else if (event.key === 'End') void work.move({ untilMs: clock.frontierMs });
    else return;
    event.preventDefault();
  }
</script>

<section aria-label="The tape" class="shrink-0 border-t border-ink bg-tape" style:height={open ? '188px' : '40px'}>
  <div class="grid h-full grid-cols-[196px_1fr] overflow-hidden">
    <div class="flex min-h-0 flex-col pl-[18px]">
      <div class="flex h-[38px] shrink-0 items-center gap-[7px]">
        <button
          class="quiet small hover:text-ink"
          aria-expanded={open}
          onclick={() => prefs.setTape(!open)}
          title="Fold or open the tape (l)">tape</button
        >
        <button
          class="push small px-1.5! py-0!"
          onclick={() => work.move({ step: -1 })}
          aria-label="One event back"
          title="One event back ( , )">‹</button
        >
        <button class="push small px-1.5! py-0!" onclick={() => work.move({ step: 1 })} aria-label="One event on" title="One event on ( . )"
          >›</button
        >
        <button class="push small px-1.5! py-0!" onclick={() => work.toggle(clock.running, prefs.speed)} title="Run or pause (space)">
          {clock.running ? 'pause' : 'run'}
        </button>
        {#if work.busy}
          <button class="push small px-1.5! py-0!" onclick={() => work.stop()} title="Stop where it has got to (space)">stop</button>
        {:else}
          <button
            class="push small px-1.5! py-0!"
            onclick={() => work.move({ until: 'settled' })}
            title="Run until nothing is under way (s)">settle</button
          >
        {/if}
      </div>
      {#if open}
        <ul class="min-h-0 flex-1 overflow-hidden" aria-hidden="true">
          {#each tape.lanes.slice(0, 6) as lane (lane.label)}
            <li class="mono h-[20px] truncate text-[0.78rem] leading-[20px]">
              {#if lane.ref}<a class="hover:underline" tabindex="-1" href={lineHref(id, lane.ref)}>{lane.label}</a>{:else}{lane.label}{/if}
            </li>
          {/each}
        </ul>
        <div class="small flex h-[26px] shrink-0 items-center gap-2">
          <label class="quiet"
            >speed <select
              class="bg-tape"
              value={prefs.speed}
              onchange={(event) => {
                prefs.setSpeed(Number(event.currentTarget.value));
                if (clock.running) void work.move({ run: prefs.speed });
              }}
            >
              {#each speeds as one (one)}<option value={one}>{one}×</option>{/each}
            </select></label
          >
        </div>
      {/if}
    </div>
    <div
      bind:this={track}
      class="relative cursor-col-resize touch-none select-none"
      role="slider"
      tabindex="0"
      aria-label="Clock head"
      aria-valuemin={0}
      aria-valuemax={clock.frontierMs}
      aria-valuenow={headMs}
      aria-valuetext="{clockText(headMs)}. {tape.text}"
      onpointerdown={down}
      onpointermove={moved}
      onpointerup={up}
      {onkeydown}
    >
      {#if open}
        {#each ticks as tick (tick)}
          <div class="pointer-events-none absolute top-0 bottom-0 border-l border-line" style:left="{at(tick)}%">
            <span class="mono quiet absolute top-[6px] left-[4px] text-[0.68rem]">{shortClock(tick)}</span>
          </div>
        {/each}
        {#each tape.marks as mark, i (i)}
          {#if mark.atMs >= range.fromMs}
            <div
              class="absolute top-[26px] h-[9px] w-[2px] bg-ink"
              style:left="{at(mark.atMs)}%"
              title="{shortClock(mark.atMs)} {mark.label}"
            ></div>
          {/if}
        {/each}
        <div class="pointer-events-none absolute inset-x-0 top-[38px] bottom-[26px] overflow-hidden">
          {#each tape.lanes.slice(0, 6) as lane, row (lane.label)}
            {@const y = row * 20}
            {#each lane.waits as one, i (i)}
              {@const end = one.toMs ?? Math.max(clock.frontierMs, headMs)}
              <div
                class="absolute border-t-2 border-dotted"
                class:border-brick={one.says.startsWith('waits')}
                class:border-quiet={!one.says.startsWith('waits')}
                style:top="{y + 9}px"
                style:left="{at(one.fromMs)}%"
                style:width="{Math.max(0, at(end) - at(one.fromMs))}%"
              ></div>
            {/each}
            {#each lane.segments as one, i (i)}
              {#if one.step === 'starting' || one.step === 'provisioning' || one.toMs === null}
                <div
                  class="absolute h-[15px] opacity-70"
                  style:background="color-mix(in oklab, var(--color-base-300) 75%, var(--color-tape))"
                  style:top="{y + 2}px"
                  style:left="{at(one.fromMs + one.normalMs[0])}%"
                  style:width="{Math.max(0, at(one.normalMs[1]) - at(one.normalMs[0]))}%"
                ></div>
              {/if}
            {/each}
            {#each lane.segments as one, i (i)}
              {@const end = one.toMs ?? Math.max(clock.frontierMs, headMs)}
              <div
                class="absolute h-[11px] min-w-[2px]"
                class:opacity-35={one.fromMs > headMs}
                style:background={one.overdue ? 'var(--color-brick)' : (fill[one.step] ?? 'var(--color-quiet)')}
                style:top="{y + 4}px"
                style:left="{at(one.fromMs)}%"
                style:width="{Math.max(0, at(end) - at(one.fromMs))}%"
              ></div>
            {/each}
          {/each}
        </div>
      {:else}
        <div class="pointer-events-none absolute top-[19px] right-0 left-0 h-[1.5px] bg-line"></div>
        <div class="pointer-events-none absolute top-[19px] left-0 h-[1.5px] bg-ink" style:width="{at(headMs)}%"></div>
      {/if}
      {#if clock.frontierMs > headMs + 1}
        <div
          class="pointer-events-none absolute top-[24px] bottom-0 border-l border-dashed border-quiet"
          style:left="{at(clock.frontierMs)}%"
          title="so far it has run"
        ></div>
      {/if}
      <div class="pointer-events-none absolute top-0 bottom-0" style:left="{at(headMs)}%">
        {#if open}<div class="absolute top-[18px] bottom-0 w-[1.5px] bg-ink"></div>{/if}
        <svg class="absolute -left-[6px] text-ink" style:top={open ? '18px' : '12px'} width="13" height="14" aria-hidden="true"
          ><path d="M0 0H13V8L6.5 14L0 8Z" fill="currentColor" /></svg
        >
      </div>
      <p
        class="pointer-events-none absolute right-0 max-w-[75%] truncate bg-tape pr-4 pl-3 text-[0.78rem] {open
          ? 'bottom-[4px]'
          : 'top-[11px]'}"
        class:text-brick={tape.overdue}
        class:quiet={!tape.overdue}
        aria-live="off"
      >
        {tape.text}
        {#if tape.lanes.length > 6 && open}<span class="quiet"> · {tape.lanes.length - 6 + tape.hidden} more lanes</span>{/if}
        {#if clock.frontierMs > 9 * 60_000}
          <button
            class="word pointer-events-auto ml-2 text-ink"
            onpointerdown={(event) => event.stopPropagation()}
            onclick={() => (whole = !whole)}>{whole ? 'latest' : 'whole'}</button
          >
        {/if}
      </p>
    </div>
  </div>
  <ol class="sr-only" aria-label="Lanes as a list">
    {#each tape.lanes as lane (lane.label)}
      <li>
        {lane.label}: {lane.segments
          .map(
            (one) =>
              `${one.label} from ${shortClock(one.fromMs)} ${one.toMs === null ? 'and still' : `to ${shortClock(one.toMs)}`}${one.overdue ? ', overdue' : ''}`
          )
          .join('; ')}
      </li>
    {/each}
  </ol>
</section>
