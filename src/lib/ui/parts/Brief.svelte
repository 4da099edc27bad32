<script lang="ts">
  import type { BlueprintSheet } from '$server/views/blueprint';
  import Slot from './Slot.svelte';

  interface Props {
    /** A blueprint's questions, with its sentence. */
    sheet: Pick<BlueprintSheet, 'sentence' | 'questions' | 'classes' | 'faults'>;
    answers: Readonly<Record<string, string>>;
    onchange(question: string, value: string): void;
  }
  let { sheet, answers, onchange }: Props = $props();
  const wrong = $derived(new Set(sheet.faults.map((one) => one.question)));

  /** The sentence in pieces: slots with the mark that follows them, and the text after that. */
  const pieces = $derived(
    sheet.sentence.split(/(?=\{\w+\})/).map((piece) => {
      const [, id, tail = '', text = ''] = /^(?:\{(\w+)\}([.,:;]?))?([^]*)$/.exec(piece)!;
      return { question: sheet.questions.find((one) => one.id === id), tail, text: text.trimStart() };
    })
  );
  const options = (id: string) => {
    const one = sheet.questions.find((two) => two.id === id)!;
    if (one.kind === 'class')
      return sheet.classes.length ? sheet.classes.map((name) => [name, name] as const) : [['', 'no class yet'] as const];
    if (one.kind === 'choice') return one.options;
    if (one.kind === 'count' && one.range && one.range[1] - one.range[0] <= 16)
      return Array.from({ length: one.range[1] - one.range[0] + 1 }, (_, i) => {
        const n = String(one.range![0] + i);
        return [n, n] as const;
      });
    return undefined;
  };
</script>

{#each pieces as piece, i (i)}
  {#if piece.question}
    <span class="whitespace-nowrap"
      ><Slot
        label={piece.question.label}
        value={answers[piece.question.id] ?? ''}
        options={options(piece.question.id)}
        width={Math.max(2, (answers[piece.question.id] ?? '').length)}
        wrong={wrong.has(piece.question.id)}
        onchange={(value: string) => onchange(piece.question!.id, value)}
      />{piece.tail}</span
    >{' '}
  {/if}{piece.text}
{/each}
