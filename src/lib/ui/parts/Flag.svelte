<script lang="ts">
  interface Props {
    flag: { hue: number; weave: string };
    class?: string;
  }
  let { flag, class: more = '' }: Props = $props();
</script>

<div class="flag flag-{flag.weave} {more}" style:--hue={flag.hue} aria-hidden="true"></div>
