<script lang="ts">
  import { shortClock } from '$ui/format';

  interface Piece {
    readonly fromMs: number;
    readonly toMs: number;
  }
  interface Props {
    /** Copies that are done, oldest first. */
    copies: readonly { readonly name: string; readonly momentMs: number }[];
    pieces: readonly Piece[];
    fromMs: number;
    untilMs: number;
    nowMs: number;
    /** The moment that is chosen; null where none is. */
    chosenMs: number | null;
  }
  let { copies, pieces, fromMs, untilMs, nowMs, chosenMs }: Props = $props();
  const wholeMs = $derived(Math.max(1_000, Math.max(untilMs, nowMs) - fromMs));
  const share = (ms: number) => `${Math.max(0, Math.min(100, (100 * (ms - fromMs)) / wholeMs))}%`;
  /** What lies between two pieces that don't meet lacks. */
  const gaps = $derived(
    pieces.flatMap((one, i) => {
      const next = pieces[i + 1];
      return next && next.fromMs > one.toMs ? [{ fromMs: one.toMs, toMs: next.fromMs }] : [];
    })
  );
  const words = $derived(
    `${copies.length} copies${pieces.length ? `, and the log behind them in ${pieces.length} pieces${gaps.length ? `, ${gaps.length} lacking` : ''}` : ''}`
  );
</script>

<div class="relative mt-2 h-[64px]" role="img" aria-label={words}>
  <span class="absolute inset-x-0 top-[38px] border-t border-line"></span>
  {#each pieces as one (one.fromMs)}
    <span
      class="absolute top-[34px] h-[9px] border-r border-sheet bg-moss"
      style:left={share(one.fromMs)}
      style:width={`max(2px, calc(${share(one.toMs)} - ${share(one.fromMs)}))`}
    ></span>
  {/each}
  {#each gaps as one (one.fromMs)}
    <span
      class="absolute top-[34px] h-[9px] border border-dashed border-brick"
      style:left={share(one.fromMs)}
      style:width={`max(4px, calc(${share(one.toMs)} - ${share(one.fromMs)}))`}
    ></span>
  {/each}
  {#each copies as one, i (one.name)}
    <span
      class="absolute top-[14px] h-[44px] border-l-2 border-ink"
      style:left={share(one.momentMs)}
      title="{one.name}: {shortClock(one.momentMs)}"
    ></span>
    {#if copies.length <= 8 || i === copies.length - 1}<span
        class="small mono absolute top-[-4px] {i === copies.length - 1 && copies.length > 1 ? '-translate-x-full pr-1' : 'pl-1'}"
        style:left={share(one.momentMs)}>{shortClock(one.momentMs)}</span
      >{/if}
  {/each}
  {#if chosenMs !== null}
    <span class="absolute top-[26px] h-[30px] border-l-2 border-brick" style:left={share(chosenMs)}></span>
  {/if}
</div>
