<script lang="ts">
  import type { SpanText } from './span';
  import { spanFault } from './span';
  import Slot from '../parts/Slot.svelte';

  /** A span of seconds in a sentence; both ends empty: nothing is supposed of it. */
  interface Props {
    what: string;
    value: SpanText;
    onchange(value: SpanText): void;
  }
  let { what, value, onchange }: Props = $props();
  const fault = $derived(spanFault(value));
</script>

<span class="whitespace-nowrap"
  ><Slot
    label="{what}, at least, in seconds"
    value={value.from}
    width={3}
    wrong={fault !== ''}
    onchange={(from) => onchange({ ...value, from, seen: 0 })}
  />
  to
  <Slot
    label="{what}, at most, in seconds"
    value={value.to}
    width={3}
    wrong={fault !== ''}
    onchange={(to) => onchange({ ...value, to, seen: 0 })}
  />
  s</span
>{#if value.seen}{' '}<span class="quiet small">({value.seen} seen)</span>{/if}
