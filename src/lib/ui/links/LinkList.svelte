<script lang="ts">
  import type { Answers } from '$server/api/types';
  import Flag from '../parts/Flag.svelte';
  import Peg from '../parts/Peg.svelte';
  import { sentenceShown } from '../prefs.svelte';
  import { endWords } from './words';

  interface Props {
    links: Answers['Linked']['links'];
    flags: Readonly<Record<string, { hue: number; weave: string }>>;
    ondraft(title: string, yaml: string, cluster: string): Promise<void>;
  }
  let { links, flags, ondraft }: Props = $props();
  type Link = Props['links'][number];
  const troubles = (one: Link) => [one.fault, one.nameless.a, one.nameless.b].filter((each) => each !== null);
  const endYaml = (one: Link, side: 'a' | 'b') =>
    `apiVersion: standin.example/v1\nkind: Link\nmetadata:\n  name: ${one.name}\nspec:\n${Object.entries(one.ends[side]!)
      .map(([key, value]) =>
        typeof value === 'object' && value !== null
          ? `  ${key}:\n${Object.entries(value)
              .map(([a, b]) => `    ${a}: ${JSON.stringify(b)}`)
              .join('\n')}`
          : `  ${key}: ${JSON.stringify(value)}`
      )
      .join('\n')}\n`;
</script>

<table class="table-plain mt-1 w-full">
  <thead><tr><th>Between</th><th>How it is</th><th><span class="sr-only">Its ends</span></th></tr></thead>
  <tbody>
    {#each links as one (one.name + one.a)}
      <tr class="align-top">
        <td class="w-[230px] whitespace-nowrap">
          {#each ['a', 'b'] as const as side (side)}
            <span class="flex items-center gap-2"
              >{#if flags[one[side]]}<Flag flag={flags[one[side]]!} class="h-[14px] w-[8px]" />{/if}{one[side]}</span
            >
          {/each}
        </td>
        <td>
          {#each troubles(one) as trouble, i (i)}
            <p class="text-brick">
              <Peg state="broken" />
              {sentenceShown(trouble.says)}.
              <span class="text-ink">{trouble.remedy.text}</span>
              {#if trouble.remedy.yaml}{@const yaml = trouble.remedy.yaml}
                <button class="word" onclick={() => ondraft(`${one.name}: link`, yaml, trouble.remedy.in)}
                  >put in a draft for {trouble.remedy.in}</button
                >{/if}
            </p>
          {:else}<p><Peg state="holds" /> comes through, both ways, with names</p>{/each}
          {#if one.ends.a && one.ends.b}
            {#if endWords(one.ends.a) === endWords(one.ends.b)}<p class="quiet small">{endWords(one.ends.a)}</p>
            {:else}<p class="quiet small">{one.a}: {endWords(one.ends.a)}<br />{one.b}: {endWords(one.ends.b)}</p>{/if}
          {/if}
        </td>
        <td class="w-[150px] whitespace-nowrap">
          {#each ['a', 'b'] as const as side (side)}
            {#if one.ends[side]}<button class="word block" onclick={() => ondraft(`${one.name}: end`, endYaml(one, side), one[side])}
                >alter {one[side]}'s end</button
              >{/if}
          {/each}
        </td>
      </tr>
    {/each}
  </tbody>
</table>
