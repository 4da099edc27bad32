<script lang="ts">
  /** What loses data is confirmed by the name of the cluster that it is sent to. */
  interface Props {
    cluster: string;
    typed: string;
    /** What happens then. */
    to?: string;
    /** The hands go here at once. */
    focus?: boolean;
  }
  let { cluster, typed = $bindable(), to = 'go on', focus = false }: Props = $props();
</script>

<label class="mb-3 block"
  >Data is lost. Type <b class="mono">{cluster}</b> to {to}.<input
    {@attach (one) => {
      if (focus) one.focus();
    }}
    class="mt-1 w-full border border-brick bg-sheet px-2 py-1.5"
    bind:value={typed}
    autocomplete="off"
  /></label
>
