<script lang="ts">
  import { goto } from '$app/navigation';
  import { untrack } from 'svelte';
  import { controlOf, hasFiles, speedKindOf, startingGround, withBlock, withFiles, type Shape, type SpeedKind } from '$core/briefs';
  import type { Ground } from '$core/model';
  import Header from '$ui/frame/Header.svelte';
  import { pageKey } from '$ui/frame/page-keys';
  import Keys from '$ui/frame/Keys.svelte';
  import Peg from '$ui/parts/Peg.svelte';
  import Slot from '$ui/parts/Slot.svelte';
  import YamlBox from '$ui/parts/YamlBox.svelte';
  import LayoutDrawing from '$ui/sheets/LayoutDrawing.svelte';
  import { call, doCall, type Trouble } from '$ui/call.svelte';

  type Spec = Ground['spec'];
  type Group = NonNullable<Spec['groups']>[number];
  interface Check {
    faults: readonly { field: string; message: string; remedy: string }[];
    problems?: Trouble['problems'];
    nodes: number;
    zones: number;
    yaml: string;
  }
  let { data } = $props();
  let ground = $state<Ground>(untrack(() => data.ground));
  let check = $state<Check>(untrack(() => data.check));
  let showing = $state<'questions' | 'document'>('questions');
  let text = $state(untrack(() => data.check.yaml));
  let trouble = $state<Trouble | null>(null);
  let keys = $state(false);
  let sending = $state(false);

  const spec = $derived(ground.spec);
  const control = $derived(spec.control ?? controlOf('small'));
  const groups = $derived(spec.groups ?? []);
  const block = $derived(spec.backends?.find((one) => one.driver === 'block.standin.example'));
  const first = $derived(spec.firstClass);
  const wrong = (field: string) => check.faults.some((one) => one.field === field || one.field.startsWith(`${field}.`));
  const put = (change: Partial<Spec>) => (ground = { ...ground, spec: { ...ground.spec, ...change } });
  const putControl = (change: Partial<NonNullable<Spec['control']>>) => put({ control: { ...control, ...change } });
  const putGroup = (i: number, change: Partial<Group>) => put({ groups: groups.map((one, k) => (k === i ? { ...one, ...change } : one)) });
  const rename = (name: string) =>
    (ground = { ...ground, metadata: { name }, spec: { ...ground.spec, issuer: `https://issuer.${name}.example` } });

  function reshape(shape: Shape) {
    if (groups.length && shape === control.shape) return;
    const fresh = startingGround(ground.metadata.name, shape);
    put({ control: { ...controlOf(shape, control.balancer ?? fresh.spec.control?.balancer ?? '') } });
  }
  /** Zones of the backend follow the zones of the nodes. */
  function supply(change: { kind?: SpeedKind; fsType?: 'ext4' | 'xfs'; reclaim?: 'Delete' | 'Retain'; capacity?: string }) {
    const fsType = (first?.parameters?.['csi.storage.k8s.io/fstype'] as 'ext4' | 'xfs') ?? 'ext4';
    const reclaim = first?.reclaimPolicy === 'Retain' ? 'Retain' : 'Delete';
    ground = {
      ...ground,
      spec: withBlock(
        ground.spec,
        change.kind ?? speedKindOf(block) ?? 'steady',
        change.fsType ?? fsType,
        change.reclaim ?? reclaim,
        change.capacity ?? String(block?.zones[0]?.capacity ?? '1000Gi')
      )
    };
  }
  const regroup = (next: Group[]) => {
    put({ groups: next });
    if (block) supply({});
  };
  const addGroup = () => {
    const letter = 'abcdefghijklmnop'[groups.length] ?? `z${groups.length}`;
    const like = groups.at(-1) ?? { cpu: '4', memory: '16Gi', count: 2 };
    const { names: _, ...rest } = like as Group;
    regroup([...groups, { ...rest, name: `worker-${letter}`, zone: letter }]);
  };
  const rawDisks = (group: Group) => (group.disks ?? []).filter((one) => one.holds !== 'system');
  const setRaw = (i: number, count: number, size: string) => {
    const system = (groups[i]!.disks ?? []).filter((one) => one.holds === 'system');
    putGroup(i, { disks: [...system, ...Array.from({ length: Math.max(0, Math.min(24, count || 0)) }, () => ({ size }))] });
  };

  // Looked over while it is typed; the brief writes the document and the document the brief.
  $effect(() => {
    const wanted = showing === 'document' ? text : JSON.stringify(ground);
    const stop = new AbortController();
    const timer = setTimeout(async () => {
      const answer = await call('POST', '/layouts/check', { body: wanted, signal: stop.signal });
      if (stop.signal.aborted) return;
      trouble = answer.ok ? null : answer.trouble;
      if (!answer.ok) return;
      check = answer.value;
      if (untrack(() => showing) === 'questions' && check.yaml) text = check.yaml;
    }, 120);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });
  /** Back to the questions with what the document says; while it can't be read, it stays in front, so that nothing written is lost. */
  async function questions() {
    if (showing !== 'document') return;
    const answer = await call('POST', '/layouts/check', { body: text });
    trouble = answer.ok ? null : answer.trouble;
    if (!answer.ok) return;
    check = answer.value;
    if (!check.yaml) return;
    const { parse } = await import('yaml');
    ground = parse(text) as Ground;
    showing = 'questions';
  }
  async function readFile(event: Event & { currentTarget: HTMLInputElement }) {
    const [file] = event.currentTarget.files ?? [];
    if (!file) return;
    text = await file.text();
    showing = 'document';
  }
  async function make() {
    sending = true;
    const made = await doCall('POST', '/clusters', { body: showing === 'document' ? text : JSON.stringify(ground) });
    sending = false;
    if (made) await goto(`/r/${encodeURIComponent(made.id)}/ground`);
  }
  const download = $derived(`data:application/yaml;charset=utf-8,${encodeURIComponent(showing === 'document' ? text : check.yaml)}`);
  const ready = $derived(!trouble && check.faults.length === 0);
