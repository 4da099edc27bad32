<script lang="ts">
  import Editor from '../drafts/Editor.svelte';
  import type { Finding } from '../drafts/types';

  interface Props {
    text: string;
    problems: readonly {
      readonly message: string;
      readonly remedy: string;
      readonly at: { readonly line?: number; readonly column?: number };
    }[];
  }
  /** One document in the editor, with what is wrong with it. */
  let { text = $bindable(), problems }: Props = $props();
  const findings = $derived(
    problems.map((one): Finding => ({ code: '', severity: 'error', message: one.message, remedy: one.remedy, at: one.at }))
  );
</script>

<Editor file="document" {text} {findings} links={[]} names={[]} onchange={(_, next) => (text = next)} onmend={() => {}} onjump={() => {}} />
