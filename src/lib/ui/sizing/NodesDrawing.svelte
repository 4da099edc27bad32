<script lang="ts">
  import type { Answers } from '$server/api/types';

  interface Props {
    fit: NonNullable<Answers['Packed']['fit']>;
  }
  let { fit }: Props = $props();
  const words = { cpu: 'CPU', memory: 'memory', slots: 'slots', disk: 'disk' } as const;
  const zones = $derived(
    [...new Set(fit.groups.map((one) => one.zone))].map((zone) => ({ zone, groups: fit.groups.filter((one) => one.zone === zone) }))
  );
  const percent = (share: number) => `${Math.round(share * 100)} %`;
</script>

<div class="flex flex-wrap gap-x-6 gap-y-4">
  {#each zones as { zone, groups } (zone)}
    <section class="min-w-[230px] flex-1" aria-label="Zone {zone}">
      <h2 class="border-b border-ink pb-1">
        {zones.length > 1 ? `Zone ${zone}` : 'Nodes'}
        <span class="quiet small font-normal">{groups.reduce((sum, one) => sum + one.times, 0)}</span>
      </h2>
      <ul>
        {#each groups as group, i (i)}
          <li class="border-b border-line py-2">
            <p>
              <b>{group.kind}</b>{#if group.times > 1}<span class="quiet ml-1">× {group.times}, each</span>{/if}
            </p>
            <p>{group.holds.map((one) => (one.count > 1 ? `${one.name} × ${one.count}` : one.name)).join(', ')}</p>
            {#each group.fills as fill (fill.want)}
              <div class="small mt-1 grid grid-cols-[4.2rem_1fr_auto] items-center gap-2">
                <span class="quiet">{words[fill.want]}</span>
                <span class="relative block h-[9px] border border-ink" aria-hidden="true"
                  ><span class="absolute inset-y-0 left-0 bg-ink" style:width="{Math.min(100, fill.share * 100)}%"></span></span
                >
                <span class="num" title={fill.text}>{percent(fill.share)}<span class="sr-only">, {fill.text}</span></span>
              </div>
            {/each}
          </li>
        {/each}
      </ul>
    </section>
  {/each}
</div>
