<script lang="ts">
  import { chosenFiles } from './dropped';
  import type { DraftFile } from './types';

  let { look, says, take }: { look: string; says: string; take: (files: DraftFile[]) => unknown } = $props();
</script>

<label class="{look} focus-within:outline-2"
  >{says}<input
    class="sr-only"
    type="file"
    multiple
    accept=".yaml,.yml,.json"
    onchange={async (event) => take(await chosenFiles(event.currentTarget.files))}
  /></label
>
