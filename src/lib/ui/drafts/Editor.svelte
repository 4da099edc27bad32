<script lang="ts">
  import { untrack } from 'svelte';
  import { prefs } from '../prefs.svelte';
  import type { EditorHandle } from './editor';
  import type { Finding, Link, TextEdit } from './types';

  interface Props {
    file: string;
    text: string;
    findings: readonly Finding[];
    links: readonly Link[];
    names: readonly { kind: string; namespace: string; name: string }[];
    onchange(file: string, text: string): void;
    onmend(finding: Finding): void;
    onjump(link: Link): void;
  }
  let { file, text, findings, links, names, onchange, onmend, onjump }: Props = $props();
  let host: HTMLDivElement;
  let handle: EditorHandle | undefined = $state.raw();

  // The editor is large, so it is loaded only where somebody writes.
  $effect(() => {
    let gone = false;
    let made: EditorHandle | undefined;
    void import('./editor').then(({ makeEditor }) => {
      if (gone) return;
      made = makeEditor(host, { changed: (name, next) => onchange(name, next), mend: (one) => onmend(one), jump: (one) => onjump(one) });
      made.open(
        untrack(() => file),
        untrack(() => text)
      );
      handle = made;
    });
    return () => {
      gone = true;
      made?.view.destroy();
    };
  });
  $effect(() => {
    const name = file;
    if (handle)
      handle.open(
        name,
        untrack(() => text)
      );
  });
  // What was changed elsewhere (another step of the history, a file read anew) takes the text's place.
  $effect(() => {
    if (handle && text !== handle.view.state.doc.toString()) handle.replace(text);
  });
  $effect(() => handle?.mark(findings));
  $effect(() => handle?.link(links));
  $effect(() => handle?.know(names));
  $effect(() => handle?.cover(prefs.covered));

  export function show(line: number, column = 1): void {
    handle?.show(line, column);
  }
  /** Carries edits out as one step that can be taken back. */
  export function apply(edits: readonly TextEdit[]): void {
    handle?.apply(edits);
  }
</script>

<div bind:this={host} class="min-h-0 flex-1 overflow-hidden" data-testid="editor"></div>
