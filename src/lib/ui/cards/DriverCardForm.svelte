<script lang="ts">
  import type { Answers, Api } from '$server/api/types';
  import CardFoot from './CardFoot.svelte';
  import Seconds from './Seconds.svelte';
  import { spanFault, spanOf, spanText, type SpanText } from './span';

  type Driver = Answers['Supposed']['drivers'][number];
  interface Props {
    driver: Driver;
    base: string;
    onput(body: Api['POST /rehearsals/{id}/supposed/draft']['body']): Promise<void>;
  }
  let { driver, base, onput }: Props = $props();
  const modes = ['ReadWriteOnce', 'ReadOnlyMany', 'ReadWriteMany', 'ReadWriteOncePod'] as const;
  type Mode = (typeof modes)[number];
  const steps = [
    ['provisioning', 'making a volume'],
    ['attaching', 'attaching one'],
    ['growing', 'growing one'],
    ['copying', 'taking a snapshot']
  ] as const;
  type Step = (typeof steps)[number][0];
  /** What was changed here and not yet put into a draft. */
  let wanted = $state<{ modes?: readonly Mode[]; grows?: string; snapshots?: string; times?: Partial<Record<Step, SpanText>> }>({});
  const word = (one: boolean | null) => (one === null ? '' : one ? 'yes' : 'no');
  const handsOut = $derived(wanted.modes ?? ((driver.accessModes ?? []) as readonly Mode[]));
  const grows = $derived(wanted.grows ?? word(driver.grows));
  const snapshots = $derived(wanted.snapshots ?? word(driver.snapshots));
  const spanFor = (step: Step) => wanted.times?.[step] ?? spanText(driver.times[step]);
  const fault = $derived(steps.map(([step]) => spanFault(spanFor(step))).find(Boolean) ?? '');
  const changed = $derived(Object.keys(wanted).length > 0);
  const truth = (text: string) => (text === '' ? undefined : text === 'yes');
  async function put() {
    const times = Object.fromEntries(steps.flatMap(([step]) => (spanOf(spanFor(step)) ? [[step, spanOf(spanFor(step))!]] : [])));
    const traits = driver.ships
      ? {}
      : { ...(handsOut.length ? { accessModes: [...handsOut] } : {}), grows: truth(grows), snapshots: truth(snapshots) };
    await onput({ driver: driver.driver, ...traits, times });
  }
</script>

{#snippet choice(label: string, value: string, unsaid: string, onchange: (value: string) => void)}
  <select
    class="max-w-full border-b-2 border-ink bg-sheet"
    {value}
    onchange={(event) => onchange(event.currentTarget.value)}
    aria-label={label}><option value="">{unsaid}</option><option>yes</option><option>no</option></select
  >
{/snippet}

<p class="text-[1rem] leading-8" role="group" aria-label={driver.driver}>
  <span class="mono font-semibold break-all">{driver.driver}</span>
  {#if driver.ships}ships with the stand-in;
  {:else}hands out
    {#each modes as mode (mode)}<label class="ml-2 whitespace-nowrap"
        ><input
          type="checkbox"
          checked={handsOut.includes(mode)}
          onchange={() => (wanted.modes = modes.filter((one) => (one === mode) !== handsOut.includes(one)))}
        />
        {mode}</label
      >{/each}{handsOut.length ? '' : '(any that is asked for)'}; its volumes grow: {@render choice(
      `Volumes of ${driver.driver} grow`,
      grows,
      'not said: they do',
      (value) => (wanted.grows = value)
    )}; it takes snapshots: {@render choice(
      `${driver.driver} takes snapshots`,
      snapshots,
      'where a class for them stands',
      (value) => (wanted.snapshots = value)
    )};{' '}
  {/if}{#each steps as [step, words], i (step)}{i ? ', ' : ''}{words} takes <Seconds
      what="{words} of {driver.driver}"
      value={spanFor(step)}
      onchange={(value) => (wanted.times = { ...wanted.times, [step]: value })}
    />{/each}.
</p>
<p class="quiet small">
  {#each driver.classes.slice(0, 4) as one, i (one)}{i ? ', ' : ''}<a class="word" href="{base}/supply?class={encodeURIComponent(one)}"
      >{one}</a
    >{:else}No class names it{/each}{driver.classes.length > 4 ? ` and ${driver.classes.length - 4} more` : ''}.
  {driver.card ? `Card ${driver.card}.` : 'No card says anything of it.'}
</p>
<CardFoot {fault} {changed} onput={put} onleave={() => (wanted = {})} />
