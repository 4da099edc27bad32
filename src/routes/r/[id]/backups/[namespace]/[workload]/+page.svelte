<script lang="ts">
  import { goto } from '$app/navigation';
  import { stampOf, wordsOf } from '$core/shared';
  import Peg from '$ui/parts/Peg.svelte';
  import Slot from '$ui/parts/Slot.svelte';
  import CopyLine from '$ui/backups/CopyLine.svelte';
  import RoomAhead from '$ui/backups/RoomAhead.svelte';
  import { call, doCall, newDraft, notices } from '$ui/call.svelte';
  import { sentenceShown } from '$ui/prefs.svelte';
  import { selection } from '$ui/selection.svelte';
  import { clockText, lineHref, shortClock } from '$ui/format';
  import {
    howWords,
    paces,
    planYaml,
    returnYaml,
    schedules,
    scheduleWords,
    weightWords,
    wholes,
    wholeWords,
    storeText,
    type PlanWish
  } from '$ui/backups/words';

  let { data } = $props();
  const workload = $derived(data.workload);
  const { namespace, name } = $derived(workload);
  let shown = $state(0);
  const plan = $derived(workload.plans[Math.min(shown, workload.plans.length - 1)]);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);

  let changed = $state<Partial<PlanWish>>({});
  const wish = $derived<PlanWish>({
    namespace,
    workload: name,
    name: plan?.name ?? `${name}-copies`,
    how: plan?.how ?? (data.stores.length && workload.log ? 'copy-and-log' : data.stores.length && workload.copies ? 'copy' : 'snapshots'),
    schedule: plan?.schedule ?? '20 */6 * * *',
    timeZone: plan?.timeZone ?? 'UTC',
    store: plan?.into ? storeText({ ...plan.into, name: plan.into.store }) : data.stores[0] ? storeText(data.stores[0]) : '',
    bucket: plan?.into?.bucket ?? 'copies',
    logEverySeconds: plan?.logEverySeconds ?? 45,
    suspend: plan?.suspend ?? false,
    fullEvery: plan?.fullEvery ?? 1,
    seal: plan?.seal ? `${plan.seal.secret}/${plan.seal.key}` : '',
    ...(plan?.snapshotClass === undefined ? {} : { snapshotClass: plan.snapshotClass }),
    ...(plan?.keep ?? { newest: 8, days: 14, weeks: 9, months: 0 }),
    ...changed
  });
  const change = (more: Partial<PlanWish>) => (changed = { ...changed, ...more });
  const odd = $derived(Object.keys(changed).length > 0);
  const withOwn = <T extends string | number>(
    list: readonly (readonly [T, string])[],
    own: T,
    word: (own: T) => string = String
  ): readonly (readonly [T, string])[] => (list.some(([one]) => one === own) ? list : [...list, [own, word(own)] as const]);
  const hows = $derived(
    (Object.entries(howWords) as [PlanWish['how'], string][]).filter(
      ([one]) => one === wish.how || one === 'snapshots' || (one === 'copy' ? workload.copies : workload.log)
    )
  );
  const counts = (own: number, word: string) =>
    withOwn(
      [0, 1, 2, 3, 5, 7, 8, 9, 14, 30, 60].map((one) => [one, word ? `${one} ${word}` : String(one)] as const),
      own,
      (n) => (word ? `${n} ${word}` : String(n))
    );
  const bucketless = $derived(wish.how !== 'snapshots' && (!wish.store || !/^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/.test(wish.bucket)));

  async function planDraft() {
    if (bucketless) return;
    const id = await newDraft(data.cluster.name, `${name}: how it is copied`.slice(0, 100), planYaml(wish));
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
  async function copyNow() {
    if (!plan) return;
    const made = await doCall('POST', '/rehearsals/{id}/send', {
      params: { id: data.id },
      body: plan.byHand
    });
    if (made) notices.say('A copy is begun. Run the clock, and it is made.');
  }

  const done = $derived(
    (plan?.runs ?? []).flatMap((one) =>
      one.phase === 'Done' && one.momentMs !== undefined ? [{ name: one.name, momentMs: one.momentMs }] : []
    )
  );
  const oldestMs = $derived(done[0]?.momentMs ?? null);
  const latestMs = $derived(plan?.latestMs ?? null);
  let picked = $state<number | null>(null);
  const withLog = $derived(plan?.how === 'copy-and-log');
  /** With a log any moment can be gone back to, else those of the copies. */
  const chosenMs = $derived(picked ?? latestMs);
  const target = $derived(
    chosenMs === null
      ? null
      : withLog
        ? chosenMs
        : (done.filter((one) => one.momentMs <= chosenMs).at(-1)?.momentMs ?? done[0]?.momentMs ?? null)
  );
  const chosenRun = $derived(done.filter((one) => target !== null && one.momentMs <= target).at(-1)?.name);
  const back = $derived(plan ? wordsOf(plan.figures.measuredMs ?? plan.figures.backMs[1]) : '');

  /** One table, topic, bucket that comes back alone. */
  let only = $state('');
  async function returnDraft(place: 'beside' | 'over' | 'only') {
    if (!plan || target === null) return;
    const to = `${name}-back`;
    let nth = 1;
    while (plan.returns.some((one) => one.name === `${plan.name}-back-${nth}`)) nth += 1;
    let text = '';
    if (place === 'beside') {
      const query = { namespace, workload: name, to, ...(plan.how === 'snapshots' && chosenRun ? { run: chosenRun } : {}) };
      const made = await call('GET', '/rehearsals/{id}/backups/beside', { params: { id: data.id }, query });
      if (!made.ok) return notices.complain(made.trouble);
      text = made.value.yaml;
    }
    if (plan.how !== 'snapshots')
      text +=
        (text ? '---\n' : '') +
        returnYaml({
          namespace,
          name: `${plan.name}-back-${nth}`,
          plan: plan.name,
          into: place === 'beside' ? to : name,
          to: stampOf(target),
          over: place !== 'beside',
          ...(place === 'only' ? { only } : {})
        });
    const id = await newDraft(data.cluster.name, `${name}: back to ${shortClock(target)}`.slice(0, 100), text);
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
  $effect(() => {
    selection.draft = () => void planDraft();
    return () => (selection.draft = null);
  });

  const asked = $derived(
    workload.asked.losesMs === undefined && workload.asked.backMs === undefined
      ? ''
      : ` Asked for: ${[
          workload.asked.losesMs === undefined ? '' : wordsOf(workload.asked.losesMs),
          workload.asked.backMs === undefined ? '' : `back within ${wordsOf(workload.asked.backMs)}`
        ]
          .filter(Boolean)
          .join(' and ')}.`
  );
  const head = $derived(
    !plan
      ? `No plan copies ${name}.`
      : latestMs === null
        ? `${name} has a plan, and no copy.`
        : `${name} could lose ${plan.figures.couldLoseMs === null ? 'everything from now on' : `${wordsOf(plan.figures.couldLoseMs)} of writes`}, and ${plan.figures.measuredMs === null ? `is carried back in ${back}` : `was back in ${back}`}.${asked}`
  );
  const runs = $derived([...(plan?.runs ?? [])].reverse().slice(0, 8));
</script>

<svelte:head><title>{name}, copies · Root Barn</title></svelte:head>

<div class="grid grid-cols-[minmax(0,1fr)_310px] max-[1000px]:grid-cols-1">
  <div class="min-w-0 px-[26px] py-5">
    <p class="quiet"><a class="word" href="{base}/backups">Backups</a> · {namespace} · {name}</p>
    <h1 class="mt-0.5">{head}</h1>
    {#if workload.plans.length > 1}
      <p class="mt-2">
        {#each workload.plans as one, i (one.name)}<button
            class="push mr-2"
            aria-pressed={i === shown}
            onclick={() => ((shown = i), (changed = {}), (picked = null))}>{one.name}</button
          >{/each}
      </p>
    {/if}

    <p class="mt-3 text-[1.02rem] leading-[2.1]">
      Copy
      <Slot label="How" value={wish.how} options={hows} onchange={(one) => change({ how: one })} />
      <Slot
        label="When"
        value={wish.schedule}
        options={withOwn(schedules, wish.schedule, scheduleWords)}
        onchange={(one) => change({ schedule: one })}
      />
      in <Slot
        label="Time zone"
        value={wish.timeZone}
        width={14}
        onchange={(one) => change({ timeZone: one })}
      />{#if wish.how !== 'snapshots'}{' '}to bucket
        <Slot label="Bucket" value={wish.bucket} width={10} wrong={bucketless} onchange={(one) => change({ bucket: one })} />
        at
        {#if data.stores.length}
          <Slot
            label="Store"
            value={wish.store}
            options={withOwn(
              data.stores.map((one) => [storeText(one), one.cluster === undefined ? one.name : `${one.name} of ${one.cluster}`] as const),
              wish.store
            )}
            onchange={(one) => change({ store: one })}
          />
        {:else}<span class="quiet">no object store: none stands here</span>{/if}{/if}{#if wish.how === 'copy-and-log'}, its log every
        <Slot
          label="How often the log is taken away"
          value={wish.logEverySeconds}
          options={withOwn(paces, wish.logEverySeconds, (s) => wordsOf(s * 1_000))}
          onchange={(one) => change({ logEverySeconds: one })}
        />{/if}{#if wish.how !== 'snapshots'},
        <Slot
          label="How often a copy is whole"
          value={wish.fullEvery}
          options={withOwn(wholes, wish.fullEvery, wholeWords)}
          onchange={(one) => change({ fullEvery: one })}
        />,
        <Slot
          label="Sealed with"
          value={wish.seal}
          options={withOwn(
            [['', 'not sealed'] as const, ...workload.secrets.map((one) => [one, `sealed with ${one}`] as const)],
            wish.seal,
            (one) => `sealed with ${one}`
          )}
          onchange={(one) => change({ seal: one })}
        />{/if}; keep the newest
      <Slot
        label="Copies that are kept"
        value={wish.newest}
        options={counts(wish.newest, '').filter(([one]) => one > 0)}
        onchange={(one) => change({ newest: one })}
      />, one of each of
      <Slot label="Days" value={wish.days} options={counts(wish.days, 'days')} onchange={(one) => change({ days: one })} />,
      <Slot label="Weeks" value={wish.weeks} options={counts(wish.weeks, 'weeks')} onchange={(one) => change({ weeks: one })} />,
      <Slot label="Months" value={wish.months} options={counts(wish.months, 'months')} onchange={(one) => change({ months: one })} />.
    </p>
    <p class="mt-3 flex flex-wrap gap-3">
      <button class="push {plan && !odd ? '' : 'push-main'}" disabled={bucketless || (plan && !odd)} onclick={planDraft}
        >{plan ? (odd ? 'Put the change in a draft' : 'As it stands') : 'Put the plan in a draft'}</button
      >
      {#if plan}<button class="push" onclick={copyNow}>Copy now</button>
        <a class="word self-center" href={lineHref(data.id, { kind: 'BackupPlan', namespace, name: plan.name })}>root line of the plan</a
        >{/if}
    </p>
    {#if bucketless}<p class="mt-2 text-brick">
        {wish.store
          ? 'A bucket has 3 to 63 lower-case letters, digits, "-" and ".".'
          : 'Copies through an engine go into an object store, and none stands here. Write one from a blueprint, or take snapshots.'}
      </p>{/if}

    {#if plan}
      {#if oldestMs !== null && latestMs !== null && target !== null}
        <h2 class="mt-7 text-[1.02rem]">{withLog ? 'Copies, and the log behind them' : 'Copies'}</h2>
        <CopyLine
          copies={done}
          pieces={plan.pieces}
          fromMs={oldestMs}
          untilMs={latestMs}
          nowMs={data.frame.clock.nowMs}
          chosenMs={target}
        />
        {#if latestMs > oldestMs}
          <label class="flex items-center gap-3">
            <span class="whitespace-nowrap">Back to</span>
            <input
              type="range"
              class="grow accent-moss"
              min={oldestMs}
              max={latestMs}
              step={1_000}
              value={target}
              oninput={(event) => (picked = Math.min(latestMs, Number(event.currentTarget.value)))}
              aria-valuetext={clockText(target)}
            />
            <output class="mono whitespace-nowrap">{clockText(target)}</output>
          </label>
        {:else}<p>Back to <span class="mono">{clockText(target)}</span>: the only copy there is.</p>{/if}

        <h2 class="mt-6 text-[1.02rem]">Put it back</h2>
        <ul class="mt-1 border-t border-line">
          {#if workload.beside}<li class="flex items-center gap-4 border-b border-line py-2">
              <span class="w-[110px] font-semibold">beside it</span>
              <span class="quiet grow">a workload {name}-back of the same make; nothing is touched</span>
              <span class="mono whitespace-nowrap">{back}</span>
              <button class="push" onclick={() => returnDraft('beside')}>Put in a draft</button>
            </li>{/if}
          {#if plan.how !== 'snapshots'}<li class="flex items-center gap-4 border-b border-line py-2">
              <span class="w-[110px] font-semibold">in place of it</span>
              <span class="quiet grow">throws away what {name} holds, with what was written since</span>
              <span class="mono whitespace-nowrap">{back}</span>
              <button class="push" onclick={() => returnDraft('over')}>Put in a draft</button>
            </li>{/if}
          {#if plan.how !== 'snapshots' && workload.place}<li class="flex items-center gap-4 border-b border-line py-2">
              <span class="w-[110px] font-semibold">one {workload.place}</span>
              <span class="quiet grow"
                >only <Slot label="What comes back alone" value={only} width={14} onchange={(one) => (only = one.trim())} />; the rest of {name}
                stays as it is</span
              >
              <span class="mono whitespace-nowrap">up to {back}</span>
              <button class="push" disabled={!only} onclick={() => returnDraft('only')}>Put in a draft</button>
            </li>{/if}
        </ul>
        <p class="quiet small mt-1">
          {plan.figures.measuredMs === null
            ? 'computed from what is carried; starting members takes its own time'
            : 'as the last one took, begin to proof'}
        </p>
      {/if}

      {#if plan.returns.length}
        <h2 class="mt-6 text-[1.02rem]">Put back so far</h2>
        <ul class="mt-1 border-t border-line">
          {#each plan.returns.slice(0, 6) as one (one.name)}
            <li class="border-b border-line py-2">
              <span class="flex gap-2"
                ><Peg
                  state={one.phase === 'Done' ? 'holds' : one.phase === 'Failed' ? 'broken' : 'settling'}
                  label={one.phase === 'Done' ? 'done' : one.phase === 'Failed' ? 'failed' : 'under way'}
                /><span class="grow">into {one.into}: {sentenceShown(one.says)}{one.remedy ? `. ${one.remedy}` : ''}</span><span
                  class="mono whitespace-nowrap">{shortClock(one.beganMs)}</span
                ></span
              >
              {#if one.steps.length}<span class="quiet small block pl-5"
                  >{one.steps
                    .map((step) => `${step.name} ${step.toMs === undefined ? '…' : wordsOf(step.toMs - step.fromMs)}`)
                    .join(' · ')}</span
                >{/if}
            </li>
          {/each}
        </ul>
      {/if}

      <h2 class="mt-6 text-[1.02rem]">Runs</h2>
      {#if !runs.length}<p class="quiet mt-1">
          None yet. {plan.nextMs === null ? 'Its schedule brings none.' : `The next comes at ${clockText(plan.nextMs)}.`}
        </p>{:else}
        <ul class="mt-1 border-t border-line" aria-label="Runs">
          {#each runs as one (one.name)}
            <li class="flex gap-2 border-b border-line py-1.5">
              <Peg
                state={one.phase === 'Done' ? 'holds' : one.phase === 'Failed' ? 'broken' : 'settling'}
                label={one.phase === 'Done' ? 'done' : one.phase === 'Failed' ? 'failed' : 'under way'}
              />
              <span class="min-w-0 grow"
                ><span class="mono block truncate" title={one.name}>{one.name}</span><span class="quiet small block"
                  >{sentenceShown(one.says)}{one.remedy ? `. ${one.remedy}` : ''}{#if one.at && one.phase === 'Failed'}
                    {' '}· {#if one.at.kind === 'Link'}<a class="word" href="{base}/links">Links</a>{:else}<a
                        class="word"
                        href={lineHref(data.id, one.at)}>root line of {one.at.name}</a
                      >{/if}{/if}</span
                ></span
              >
              <span class="mono text-right whitespace-nowrap"
                >{one.momentMs === undefined ? shortClock(one.beganMs) : shortClock(one.momentMs)}{#if one.bytes !== undefined}<span
                    class="quiet small block">{weightWords(one.bytes)}</span
                  >{/if}</span
              >
            </li>
          {/each}
        </ul>
        <p class="quiet small mt-1">
          {plan.runs.length > runs.length ? `${plan.runs.length - runs.length} older ones · ` : ''}{plan.nextMs === null
            ? 'no further one comes'
            : `the next at ${clockText(plan.nextMs)}`}
        </p>
      {/if}
    {/if}
  </div>

  <aside class="border-l border-line px-[22px] py-5 max-[1000px]:border-t max-[1000px]:border-l-0" aria-label="What is to be said">
    <h2 class="text-[1.02rem]">What is to be said</h2>
    <ul class="mt-2">
      {#each workload.findings as one (one.id + one.says)}
        <li class="mb-3 flex gap-2">
          <span class="pt-1"
            ><Peg
              state={one.state === 'doubt' ? 'settling' : one.state}
              label={one.state === 'doubt' ? 'in doubt' : one.state === 'holds' ? 'holds' : 'broken'}
            /></span
          >
          <span
            >{sentenceShown(one.says)}.{#if one.remedy}<span class="quiet block">{sentenceShown(one.remedy)}</span>{/if}</span
          >
        </li>
      {/each}
    </ul>
    {#if plan}
      <h2 class="mt-5 text-[1.02rem]">Figures</h2>
      <dl class="mt-2 grid grid-cols-[1fr_auto] gap-x-3 gap-y-1">
        <dt class="quiet">could lose, as planned</dt>
        <dd class="mono text-right">{plan.figures.losesMs === null ? 'everything' : wordsOf(plan.figures.losesMs)}</dd>
        <dt class="quiet">would lose now</dt>
        <dd class="mono text-right">{plan.figures.losesNowMs === null ? 'everything' : wordsOf(plan.figures.losesNowMs)}</dd>
        <dt class="quiet">is carried back in</dt>
        <dd class="mono text-right">{wordsOf(plan.figures.backMs[0])} to {wordsOf(plan.figures.backMs[1])}</dd>
        <dt class="quiet">the last one took</dt>
        <dd class="mono text-right">{plan.figures.measuredMs === null ? 'not measured' : wordsOf(plan.figures.measuredMs)}</dd>
        <dt class="quiet">{plan.how === 'snapshots' ? 'the newest asks for' : 'a copy carries'}</dt>
        <dd class="mono text-right">{weightWords(plan.figures.bytes)}</dd>
      </dl>
      <RoomAhead {plan} nowMs={data.frame.clock.nowMs} />
    {/if}
    <p class="quiet small mt-5">
      What is asked for is written on the set: <span class="mono">standin.example/lose-at-most: 5m</span>,
      <span class="mono">standin.example/back-within: 10m</span>.
    </p>
  </aside>
</div>
