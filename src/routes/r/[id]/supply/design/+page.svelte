<script lang="ts">
  import { frameHere } from '$ui/frame/frame.svelte';
  import { goto } from '$app/navigation';
  import type { ClassDesign, ClassNeeds } from '$core/briefs';
  import Peg from '$ui/parts/Peg.svelte';
  import Slot from '$ui/parts/Slot.svelte';
  import { call, newDraft, notices } from '$ui/call.svelte';
  import { selection } from '$ui/selection.svelte';

  let { data } = $props();
  const frame = frameHere();
  let needs = $state<ClassNeeds>({
    name: 'steady',
    users: 'one',
    grow: true,
    keep: false,
    encrypt: false,
    fsType: 'any',
    speed: 'steady',
    isDefault: false
  });
  let design = $state<(ClassDesign & { yaml: string }) | null>(null);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  const set = (change: Partial<ClassNeeds>) => (needs = { ...needs, ...change });
  const nameWrong = $derived(!/^[a-z0-9]([a-z0-9.-]*[a-z0-9])?$/.test(needs.name) || needs.name.length > 253);

  $effect(() => {
    void [frame.now.rehearsal.revision, frame.now.clock.nowMs];
    const wanted = needs;
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      const answer = await call('POST', '/rehearsals/{id}/design-class', { params: { id: data.id }, body: wanted, signal: stop.signal });
      if (!stop.signal.aborted && answer.ok) design = answer.value;
    }, 80);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });
  async function draft() {
    if (!design?.class || nameWrong) return;
    // The class that is shown may still be that of what was asked for a moment ago.
    const wanted = needs;
    const answer = await call('POST', '/rehearsals/{id}/design-class', { params: { id: data.id }, body: wanted });
    if (!answer.ok) return notices.complain(answer.trouble);
    design = answer.value;
    if (!design.class) return;
    const id = await newDraft(data.cluster.name, `class ${wanted.name}`, design.yaml);
    if (id !== undefined) await goto(`${base}/drafts/${id}`);
  }
  $effect(() => {
    selection.draft = () => void draft();
    return () => (selection.draft = null);
  });
</script>

<svelte:head><title>Design a class · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="grid min-h-full grid-cols-[minmax(0,1.05fr)_minmax(0,1fr)] max-[1000px]:grid-cols-1">
  <h1 class="sr-only">Design a class</h1>
  <div class="px-[26px] py-5">
    <p>
      <span class="font-semibold">Design a class</span> <span class="quiet">what is needed decides what it is made of ·</span>
      <a class="word" href="{base}/supply">Supply</a>
    </p>
    <p class="mt-4 max-w-[34rem] text-[1.15rem] leading-[2.15]">
      Volumes called
      <Slot label="Name of the class" value={needs.name} width={8} wrong={nameWrong} onchange={(name: string) => set({ name })} />
      are mounted by
      <Slot
        label="Users"
        value={needs.users}
        options={[
          ['one', 'one node at a time'],
          ['many', 'many nodes at once']
        ]}
        onchange={(users) => set({ users })}
      />
      and
      <Slot
        label="Growth"
        value={needs.grow ? 'yes' : 'no'}
        options={[
          ['yes', 'can grow'],
          ['no', 'keep their size']
        ]}
        onchange={(grow) => set({ grow: grow === 'yes' })}
      />. When a claim goes, its data is
      <Slot
        label="When the claim goes"
        value={needs.keep ? 'yes' : 'no'}
        options={[
          ['no', 'deleted'],
          ['yes', 'kept']
        ]}
        onchange={(keep) => set({ keep: keep === 'yes' })}
      />. They are
      <Slot
        label="Encryption"
        value={needs.encrypt ? 'yes' : 'no'}
        options={[
          ['no', 'not encrypted'],
          ['yes', 'encrypted']
        ]}
        onchange={(encrypt) => set({ encrypt: encrypt === 'yes' })}
      />, with
      <Slot
        label="File system"
        value={needs.fsType}
        options={[
          ['any', 'any file system'],
          ['ext4', 'ext4'],
          ['xfs', 'xfs']
        ]}
        onchange={(fsType) => set({ fsType })}
      />, and
      <Slot
        label="Speed"
        value={needs.speed}
        options={[
          ['steady', 'steady'],
          ['fast', 'fast'],
          ['cheap', 'cheap']
        ]}
        onchange={(speed) => set({ speed })}
      />
      is what counts. Claims that name no class
      <Slot
        label="Default"
        value={needs.isDefault ? 'yes' : 'no'}
        options={[
          ['no', "don't get"],
          ['yes', 'get']
        ]}
        onchange={(one) => set({ isDefault: one === 'yes' })}
      /> it.
    </p>
    {#if nameWrong}<p class="mt-2 text-brick">A class's name holds lower-case letters, digits, "-" and "."; "{needs.name}" doesn't.</p>{/if}
    {#if design}
      <div class="mt-4 border-t border-ink pt-3">
        {#if design.class}
          {#each design.before as one (one.title)}
            <p class="mb-1"><Peg state="broken" size={11} /> First mend {one.title.toLowerCase()}: {one.says}.</p>
          {:else}<p class="mb-1">
              <Peg state="holds" size={11} /> Everything that it rests on holds: it can hand out volumes as soon as it is sent.
            </p>{/each}
          <div class="mt-3 flex flex-wrap items-baseline gap-3">
            <button class="push push-main" disabled={nameWrong} onclick={draft}>Put in a draft</button> <span class="key">d</span>
            {#if design.before.length}<a class="word" href="{base}/supply?driver={encodeURIComponent(design.driver ?? '')}"
                >see the gates of {design.driver}</a
              >{/if}
          </div>
        {:else}
          <p class="text-brick"><Peg state="broken" size={11} /> No driver of this cluster can do all of it. Give something up:</p>
        {/if}
      </div>
      <h2 class="mt-5 mb-1">Not chosen</h2>
      {#each design.rejected as one (one.driver)}<p class="flex gap-2">
          <span class="mono w-[13.5rem] shrink-0">{one.driver}</span><span class="quiet">{one.why}</span>
        </p>{/each}
    {/if}
  </div>
  <div class="border-l border-line px-6 py-5">
    {#if design?.class}
      <h2 class="mono">{design.driver}</h2>
      <table class="table-plain">
        <tbody>
          {#each design.choices as one (one.field)}
            <tr
              ><td class="w-[13rem] text-[0.8rem]"
                ><span class="mono quiet block break-all">{one.field}</span><span class="mono font-semibold break-all">{one.value}</span
                ></td
              ><td>{one.why}</td></tr
            >
          {/each}
        </tbody>
      </table>
      <h2 class="mt-5 mb-1">What it gives up</h2>
      {#each design.givesUp as one (one)}<p>It won't {one}.</p>{/each}
      <h2 class="mt-5 mb-1">As a manifest</h2>
      <pre class="overflow-x-auto border border-line bg-tape p-3 text-[0.8rem]">{design.yaml}</pre>
    {/if}
  </div>
</div>
