<script lang="ts">
  import type { Answers } from '$server/api/types';
  import { call, doCall, notices } from '../call.svelte';
  import { gib } from '../format';
  import type { Desk } from './desk.svelte';

  type Dir = Answers['EphemeralDirectories']['items'][number];
  type Plan = NonNullable<Answers['Persist']>;
  let { desk }: { desk: Desk } = $props();
  let dirs = $state.raw<readonly Dir[] | null>(null);
  let which = $state(0);
  let className = $state('');
  let size = $state('10Gi');
  let mode = $state<'ReadWriteOnce' | 'ReadWriteMany'>('ReadWriteOnce');
  let strategy = $state<'Recreate' | 'RollingUpdate'>('Recreate');
  let plan = $state.raw<Plan | null>(null);
  let tried = $state<Partial<Record<'Recreate' | 'RollingUpdate', NonNullable<Plan['rehearsal']>>>>({});
  let busy = $state('');
  const dir = $derived(dirs?.[which]);
  const fits = $derived(/^\d+(\.\d+)?([KMGT]i?)?$/.test(size));

  $effect(() => {
    void call('GET', '/rehearsals/{id}/ephemeral', { params: { id: desk.rehearsal() } }).then((answer) => {
      dirs = answer.ok ? answer.value.items : [];
    });
  });
  const wish = (how: typeof strategy) => {
    const { kind, namespace, name, volume } = dir!;
    return { kind, namespace, name, volume, size, mode, strategy: how, ...(className ? { className } : {}) };
  };
  $effect(() => {
    void [which, className, size, mode];
    tried = {};
  });
  $effect(() => {
    if (!dir || !fits) return;
    const stop = new AbortController();
    void call('POST', '/rehearsals/{id}/persist', { params: { id: desk.rehearsal() }, body: wish(strategy), signal: stop.signal }).then(
      (answer) => {
        if (!stop.signal.aborted) plan = answer.ok ? answer.value : null;
      }
    );
    return () => stop.abort();
  });
  async function rehearse(how: typeof strategy) {
    busy = how;
    const asked = wish(how);
    const answer = await call('POST', '/rehearsals/{id}/persist', { params: { id: desk.rehearsal() }, body: { ...asked, rehearse: true } });
    busy = '';
    // What was asked for may have been changed meanwhile.
    if (JSON.stringify(asked) !== JSON.stringify(wish(how))) return;
    if (answer.ok) tried = { ...tried, [how]: answer.value.rehearsal };
    else notices.complain(answer.trouble);
  }
  async function into() {
    if (!plan || !dir) return;
    const { name } = dir;
    // The plan that is shown may still be that of what was asked for a moment ago.
    const answer = await call('POST', '/rehearsals/{id}/persist', { params: { id: desk.rehearsal() }, body: wish(strategy) });
    if (!answer.ok) return notices.complain(answer.trouble);
    desk.addFile(`${name}-to-a-claim.yaml`, answer.value.yaml);
    if (await doCall('PUT', '/drafts/{draft}', { params: { draft: desk.id }, body: { files: desk.files, cause: 'to a claim' } }))
      desk.kept = true;
  }
  const strategies = ['Recreate', 'RollingUpdate'] as const;
</script>

{#if dirs === null}<p class="quiet">Looking for ephemeral directories …</p>
{:else if !dir}<p class="quiet">No deployment or set here keeps anything in an ephemeral directory.</p>
{:else}
  <p>
    <select class="border-b border-ink bg-sheet" bind:value={which} aria-label="Workload"
      >{#each dirs as one, i (i)}<option value={i}>{one.name}: {one.volume}</option>{/each}</select
    >
    keeps <span class="mono">{dir.paths.join(', ')}</span> in an ephemeral directory{dir.bytes ? `, ${gib(dir.bytes)} by now` : ''}.
  </p>
  <p class="mt-2 leading-8">
    Move it to a claim of <input class="mono w-[5rem] border-b border-ink bg-sheet" bind:value={size} aria-label="Size" />
    from
    <select class="border-b border-ink bg-sheet" bind:value={className} aria-label="Class"
      ><option value="">the default class</option>{#each dir.classes as one (one)}<option>{one}</option>{/each}</select
    >, for
    <select class="border-b border-ink bg-sheet" bind:value={mode} aria-label="Access"
      ><option value="ReadWriteOnce">one node</option><option value="ReadWriteMany">many nodes</option></select
    >{#if dir.kind === 'Deployment'}, rolled out by <select class="border-b border-ink bg-sheet" bind:value={strategy} aria-label="Strategy"
        >{#each strategies as one (one)}<option>{one}</option>{/each}</select
      >{/if}.
  </p>
  {#if !fits}<p class="small text-brick">Write a size such as 100Gi.</p>{/if}
  {#if plan}
    <p class="remedy mt-2"><b>Lost:</b> {plan.lost}.</p>
    {#if plan.warning}<p class="mt-1 text-brick">{plan.warning}</p>{/if}
    <ol class="mt-2 list-decimal pl-5">
      {#each plan.steps as step (step)}<li>{step}</li>{/each}
    </ol>
    {#if dir.kind === 'Deployment'}
      <table class="table-plain small mt-2">
        <thead><tr><th>Strategy</th><th>How it goes on a fork that is thrown away</th></tr></thead>
        <tbody>
          {#each strategies as one (one)}
            {@const seen = tried[one]}
            <tr
              ><td>{one}</td><td
                >{#if seen?.refused}{seen.refused.join(' ')}{:else if seen}<p class={seen.hangs ? 'text-brick' : ''}>{seen.first}</p>
                  <p class={seen.hangs ? 'text-brick' : ''}>{seen.next}</p>{:else}<button
                    class="push"
                    disabled={busy !== '' || !fits}
                    onclick={() => rehearse(one)}>{busy === one ? 'Rehearsing …' : 'Rehearse it'}</button
                  >{/if}</td
              ></tr
            >
          {/each}
        </tbody>
      </table>
    {/if}
    <button class="push push-main mt-2" disabled={!fits} onclick={into}>Put it into this draft</button>
  {/if}
{/if}
