<script lang="ts">
  import { untrack } from 'svelte';
  import { prefs } from '../prefs.svelte';
  import type { Desk } from './desk.svelte';

  interface Props {
    desk: Desk;
  }
  let { desk }: Props = $props();
  const theirs = $derived(desk.conflict!.files);
  /** What will be kept, by file; begins as what was written here. */
  let merged = $state<Record<string, string>>(untrack(() => Object.fromEntries(desk.files.map((one) => [one.name, one.text]))));
  const names = $derived([...new Set([...Object.keys(merged), ...theirs.map((one) => one.name)])]);
  const theirText = (name: string) => theirs.find((one) => one.name === name)?.text ?? '';
  const differs = (name: string) => (merged[name] ?? '') !== theirText(name);
  let open = $state(untrack(() => names.find(differs) ?? names[0] ?? ''));
  let host: HTMLDivElement | undefined = $state();

  $effect(() => {
    if (!host) return;
    const [name, target, covered] = [open, host, prefs.covered];
    let made: { destroy(): void } | undefined;
    let gone = false;
    void import('./editor').then(async ({ makeMerge }) => {
      if (gone) return;
      made = await makeMerge(
        target,
        untrack(() => theirText(name)),
        untrack(() => merged[name] ?? ''),
        covered,
        (text) => (merged[name] = text)
      );
      if (gone) made.destroy();
    });
    return () => {
      gone = true;
      made?.destroy();
    };
  });
  const whole = () =>
    names.map((name) => ({ name, text: merged[name] ?? '' })).filter((one) => one.text.trim() || theirText(one.name).trim());
</script>

<section class="flex min-h-0 flex-1 flex-col" aria-label="Two texts of this draft" data-testid="conflict">
  <div role="alert" class="border-y border-ink px-[18px] py-2">
    <p>
      <b>{desk.conflict!.who ?? 'Somebody else'} has kept another text of this draft meanwhile.</b> Yours isn't kept yet; nothing of it is lost.
    </p>
    <p class="quiet small">
      Left is what stands now, right what you have. Take over from the left what you want (the arrows between), or write on the right; then
      keep the right side.
    </p>
    <div class="mt-2 flex flex-wrap gap-2">
      <button class="push push-main" onclick={() => desk.settle(whole(), 'merged by hand')}>Keep the right side</button>
      <button class="push" onclick={() => desk.giveWay()}>Take the left side whole</button>
    </div>
  </div>
  <div class="small flex flex-wrap gap-x-4 px-[18px] py-2" role="tablist" aria-label="Files">
    {#each names as name (name)}
      <button
        role="tab"
        aria-selected={open === name}
        class="mono whitespace-nowrap {open === name ? 'border-b-2 border-ink font-semibold' : 'quiet'}"
        onclick={() => (open = name)}>{name}{differs(name) ? ' ≠' : ''}</button
      >
    {/each}
  </div>
  <div class="small grid grid-cols-2 px-[18px]"><span class="quiet">as it stands now</span><span class="quiet">yours</span></div>
  <div bind:this={host} class="min-h-0 flex-1 overflow-auto border-t border-line"></div>
</section>
