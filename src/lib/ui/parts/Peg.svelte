<script lang="ts">
  import type { State } from '$core/rootline';
  import { stateColours } from './state-colours';

  interface Props {
    state: State;
    size?: number;
    /** Read out instead of the drawing; empty where text beside it says the same. */
    label?: string;
  }
  let { state, size = 11, label }: Props = $props();
</script>

<svg
  width={size}
  height={size}
  viewBox="0 0 12 12"
  class="inline-block shrink-0"
  style:color={stateColours[state]}
  {...label === '' ? { 'aria-hidden': 'true' } : { role: 'img', 'aria-label': label ?? state }}
>
  {#if state === 'holds'}
    <rect x="0.5" y="0.5" width="11" height="11" fill="currentColor" />
  {:else if state === 'settling'}
    <rect x="1" y="1" width="10" height="10" fill="none" stroke="currentColor" stroke-width="1.6" />
    <path d="M1 1H11L1 11Z" fill="currentColor" />
  {:else if state === 'broken'}
    <path d="M3.6 1H1.2V11H10.8V1H8.4" fill="none" stroke="currentColor" stroke-width="1.9" />
    <path d="M0 6H12" stroke="currentColor" stroke-width="1.9" />
  {:else if state === 'waiting'}
    <rect x="1" y="1" width="10" height="10" fill="none" stroke="currentColor" stroke-width="1.2" />
  {:else}
    <rect x="1" y="1" width="10" height="10" fill="none" stroke="currentColor" stroke-width="1.4" stroke-dasharray="1.6 1.7" />
  {/if}
</svg>
