<script lang="ts">
  import type { Answers } from '$server/api/types';

  interface Props {
    fit: NonNullable<Answers['Packed']['fit']>;
    /** What is as small as it can be. */
    by: 'nodes' | 'price';
    /** Whether it is what was asked last. */
    still: boolean;
  }
  let { fit, by, still }: Props = $props();
</script>

<dl class="border-t border-line {still ? '' : 'opacity-50'}">
  {#snippet figure(label: string, value: string, note: string)}
    <div class="flex items-baseline justify-between gap-3 border-b border-line py-1.5">
      <dt class="min-w-[44%]">{label}</dt>
      <dd class="text-right">
        <b>{value}</b>{#if note}<span class="quiet small block">{note}</span>{/if}
      </dd>
    </div>
  {/snippet}
  {@render figure('nodes', String(fit.nodes), fit.left.length ? 'for those that have a place' : '')}
  {#if !fit.left.length}{@render figure(
      by === 'nodes' ? 'no packing has fewer than' : 'nothing costs less than',
      by === 'nodes' ? String(fit.least) : fit.least.toFixed(2),
      fit.proven ? 'so this is the best there is' : 'between them is not told'
    )}{/if}
  {#if fit.price !== null}{@render figure('a month', fit.price.toFixed(2), 'in the unit of the prices')}{/if}
  {#if fit.first !== null}{@render figure('first fit came to', by === 'nodes' ? String(fit.first) : fit.first.toFixed(2), '')}{/if}
  {#if fit.spare}{@render figure('one node may go', String(fit.spare.nodes), fit.spare.says)}{/if}
  {#if fit.zoneless}{@render figure('a zone may go', String(fit.zoneless.nodes), fit.zoneless.says)}{/if}
  {#each fit.alone as each (each.kind)}{@render figure(`${each.kind} alone`, each.nodes === null ? 'never' : '', each.says)}{/each}
</dl>
