<script lang="ts" module>
  import type { Ref } from '$core/model';
  import type { Answers } from '$server/api/types';

  export type SheetData = Answers['ChangeSheet'];
</script>

<script lang="ts">
  import { tick, type Snippet } from 'svelte';
  import { clockText, plural } from '../format';
  import Flag from '../parts/Flag.svelte';
  import NameToLose from '../parts/NameToLose.svelte';

  interface Props {
    sheet: SheetData | null;
    unreadable: boolean;
    /** How many errors the checker found. */
    errors?: number;
    /** The target is a dump: it can be looked at and not sent to. */
    still?: boolean;
    target: string;
    cluster: { name: string; flag: { hue: number; weave: string } };
    nowMs: number;
    onsend(replace: readonly Ref[], confirm: string): Promise<boolean>;
    onrehearse(replace: readonly Ref[]): Promise<void>;
    /** What has become of it, beside the buttons. */
    result?: Snippet;
  }
  let { sheet, unreadable, errors = 0, still = false, target, cluster, nowMs, onsend, onrehearse, result }: Props = $props();
  let typed = $state('');
  let busy = $state<'send' | 'rehearse' | null>(null);
  const heads = ['new', 'altered', 'refused', 'restarted', 'lost', 'untouched'] as const;
  const empty: Record<(typeof heads)[number], string> = {
    new: '',
    altered: '',
    refused: 'nothing is refused',
    restarted: 'no member restarts',
    lost: 'no data is lost',
    untouched: ''
  };
  const text = (value: unknown) => {
    const said = value === undefined ? 'nothing' : typeof value === 'string' ? value : JSON.stringify(value);
    return said.length > 100 ? `${said.slice(0, 97)}...` : said;
  };
  const changes = $derived(sheet ? sheet.new.length + sheet.altered.length : 0);
  const asks = $derived((sheet?.lost.length ?? 0) > 0);
  const round = $derived(sheet?.wayRound);
  /** The way round is open when nothing else is refused. */
  const open = $derived(round !== undefined && round.refused.length === 0);
  const may = $derived(!still && sheet !== null && !unreadable && sheet.refused.length === 0 && changes > 0);

  /** Ctrl and Enter send, from the editor too. */
  function onkeydown(event: KeyboardEvent) {
    if (event.key !== 'Enter' || !(event.ctrlKey || event.metaKey) || !may || busy !== null || (asks && typed !== cluster.name)) return;
    event.preventDefault();
    void run('send', () => onsend([], typed));
  }
  let foot: HTMLDivElement | undefined = $state();
  async function run(what: 'send' | 'rehearse', work: () => Promise<unknown>) {
    busy = what;
    await work();
    busy = null;
    typed = '';
    // The button can't be pressed again, so the focus goes where one goes on.
    await tick();
    (foot?.querySelector<HTMLElement>('a, button:not(:disabled)') ?? foot)?.focus();
  }
</script>

<svelte:window onkeydowncapture={onkeydown} />

