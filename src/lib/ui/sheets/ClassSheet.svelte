<script lang="ts">
  import type { SupplyView } from '$server/views/supply';
  import Peg from '../parts/Peg.svelte';
  import { plural } from '../format';

  let { card, id }: { card: SupplyView['classes'][number]; id: string } = $props();
  const has = (word: string) => card.says.includes(word);
  const will = $derived(
    [
      'mount on one node at a time',
      has('no growth') ? '' : 'grow while it is mounted',
      has('waits for first') ? 'make the volume where its member is placed' : 'make the volume as soon as it is claimed',
      has('retain') ? 'keep volume and data when the claim goes' : '',
      has('default') ? 'serve claims that name no class' : ''
    ].filter(Boolean)
  );
  const wont = $derived(
    [
      'be shared by pods on two nodes',
      'move to another zone',
      has('no growth') ? 'grow' : '',
      'shrink',
      has('retain') ? '' : 'keep the data when the claim goes'
    ].filter(Boolean)
  );
  const titles = { backend: 'Backend', rights: 'Rights', driver: 'Driver' } as const;
</script>

<section class="mt-4 grid grid-cols-[240px_1fr_1fr_1.3fr] gap-x-6 border-t border-ink pt-3" aria-label="The class {card.id}">
  <div>
    <h2 class="mono">{card.id}</h2>
    <p class="quiet">{plural(card.claims, 'claim')}, {card.bound} bound</p>
    <p class="mt-2"><a class="word" href="/r/{encodeURIComponent(id)}/claims">its claims</a></p>
  </div>
  <div>
    <h2 class="mb-1">Will</h2>
    {#each will as one (one)}<p>{one}</p>{/each}
  </div>
  <div>
    <h2 class="mb-1">Won't</h2>
    {#each wont as one (one)}<p>{one}</p>{/each}
  </div>
  <div>
    <h2 class="mb-1">What it stands on</h2>
    {#each ['backend', 'rights', 'driver'] as const as name (name)}
      {@const look = card.looks[name]}
      <p class="mb-1 flex items-start gap-2">
        <span class="pt-[4px]"><Peg state={look.state} size={10} /></span><span
          ><b class="font-semibold">{titles[name]}</b> <span class="mono text-[0.8rem]">{look.label}</span><br /><span class="quiet small"
            >{look.says}</span
          ></span
        >
      </p>
    {/each}
  </div>
</section>
