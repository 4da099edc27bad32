<script lang="ts">
  import type { TapeView } from '$server/views/tape';
  import { clockText, lineHref, plural, shortClock } from '../format';
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
  /** The span that the reader has zoomed to. */
  let zoomed = $state.raw<{ fromMs: number; toMs: number } | null>(null);
  let track: HTMLDivElement | undefined = $state();
  let frozen = $state<{ fromMs: number; toMs: number } | null>(null);
  const headMs = $derived(work.dragged ?? clock.nowMs);
  const range = $derived.by(() => {
    if (frozen) return frozen;
    if (zoomed) return zoomed;
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

  function msAt(event: MouseEvent): number {
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

  /** Makes the span shorter or longer around a moment, within what there is to see. */
  function zoom(factor: number, aroundMs: number) {
    const { fromMs, toMs } = range;
    const end = Math.max(clock.frontierMs, headMs) * 1.2 + 60_000;
    const span = Math.min(end, Math.max(5_000, (toMs - fromMs) * factor));
    const from = Math.max(0, Math.min(end - span, aroundMs - ((aroundMs - fromMs) / (toMs - fromMs)) * span));
    zoomed = { fromMs: from, toMs: from + span };
  }
  function pan(shareOfSpan: number) {
    const { fromMs, toMs } = range;
    const by = Math.max(-fromMs, (toMs - fromMs) * shareOfSpan);
    zoomed = { fromMs: fromMs + by, toMs: toMs + by };
  }
  function onwheel(event: WheelEvent) {
    if (!open) return;
    event.preventDefault();
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) pan((event.deltaX || event.deltaY) / 1_200);
    else zoom(event.deltaY > 0 ? 1.25 : 0.8, msAt(event));
  }
  const legend = [
    ['provisioning', 'volume'],
    ['attaching', 'attach'],
    ['mounting', 'mount'],
    ['pulling', 'image'],
    ['starting', 'start']
  ] as const;

  function onkeydown(event: KeyboardEvent) {
    const jumps: Record<string, number> = { PageUp: 60_000, PageDown: -60_000 };
    if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') void work.move({ step: event.key === 'ArrowRight' ? 1 : -1 });
    else if (jumps[event.key]) void work.move({ untilMs: Math.max(0, clock.nowMs + jumps[event.key]!) });
    else if (event.key === '+' || event.key === '=') zoom(0.7, headMs);
    else if (event.key === '-') zoom(1.4, headMs);
    else if (event.key === '0') zoomed = null;
    else if (event.key === 'Home') void work.move({ untilMs: 0 });
    else if (event.key === 'End') void work.move({ untilMs: clock.frontierMs });
    else return;
    event.preventDefault();
  }
</script>

{#snippet says(place: string)}
  <p class="flex items-baseline gap-2 text-[0.78rem] {place}" class:text-brick={tape.overdue} class:quiet={!tape.overdue}>
    <span class="truncate" title={tape.text}>{tape.text}</span>
    {#if open && tape.lanes.length > 6}<span class="quiet whitespace-nowrap"
        >{plural(tape.lanes.length - 6 + tape.hidden, 'more lane')}</span
      >{/if}
    {#if zoomed || clock.frontierMs > 9 * 60_000}
      <button
        class="word whitespace-nowrap text-ink"
        onpointerdown={(event) => event.stopPropagation()}
        onclick={() => {
          if (zoomed) zoomed = null;
          else whole = !whole;
        }}>{zoomed || whole ? 'latest' : 'whole'}</button
      >
    {/if}
  </p>
{/snippet}

<section aria-label="The tape" class="no-print shrink-0 border-t border-ink bg-tape" style:height={open ? '188px' : '40px'}>
  <div class="grid h-full grid-cols-[196px_minmax(0,1fr)_auto] overflow-hidden">
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
    <div class="relative min-w-0 {open ? 'col-span-2' : ''}">
      <div
        bind:this={track}
        class="absolute inset-x-0 top-0 cursor-col-resize touch-none select-none {open ? 'bottom-[26px]' : 'bottom-0'}"
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
        {onwheel}
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
          <div class="pointer-events-none absolute inset-x-0 top-[38px] bottom-0 overflow-hidden">
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
      </div>
      {#if open}
        <div class="absolute inset-x-0 bottom-0 flex h-[26px] items-center gap-4 bg-tape pr-4 text-[0.78rem]">
          <ul class="quiet flex shrink-0 gap-3 whitespace-nowrap max-[1100px]:hidden" aria-label="Legend of the lanes">
            {#each legend as [step, word] (step)}<li class="flex items-center gap-1">
                <span class="inline-block h-[9px] w-[14px]" style:background={fill[step]}></span>{word}
              </li>{/each}
            <li class="flex items-center gap-1"><span class="inline-block h-[11px] w-[14px] bg-base-300"></span>normal</li>
            <li class="flex items-center gap-1"><span class="inline-block w-[14px] border-t-2 border-dotted border-quiet"></span>waits</li>
            <li class="flex items-center gap-1"><span class="inline-block h-[9px] w-[14px] bg-brick"></span>overdue</li>
          </ul>
          {@render says('ml-auto min-w-0')}
        </div>
      {/if}
    </div>
    {#if !open}{@render says('max-w-[46vw] pl-3 pr-4 pt-[11px]')}{/if}
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