<div class="min-h-0 flex-1 overflow-auto px-5 pt-1 pb-4">
  <Flag flag={cluster.flag} class="mb-2 h-[6px]" />
  <h2 class="sr-only">Change sheet</h2>
  <p class="quiet">against <span class="mono">{target}</span> as of {clockText(nowMs)}</p>
  {#if sheet}
    <dl class="mt-3">
      {#each heads as head (head)}
        {@const list = sheet[head]}
        {@const grave = (head === 'refused' || head === 'lost') && list.length > 0}
        <div class="grid grid-cols-[78px_26px_1fr] border-t border-line py-1.5">
          <dt class={grave ? 'text-brick' : ''}>{head}</dt>
          <dd class="font-semibold">{list.length}</dd>
          <dd class="min-w-0">
            {#each list.slice(0, head === 'untouched' ? 0 : 40) as line, i (i)}
              <p class="break-words">
                <span class="quiet small">{line.ref.kind}</span>
                <span class="mono text-[0.8rem]">{line.ref.name}</span>{#if head === 'altered' && line.fields}
                  {#each line.fields.slice(0, 30) as one (one.field)}
                    <span class="small block pl-3"
                      ><span class="quiet">{one.field}</span>
                      {one.before === '(covered)' ? 'changes (covered)' : `${text(one.before)} → ${text(one.after)}`}</span
                    >
                  {/each}
                {:else if head !== 'new'}<span class="small">: {line.says}</span>{:else}{' '}<span class="quiet small">{line.says}</span
                  >{/if}
              </p>
              {#if line.refusal}<p class="small pl-3 text-brick">{line.refusal.remedy}</p>{/if}
            {:else}<span class="quiet">{list.length ? (list.length === 1 ? 'as it is' : `${list.length} as they are`) : empty[head]}</span
              >{/each}
            {#if head === 'lost'}
              {#each sheet.later as line, i (i)}<p class="small break-words text-ochre">
                  <span class="mono">{line.ref.name}</span>: {line.says}
                </p>{/each}
            {/if}
          </dd>
        </div>
      {/each}
    </dl>
    {#if sheet.opened.length}
      <h3 class="mt-2 border-t border-ink pt-2 font-semibold text-brick">Opened to the outside</h3>
      {#each sheet.opened as line, i (i)}<p class="break-words">
          <span class="mono text-[0.8rem]">{line.ref.name}</span>: {line.says}
        </p>{/each}
    {/if}
    {#if sheet.notPlayed.length}
      <details class="mt-2 border-t border-line pt-2" data-testid="not-played">
        <summary class="cursor-pointer"
          >Not played out: {plural(
            sheet.notPlayed.reduce((sum, one) => sum + one.fields.length, 0),
            'field'
          )} of {plural(sheet.notPlayed.length, 'object')}</summary
        >
        <p class="quiet small">Kept, checked and handed out again; nothing follows from them here.</p>
        {#each sheet.notPlayed.slice(0, 40) as { ref, fields } (`${ref.kind} ${ref.namespace} ${ref.name}`)}
          <p class="mt-1 break-words"><span class="quiet small">{ref.kind}</span> <span class="mono text-[0.8rem]">{ref.name}</span></p>
          {#each fields as one (one.field)}
            <p class="small pl-3 break-words"><span class="mono">{one.field}</span> <span class="quiet">{one.says}</span></p>
          {/each}
        {/each}
        {#if sheet.notPlayed.length > 40}<p class="quiet small">and {plural(sheet.notPlayed.length - 40, 'object')} more.</p>{/if}
      </details>
    {/if}
    {#if sheet.order.length > 1}
      <h3 class="mt-2 border-t border-ink pt-2 font-semibold">Order of sending</h3>
      <ol class="list-decimal pl-5">
        {#each sheet.order as step, i (i)}
          <li>
            <span class="quiet small">{step.refs[0]?.kind}</span>
            <span class="mono text-[0.8rem]">{step.refs.map((ref) => ref.name).join(', ')}</span>{#if step.then}<span class="quiet small"
                >, then wait {step.then}</span
              >{/if}
          </li>
        {/each}
      </ol>
    {/if}
  {:else if unreadable}
    <p class="mt-3 text-brick">The draft can't be read yet; see the findings under it.</p>
  {:else}
    <p class="quiet mt-3">Write or drop manifests on the left; what they would do here stands on this sheet before anything is sent.</p>
  {/if}
  {#if round}
    <h3 class="mt-2 border-t border-ink pt-2 font-semibold">The way round, in steps</h3>
    <ol class="list-decimal pl-5">
      {#each round.steps as step (step)}<li>{step}</li>{/each}
    </ol>
    {#each round.refused as one (one.message)}<p class="small text-brick">{one.message} {one.remedy}</p>{/each}
    <div class="mt-2 flex flex-wrap gap-2">
      <button
        class="push push-main"
        disabled={!open || busy !== null || (asks && typed !== cluster.name)}
        onclick={() => run('send', () => onsend(round.replace, typed))}>Send to {target} in these steps</button
      >
      <button class="push" disabled={!open || busy !== null} onclick={() => run('rehearse', () => onrehearse(round.replace))}
        >Rehearse them on a fork</button
      >
    </div>
  {/if}
</div>
<div bind:this={foot} tabindex="-1" class="shrink-0 border-t border-ink px-5 py-3 outline-none">
  {#if asks}
    <NameToLose cluster={cluster.name} bind:typed to="send" />
  {/if}
  <div class="flex flex-wrap gap-2">
    <button
      class="push push-main"
      disabled={!may || busy !== null || (asks && typed !== cluster.name)}
      onclick={() => run('send', () => onsend([], typed))}>{busy === 'send' ? 'Sending …' : `Send to ${target}`}</button
    >
    <button class="push" disabled={!may || busy !== null} onclick={() => run('rehearse', () => onrehearse([]))}
      >{busy === 'rehearse' ? 'Rehearsing …' : 'Rehearse on a fork'}</button
    >
  </div>
  {#if still}<p class="quiet small mt-2">
      {target} is a dump: this is what the draft would do there, and nothing can be sent.
      <a class="word" href="/r/{target}/rehearse">Rehearse from here</a> to try it.
    </p>
  {:else if sheet && sheet.refused.length}<p class="quiet small mt-2">
      {sheet.refused.length === 1 ? 'One line is' : `${sheet.refused.length} lines are`} refused, so nothing can be sent {round
        ? 'in one go'
        : 'yet'}.
    </p>
  {:else if errors && may}<p class="quiet small mt-2">
      {errors === 1 ? 'The checker has found an error' : `The checker has found ${errors} errors`}; sending is possible all the same.
    </p>
  {:else if sheet && !changes}<p class="quiet small mt-2">Everything in this draft stands on {target} as it is.</p>{/if}
  {@render result?.()}
</div>
