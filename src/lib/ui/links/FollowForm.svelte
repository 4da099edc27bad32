<script lang="ts">
  import type { Answers } from '$server/api/types';
  import { mirrorYaml } from './words';

  interface Props {
    here: string;
    may: Answers['Linked']['mayFollow'];
    /** Names of mirrors that this cluster has already, by namespace. */
    taken: readonly string[];
    ondraft(title: string, yaml: string, cluster: string): Promise<void>;
    oncancel(): void;
  }
  let { here, may, taken, ondraft, oncancel }: Props = $props();
  const idOf = (one: { namespace: string; workload: string }) => `${one.namespace}/${one.workload}`;
  const fromOf = (one: { cluster: string; namespace: string; workload: string }) => `${one.cluster} ${idOf(one)}`;
  let chosen = $state<string | null>(null);
  const one = $derived(may.find((each) => idOf(each) === chosen) ?? may[0]!);
  let chosenFrom = $state<string | null>(null);
  const from = $derived(
    one.from.find((each) => fromOf(each) === chosenFrom) ?? one.from.find((each) => each.workload === one.workload) ?? one.from[0]!
  );
  let everySeconds = $state(5);
  let only = $state('');
  let deletes = $state(true);
  let keeps = $state(false);
  const objects = $derived(one.engine === 'object-store');
  const parts = $derived(objects ? 'bucket' : one.engine === 'log-broker' ? 'topic' : one.engine === 'memory-store' ? 'database' : '');
  const name = $derived.by(() => {
    const wanted = `${one.workload}-from-${from.cluster}`.slice(0, 60);
    let nth = 1;
    while (taken.includes(`${one.namespace}/${nth === 1 ? wanted : `${wanted}-${nth}`}`)) nth += 1;
    return nth === 1 ? wanted : `${wanted}-${nth}`;
  });

  async function write(event: SubmitEvent) {
    event.preventDefault();
    const wish = {
      name,
      namespace: one.namespace,
      workload: one.workload,
      from,
      everySeconds,
      only: parts ? only.trim() : '',
      deletes: objects ? deletes : true,
      keeps: objects && keeps
    };
    await ondraft(`${one.workload} follows ${from.cluster}`, mirrorYaml(wish), here);
  }
</script>

<form class="mt-3 max-w-[52rem] border border-ink p-4 leading-[2.3]" onsubmit={write} aria-label="Let a workload follow another one">
  Here, in {here}, let
  <select
    class="border-b border-ink bg-sheet px-1"
    value={idOf(one)}
    onchange={(event) => (chosen = event.currentTarget.value)}
    aria-label="The workload that follows"
  >
    {#each may as each (idOf(each))}<option value={idOf(each)}>{idOf(each)}</option>{/each}
  </select>
  follow
  <select
    class="border-b border-ink bg-sheet px-1"
    value={fromOf(from)}
    onchange={(event) => (chosenFrom = event.currentTarget.value)}
    aria-label="The workload that is followed"
  >
    {#each one.from as each (fromOf(each))}<option value={fromOf(each)}>{idOf(each)} of {each.cluster}</option>{/each}
  </select>{#if parts}, in
    <input
      class="w-[9rem] border-b border-ink bg-sheet px-1"
      maxlength="253"
      placeholder="every {parts}"
      bind:value={only}
      aria-label="One {parts} alone; empty: every {parts}"
    />{/if}; it looks what is new every
  <input
    class="w-[4rem] border-b border-ink bg-sheet px-1"
    type="number"
    min="1"
    max="3600"
    required
    bind:value={everySeconds}
    aria-label="Seconds between looks"
  />
  s{#if objects}; it <label><input type="checkbox" bind:checked={deletes} /> deletes what is deleted there</label>, and
    <label><input type="checkbox" bind:checked={keeps} /> keeps what lay here before as an old version</label>{/if}.
  <p class="quiet small leading-snug">
    {one.gives[0]!.toUpperCase() + one.gives.slice(1)}. While it follows, clients are refused what they would write to it; it is promoted by
    hand.
  </p>
  <p class="leading-normal">
    <button class="push push-main">Put in a draft for {here}</button>
    <button type="button" class="word ml-3" onclick={oncancel}>not now</button>
  </p>
</form>
