<script lang="ts">
  import { goto } from '$app/navigation';
  import { untrack } from 'svelte';
  import { answerFault, namesListed } from '$core/shared';
  import { doCall } from '$ui/call.svelte';
  import { plural } from '$ui/format';

  let { data } = $props();
  let name = $state(untrack(() => data.free.slice(0, 63)));
  let answers = $state<Record<string, string>>(untrack(() => Object.fromEntries(data.assumptions.map((one) => [one.id, one.value]))));
  let busy = $state(false);
  const changed = $derived(data.assumptions.filter((one) => answers[one.id] !== one.value));
  const faults = $derived(
    Object.fromEntries(
      data.assumptions.flatMap((one) => {
        const fault = answerFault(one, answers[one.id] ?? '');
        return fault === undefined ? [] : [[one.id, fault]];
      })
    )
  );
  const nameFault = $derived(
    !/^[a-z0-9]([a-z0-9-]{0,61}[a-z0-9])?$/.test(name)
      ? 'Write lower-case letters, digits and "-".'
      : data.taken.includes(name)
        ? `${name} exists already.`
        : ''
  );
  const halves = (says: string) => says.split('…') as [string, string];
  const toggle = (id: string, value: string, all: readonly string[]) => {
    const have = namesListed(answers[id]);
    answers[id] = all.filter((one) => (one === value ? !have.includes(one) : have.includes(one))).join(', ');
  };
  type Given = (typeof data.assumptions)[number];
  const labelOf = (one: Given, value: string): string => one.choices?.find((two) => two.value === value)?.label ?? value;
  async function begin() {
    busy = true;
    const made = await doCall('POST', '/clusters/{name}/rehearsals', {
      params: { name: data.id },
      body: {
        name,
        answers: Object.fromEntries(changed.map((one) => [one.id, answers[one.id]!.trim()]))
      }
    });
    busy = false;
    if (made) await goto(`/r/${made.id}/members`);
  }
  const supposed = $derived(data.assumptions.filter((one) => !one.stated).length);
  const groups = $derived([
    {
      title: 'What the export says',
      note: 'It is carried over as it is said; nothing of it mends itself unless you change it here, or mend it in the rehearsal.',
      list: data.assumptions.filter((one) => one.stated)
    },
    { title: 'Supposed', note: '', list: data.assumptions.filter((one) => !one.stated) }
  ]);
</script>

<svelte:head><title>Rehearse · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="max-w-[62rem] px-[26px] py-5">
  <h1>A stand-in that goes on from {data.cluster.name} as it was read.</h1>
  <p class="mt-2">
    Its nodes, classes, drivers, volumes and workloads stand as the dump shows them; what runs goes on running. {plural(supposed, 'thing')} a
    dump can't show
    {supposed === 1 ? 'is' : 'are'} supposed, each with a value that can be set here.
  </p>
  {#each groups as group (group.title)}
    {#if group.list.length}
      <h2 class="mt-5">{group.title}</h2>
      {#if group.note}<p class="quiet mt-1">{group.note}</p>{/if}
      <ul class="mt-2 border-t border-ink">
        {#each group.list as one (one.id)}
          {@const [before, after] = halves(one.says)}
          <li class="border-b border-line py-2">
            <p class="text-[1rem] leading-8">
              {before}{#if one.kind === 'yes-no'}<select
                  class="border-b-2 border-ink bg-sheet"
                  bind:value={answers[one.id]}
                  aria-label={one.says}><option>yes</option><option>no</option></select
                >{:else if one.kind === 'choice'}<select
                  class="max-w-full border-b-2 border-ink bg-sheet"
                  bind:value={answers[one.id]}
                  aria-label={one.says}
                  >{#each one.choices ?? [] as choice (choice.value)}<option value={choice.value}>{choice.label}</option>{/each}</select
                >{:else if one.kind === 'several' || one.kind === 'rights'}{#each one.choices ?? [] as choice (choice.value)}<label
                    class="mr-3 whitespace-nowrap"
                    ><input
                      type="checkbox"
                      checked={namesListed(answers[one.id]).includes(choice.value)}
                      onchange={() =>
                        toggle(
                          one.id,
                          choice.value,
                          (one.choices ?? []).map((two) => two.value)
                        )}
                    />
                    {choice.label}</label
                  >{/each}{:else}<input
                  class="mono w-[9.5rem] border-b-2 border-ink bg-sheet"
                  bind:value={answers[one.id]}
                  aria-label={one.says}
                  autocomplete="off"
                  spellcheck="false"
                />{/if}{after}
            </p>
            <p class="quiet small">
              {one.why}{answers[one.id] === one.value || one.kind === 'choice' ? '' : ` First supposed: ${one.value}.`}
              {#if one.proposed !== undefined && answers[one.id] !== one.proposed}
                Its form would fit {labelOf(one, one.proposed)}.
                <button class="word" onclick={() => (answers[one.id] = one.proposed!)}>Suppose so</button>
              {/if}
            </p>
            {#if faults[one.id]}<p class="small text-brick">{faults[one.id]}</p>{/if}
          </li>
        {/each}
      </ul>
    {/if}
  {/each}
  <p class="mt-4 flex items-center gap-3">
    Call it <input
      class="w-[16rem] border-b-2 border-ink bg-sheet"
      bind:value={name}
      aria-label="Name of the stand-in"
      autocomplete="off"
      spellcheck="false"
    />
    <button class="push push-main" disabled={busy || nameFault !== '' || Object.keys(faults).length > 0} onclick={begin}
      >{busy ? 'Standing it up …' : 'Rehearse from here'}</button
    >
    {#if nameFault}<span class="text-brick">{nameFault}</span>{/if}
  </p>
</div>
