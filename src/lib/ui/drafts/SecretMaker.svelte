<script lang="ts">
  import { alphabets, bitsOf, leastBits, lengthFor, secretValue, type Alphabet } from '$core/drafts';
  import { notices } from '../call.svelte';
  import type { Desk } from './desk.svelte';
  import type { TextEdit } from './types';

  let { desk, onedits }: { desk: Desk; onedits(edits: readonly TextEdit[], cause: string): void } = $props();
  let name = $state('');
  let key = $state('password');
  let namespace = $state('');
  let alphabet = $state<Alphabet>('letters');
  let length = $state(32);
  const bits = $derived(Math.floor(bitsOf(alphabet, length || 0)));
  const fits = $derived(
    /^[a-z0-9]([a-z0-9.-]{0,251}[a-z0-9])?$/.test(name) && /^[\w.-]{1,253}$/.test(key) && length >= 1 && length <= 1_024
  );
  const words: Record<Alphabet, string> = {
    letters: 'letters and digits',
    plain: 'small letters and digits, none alike',
    marks: 'letters, digits and marks',
    hex: 'hexadecimal digits'
  };
  const spaces = $derived([...new Set(desk.objects.map((one) => one.namespace).filter(Boolean))].sort());

  const made = () => secretValue(alphabet, length, (count) => crypto.getRandomValues(new Uint8Array(count)));
  function add() {
    const [file] = desk.files.filter((one) => one.name === desk.open);
    if (!file) return;
    const space = namespace || spaces[0];
    const text = `apiVersion: v1\nkind: Secret\nmetadata:\n  name: ${name}\n${space ? `  namespace: ${space}\n` : ''}type: Opaque\nstringData:\n  ${key}: "${made()}"\n`;
    const empty = file.text.trim() === '';
    const insert = empty ? text : `${file.text.endsWith('\n') ? '' : '\n'}---\n${text}`;
    onedits([{ file: file.name, from: empty ? 0 : file.text.length, to: file.text.length, insert }], `secret ${name} generated`);
    notices.say(`${key} of ${name} is generated and covered. Copy puts such a value on the clipboard without showing it.`);
  }
  async function copy() {
    try {
      await navigator.clipboard.writeText(made());
      notices.say('A fresh value is on the clipboard; it was not shown and is kept nowhere.');
    } catch {
      notices.complain({ detail: "The browser doesn't let pages write to the clipboard.", remedy: 'Add it to the draft instead.' });
    }
  }
</script>

<div class="grid grid-cols-[auto_1fr] items-baseline gap-x-3 gap-y-1">
  <label for="secret-name">secret</label><input
    id="secret-name"
    class="border-b border-ink bg-sheet"
    bind:value={name}
    autocomplete="off"
    spellcheck="false"
    placeholder="bookings-access"
  />
  <label for="secret-key">key</label><input
    id="secret-key"
    class="border-b border-ink bg-sheet"
    bind:value={key}
    autocomplete="off"
    spellcheck="false"
  />
  {#if spaces.length}<label for="secret-space">in</label><select
      id="secret-space"
      class="border-b border-ink bg-sheet"
      bind:value={namespace}
      >{#each spaces as one (one)}<option value={one}>{one}</option>{/each}</select
    >{/if}
  <label for="secret-letters">of</label><select id="secret-letters" class="border-b border-ink bg-sheet" bind:value={alphabet}
    >{#each Object.keys(alphabets) as one (one)}<option value={one}>{words[one as Alphabet]}</option>{/each}</select
  >
  <label for="secret-length">length</label><input
    id="secret-length"
    class="w-[5rem] border-b border-ink bg-sheet"
    type="number"
    min="1"
    max="1024"
    bind:value={length}
  />
</div>
<p class="small mt-1 {bits < leastBits ? 'text-brick' : 'quiet'}">
  {bits} random bits; {leastBits} are the least (RFC 4086){bits < leastBits ? `: ${lengthFor(alphabet)} characters of these` : ''}.
</p>
<div class="mt-2 flex gap-2">
  <button class="push push-main" disabled={!fits} onclick={add}>Add it to the draft</button>
  <button class="push" onclick={copy}>Copy a fresh value</button>
</div>
