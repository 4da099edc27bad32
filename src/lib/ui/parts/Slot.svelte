<script lang="ts" generics="T extends string | number">
  /** A slot in a sentence: a word to choose, or to write. */
  interface Props {
    label: string;
    value: T;
    options?: readonly (readonly [value: T, word: string])[];
    /** Width in characters while nothing is written, and where a browser can't fit it to what is. */
    width?: number;
    wrong?: boolean;
    onchange(value: T): void;
  }
  let { label, value, options, width = 8, wrong = false, onchange }: Props = $props();
  const face = $derived(`slot ${wrong ? 'slot-wrong' : ''}`);
  const read = (text: string): T => (typeof value === 'number' ? (Number(text) as T) : (text as T));
</script>

{#if options}
  <select class={face} aria-label={label} {value} onchange={(event) => onchange(read(event.currentTarget.value))}>
    {#each options as [one, word] (one)}<option value={one}>{word}</option>{/each}
  </select>
{:else}
  <input
    class={face}
    aria-label={label}
    aria-invalid={wrong}
    {value}
    inputmode={typeof value === 'number' ? 'numeric' : undefined}
    size={Math.max(1, width)}
    style:min-width={value === '' ? `${width}ch` : undefined}
    oninput={(event) => onchange(read(event.currentTarget.value))}
    autocomplete="off"
    spellcheck="false"
  />
{/if}

<style>
  .slot {
    font: inherit;
    font-weight: 650;
    color: inherit;
    background: var(--color-base-200);
    border: 0;
    border-bottom: 2px solid var(--color-primary);
    padding: 0.05rem 0.3rem;
    line-height: 1.35;
    field-sizing: content;
    min-width: 2.2ch;
    max-width: 100%;
    cursor: pointer;
  }
  input.slot {
    cursor: text;
  }
  .slot-wrong {
    border-bottom: 2px dashed var(--color-error);
  }
  .slot option {
    font-weight: 400;
    background: var(--color-base-100);
  }
</style>
