<script lang="ts">
  import type { GroundView } from '$server/views/ground';
  import { lineHref } from '../format';

  /** How the members of each workload are spread over zones and nodes: one column per workload, one row per node. */
  let { zones, id }: { zones: GroundView['zones']; id: string } = $props();
  const mostColumns = 9;
  const owners = $derived.by(() => {
    const counts = new Map<string, number>();
    for (const plank of zones.flatMap((zone) => zone.planks))
      for (const one of plank.members) counts.set(`${one.namespace}/${one.owner}`, (counts.get(`${one.namespace}/${one.owner}`) ?? 0) + 1);
    return [...counts].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1)).map(([name]) => name);
  });
  const shown = $derived(owners.slice(0, mostColumns));
  const inZone = (planks: GroundView['zones'][number]['planks'], owner: string) =>
    planks.flatMap((one) => one.members).filter((one) => `${one.namespace}/${one.owner}` === owner).length;
</script>

<div class="mt-4 overflow-x-auto">
  <table class="table-plain">
    <thead>
      <tr>
        <th>zone · node</th>
        {#each shown as owner (owner)}<th class="mono" title={owner}>{owner.split('/')[1]}</th>{/each}
      </tr>
    </thead>
    {#each zones as zone (zone.name)}
      <tbody>
        <tr>
          <th scope="rowgroup" class="text-ink!">{zone.name}</th>
          {#each shown as owner (owner)}<td class="quiet small">{inZone(zone.planks, owner) || '–'}</td>{/each}
        </tr>
        {#each zone.planks as plank (plank.name)}
          <tr>
            <td class="mono">{plank.name}</td>
            {#each shown as owner (owner)}
              {@const mine = plank.members.filter((one) => `${one.namespace}/${one.owner}` === owner)}
              <td class="mono text-[0.8rem]">
                {#each mine.slice(0, 4) as member (member.name)}
                  <a class="mr-2 inline-flex items-center gap-1 hover:underline" href={lineHref(id, { kind: 'Pod', ...member })}
                    ><i class="inline-block h-[9px] w-[9px] bg-ink" aria-hidden="true"></i>{member.name.startsWith(`${member.owner}-`)
                      ? member.name.slice(member.owner.length)
                      : member.name}</a
                  >
                {/each}
                {#if mine.length > 4}<span class="quiet">and {mine.length - 4} more</span>{/if}
              </td>
            {/each}
          </tr>
        {/each}
      </tbody>
    {/each}
  </table>
  {#if !owners.length}<p class="quiet mt-3">No members stand on any node yet; drivers' pods aren't counted here.</p>{/if}
  {#if owners.length > mostColumns}<p class="quiet small mt-2">The {mostColumns} largest workloads of {owners.length} are shown.</p>{/if}
</div>