</script>

<svelte:head><title>Lay out a cluster · Root Barn</title></svelte:head>
<svelte:window onkeydown={(event) => pageKey(event, () => (keys = true))} />

<Header title="Lay out a cluster" sub={ground.metadata.name} onkeys={() => (keys = true)} />

<main class="mx-auto grid max-w-[96rem] grid-cols-[minmax(0,1.1fr)_minmax(0,1fr)] gap-x-10 px-[34px] pt-6 pb-10 max-[1000px]:grid-cols-1">
  <h1 class="sr-only">Lay out a cluster</h1>
  <div class="min-w-0">
    <nav class="flex items-baseline gap-4" aria-label="How it is shown">
      {#each ['questions', 'document'] as const as one (one)}
        <button
          class={showing === one ? 'border-b-2 border-ink font-semibold' : 'quiet hover:underline'}
          aria-pressed={showing === one}
          onclick={() => (one === 'questions' ? questions() : (showing = 'document'))}>{one}</button
        >
      {/each}
      <label class="word small ml-auto"
        >read a file<input class="sr-only" type="file" accept=".yaml,.yml,.json" onchange={readFile} /></label
      >
      <a class="word small" href={download} download="{ground.metadata.name}.ground.yaml">export</a>
    </nav>
    {#if showing === 'questions'}
      <p class="mt-3 text-[1.12rem] leading-[2.1]">
        A <Slot
          label="Shape"
          value={control.shape}
          options={[
            ['small', 'small'],
            ['production', 'production']
          ]}
          onchange={reshape}
        /> cluster called
        <Slot label="Name of the cluster" value={ground.metadata.name} width={9} wrong={wrong('name')} onchange={rename} />, of version
        <Slot
          label="Version"
          value={spec.version ?? ''}
          width={5}
          wrong={wrong('version')}
          onchange={(version: string) => put({ version })}
        />.
        {#if control.shape === 'small'}
          One control member keeps its own store.
        {:else}
          Its quorum store has <Slot
            label="Quorum members"
            value={control.quorum}
            width={3}
            wrong={wrong('control.quorum')}
            onchange={(quorum: number) => putControl({ quorum })}
          /> members; its
          <Slot
            label="Control members"
            value={control.members}
            width={3}
            wrong={wrong('control.members')}
            onchange={(members: number) => putControl({ members })}
          /> control members are
          <Slot
            label="Mode"
            value={control.mode ?? 'balanced'}
            options={[
              ['balanced', 'balanced'],
              ['active-passive', 'active and passive']
            ]}
            onchange={(mode) => putControl({ mode, ...(mode === 'active-passive' ? { members: 2 } : {}) })}
          /> behind
          <Slot
            label="Address of the balancer"
            value={control.balancer ?? ''}
            width={12}
            wrong={wrong('control.balancer')}
            onchange={(balancer: string) => putControl({ balancer })}
          />.
        {/if}
        Pods have <Slot
          label="Range of pods"
          value={spec.podRange}
          width={14}
          wrong={wrong('podRange')}
          onchange={(podRange: string) => put({ podRange })}
        />, services
        <Slot
          label="Range of services"
          value={spec.serviceRange}
          width={14}
          wrong={wrong('serviceRange')}
          onchange={(serviceRange: string) => put({ serviceRange })}
        />, the physical network
        <Slot
          label="Range of the physical network"
          value={spec.nodeRange}
          width={14}
          wrong={wrong('nodeRange')}
          onchange={(nodeRange: string) => put({ nodeRange })}
        />.
      </p>
      <ul class="mt-3 border-t border-line">
        {#each groups as group, i (i)}
          <li class="border-b border-line py-1.5 leading-[2]">
            <Slot
              label="Number of nodes of group {i + 1}"
              value={group.names?.length ?? group.count ?? 1}
              width={3}
              wrong={wrong(`groups.${i}.count`)}
              onchange={(count: number) => putGroup(i, { count: Math.max(1, count || 1), names: undefined })}
            /> nodes
            <Slot
              label="Name of group {i + 1}"
              value={group.name}
              width={9}
              wrong={wrong(`groups.${i}.name`)}
              onchange={(name: string) => putGroup(i, { name, names: undefined })}
            /> in zone
            <Slot
              label="Zone of group {i + 1}"
              value={group.zone}
              width={4}
              wrong={wrong(`groups.${i}.zone`)}
              onchange={(zone: string) => regroup(groups.map((one, k) => (k === i ? { ...one, zone } : one)))}
            />, each with
            <Slot
              label="CPU of group {i + 1}"
              value={String(group.cpu)}
              width={3}
              wrong={wrong(`groups.${i}.cpu`)}
              onchange={(cpu: string) => putGroup(i, { cpu })}
            /> CPU,
            <Slot
              label="Memory of group {i + 1}"
              value={String(group.memory)}
              width={6}
              wrong={wrong(`groups.${i}.memory`)}
              onchange={(memory: string) => putGroup(i, { memory })}
            />,
            <Slot
              label="Raw disks of group {i + 1}"
              value={rawDisks(group).length}
              width={2}
              onchange={(n: number) => setRaw(i, n, String(rawDisks(group)[0]?.size ?? '800Gi'))}
            /> raw disks{#if rawDisks(group).length}
              of <Slot
                label="Size of the disks of group {i + 1}"
                value={String(rawDisks(group)[0]!.size)}
                width={6}
                wrong={wrong(`groups.${i}.disks`)}
                onchange={(size: string) => setRaw(i, rawDisks(group).length, size)}
              />{/if}.
            {#if groups.length > 1}<button class="word small" onclick={() => regroup(groups.filter((_, k) => k !== i))}>take away</button
              >{/if}
          </li>
        {/each}
      </ul>
      <p class="mt-2"><button class="push" onclick={addGroup}>Add a group of nodes</button></p>
      {#if block && first}
        <p class="mt-4 text-[1.12rem] leading-[2.1]">
          The provider hands out <Slot
            label="Speed kind"
            value={speedKindOf(block) ?? 'steady'}
            options={[
              ['steady', 'steady'],
              ['fast', 'fast'],
              ['cheap', 'cheap']
            ]}
            onchange={(kind) => supply({ kind })}
          /> block volumes,
          <Slot
            label="Capacity in each zone"
            value={String(block.zones[0]?.capacity ?? '')}
            width={7}
            wrong={wrong('backends')}
            onchange={(capacity: string) => supply({ capacity })}
          /> in each zone. The first class,
          <span class="mono font-semibold">{first.name}</span>, makes
          <Slot
            label="File system"
            value={first.parameters?.['csi.storage.k8s.io/fstype'] ?? 'ext4'}
            options={[
              ['ext4', 'ext4'],
              ['xfs', 'xfs']
            ]}
            onchange={(fsType) => supply({ fsType: fsType as 'ext4' | 'xfs' })}
          /> and
          <Slot
            label="When a claim goes"
            value={first.reclaimPolicy ?? 'Delete'}
            options={[
              ['Delete', 'deletes'],
              ['Retain', 'keeps']
            ]}
            onchange={(reclaim) => supply({ reclaim: reclaim as 'Delete' | 'Retain' })}
          /> volumes whose claims go. Shared files are
          <Slot
            label="Shared files"
            value={hasFiles(spec) ? 'yes' : 'no'}
            options={[
              ['no', 'not handed out'],
              ['yes', 'handed out in every zone']
            ]}
            onchange={(yes) => (ground = { ...ground, spec: withFiles(ground.spec, yes === 'yes') })}
          />.
        </p>
      {:else}
        <p class="quiet mt-4">
          The provider hands out no block volumes here. <button class="word" onclick={() => supply({})}>Let it</button>
        </p>
      {/if}
    {:else}
      <div class="mt-3 flex h-[520px] flex-col border border-line">
        <YamlBox bind:text problems={trouble?.problems ?? check.problems ?? []} />
      </div>
    {/if}
  </div>
  <div class="min-w-0 border-l border-line pl-8">
    <dl class="grid grid-cols-3 border-y border-ink py-2">
      <div>
        <dt class="quiet small">nodes</dt>
        <dd class="text-[1.4rem] font-semibold">{check.nodes}</dd>
      </div>
      <div>
        <dt class="quiet small">zones</dt>
        <dd class="text-[1.4rem] font-semibold">{check.zones}</dd>
      </div>
      <div>
        <dt class="quiet small">quorum may lose</dt>
        <dd class="text-[1.4rem] font-semibold">{Math.max(0, Math.floor((control.quorum - 1) / 2)) || 0}</dd>
      </div>
    </dl>
    <LayoutDrawing {groups} />
    <div class="mt-4 border-t border-line pt-3" aria-live="polite" aria-label="What is wrong with it">
      {#if trouble}
        <p class="text-brick"><Peg state="broken" size={11} /> {trouble.detail}</p>
        <p>{trouble.remedy}</p>
      {:else}
        {#each check.faults as one (one.field + one.message)}
          <p class="mb-1.5"><Peg state="broken" size={11} /> <span class="text-brick">{one.message}.</span> {one.remedy}</p>
        {:else}
          <p>
            <Peg state="holds" size={11} /> Ranges apart and wide enough, {control.quorum === 1
              ? 'one member keeps the store'
              : `a quorum of ${control.quorum}`}, {check.nodes} nodes in {check.zones}
            {check.zones === 1 ? 'zone' : 'zones'}.
          </p>
          {#if check.zones === 2}<p class="mt-1.5">
              <Peg state="settling" size={11} /> Two zones can't survive the loss of either with one majority; a third place is needed for that.
            </p>{/if}
        {/each}
      {/if}
    </div>
    <p class="mt-4 flex items-baseline gap-3">
      <button class="push push-main" disabled={!ready || sending} onclick={make}>Make this stand-in</button>
      <a class="word" href="/">Estate</a>
    </p>
  </div>
</main>

{#if keys}<Keys onclose={() => (keys = false)} />{/if}
