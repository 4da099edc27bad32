<script lang="ts">
  import type { Ground } from '$core/model';

  /** The nodes of a layout by zone, as they would stand. */
  let { groups }: { groups: NonNullable<Ground['spec']['groups']> } = $props();
  const most = 8;
  const zones = $derived(
    [...new Set(groups.map((one) => one.zone))].map((zone) => ({ zone, groups: groups.filter((one) => one.zone === zone) }))
  );
  const names = (group: (typeof groups)[number]) =>
    group.names ?? Array.from({ length: Math.min(1_000, group.count ?? 1) }, (_, i) => `${group.name}-${i + 1}`);
  const raw = (group: (typeof groups)[number]) => (group.disks ?? []).filter((one) => one.holds !== 'system');
</script>

<div class="mt-3 max-h-[300px] overflow-y-auto">
  {#each zones as { zone, groups: mine } (zone)}
    <section class="border-b border-line py-2" aria-label="Zone {zone}">
      <p class="quiet small">{zone || '(no zone)'}</p>
      {#each mine as group, i (group.name + i)}
        {@const all = names(group)}
        {#each all.slice(0, most) as name (name)}
          <p class="flex items-center gap-4">
            <span class="mono w-[130px] truncate font-semibold">{name}</span>
            <span class="quiet small w-[110px]">{group.cpu} CPU, {group.memory}</span>
            <span class="flex gap-1"
              >{#each raw(group) as disk, k (k)}<i
                  class="inline-block h-[10px] w-[46px] border border-dashed border-ink"
                  title={String(disk.size)}
                ></i>{/each}</span
            >
          </p>
        {/each}
        {#if all.length > most}<p class="quiet small">and {all.length - most} more like them</p>{/if}
      {/each}
    </section>
  {/each}
</div>
