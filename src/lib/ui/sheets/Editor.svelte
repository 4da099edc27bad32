<script lang="ts">
  import type { EditorView } from '@codemirror/view';
  import { untrack } from 'svelte';
  import type { EditorHandle } from './editor-setup';

  interface Props {
    text: string;
    problems: readonly { readonly message: string; readonly at: { readonly line?: number; readonly column?: number } }[];
  }
  let { text = $bindable(), problems }: Props = $props();
  let host: HTMLDivElement;
  let handle: EditorHandle | undefined = $state.raw();

  // The editor is large, so it is loaded only where somebody writes.
  $effect(() => {
    let gone = false;
    let view: EditorView | undefined;
    void import('./editor-setup').then(({ makeEditor }) => {
      if (gone) return;
      handle = makeEditor(
        host,
        untrack(() => text),
        (next) => (text = next)
      );
      view = handle.view;
    });
    return () => {
      gone = true;
      view?.destroy();
    };
  });
  $effect(() => handle?.mark(problems));

  export function show(line: number, column = 1): void {
    handle?.show(line, column);
  }
</script>

<div bind:this={host} class="min-h-0 flex-1 overflow-hidden" data-testid="editor"></div>
