<script lang="ts">
  import { goto } from '$app/navigation';
  import { page } from '$app/state';
  import Peg from '$ui/parts/Peg.svelte';
  import Say from '$ui/parts/Say.svelte';
  import { selection } from '$ui/selection.svelte';
  import AssetsSheet from '$ui/sheets/AssetsSheet.svelte';
  import ClassSheet from '$ui/sheets/ClassSheet.svelte';
  import DriverSheet from '$ui/sheets/DriverSheet.svelte';
  import Rails from '$ui/sheets/Rails.svelte';
  import { call, doCall, newDraft, notices, remedyDraft } from '$ui/call.svelte';
  import { frameHere } from '$ui/frame/frame.svelte';
  import { invalidate } from '$app/navigation';
  import { plural } from '$ui/format';

  let { data } = $props();
  const frame = frameHere();
  const view = $derived(data.view);
  const broken = $derived(view.classes.filter((one) => one.state === 'broken'));
  const settling = $derived([...view.classes, ...view.drivers].find((one) => one.state === 'settling'));
  const breakIn = (gates: (typeof view.classes)[number]['gates']) => gates.find((one) => one.state === 'broken');

  const headline = $derived.by(() => {
    const [first] = broken;
    const standing = view.drivers.filter((one) => one.installed);
    if (!view.classes.length && !standing.length) return 'Nothing can be handed out: no driver, no class.';
    const gate = first && breakIn(first.gates);
    const why = gate
      ? gate.joint === 'driver' && /^not installed/.test(gate.says)
        ? `no driver answers to ${first!.driver}`
        : gate.says
      : '';
    if (first && broken.length === view.classes.length) return `Nothing can be handed out: ${why}.`;
    if (first && gate?.joint === 'target') return `${first.id} can't be mounted everywhere: ${why.replace(/^(zone .*): no/, '$1 has no')}.`;
    if (first) return `${first.id} can't hand anything out: ${why}.`;
    if (settling) return 'A driver comes up; volumes follow.';
    if (!view.classes.length) return 'A driver stands, but no class draws from it.';
    const serving = view.backends.filter((one) => view.drivers.some((two) => two.id === one.driver && two.installed));
    const [pool] = serving.filter((one) => one.pool);
    if (pool && serving.length === 1) return `Volumes can be handed out from ${pool.id}.`;
    const zones = [...new Set(serving.filter((one) => !one.pool).flatMap((one) => one.zones))];
    if (!view.backends.length)
      return `${plural(standing.length, 'driver')} and ${plural(view.classes.length, 'class', 'classes')} stand; what their backends still have isn't in the dump.`;
    return zones.length > 8 || !zones.length
      ? 'Volumes can be handed out.'
      : `Volumes can be handed out in ${zones.length === 1 ? 'zone' : 'zones'} ${zones.join(', ')}.`;
  });

  type Chosen = { kind: 'backend' | 'driver' | 'class'; id: string };
  const has = (list: readonly { id: string }[], id: string | null) => id !== null && list.some((one) => one.id === id);
  /** What the address names, else what most wants looking at: a driver with a break and no class of it, then the first class. */
  const chosen = $derived.by((): Chosen | null => {
    const params = page.url.searchParams;
    const rails = { backend: view.backends, driver: view.drivers, class: view.classes };
    for (const kind of ['backend', 'driver', 'class'] as const) {
      const id = params.get(kind);
      if (has(rails[kind], id)) return { kind, id: id! };
    }
    const bad =
      view.drivers.find((one) => one.state === 'broken') ??
      view.drivers.find((one) => !one.classes.length && one.gates.some((two) => two.state === 'broken'));
    if (bad && (bad.state === 'broken' || !view.classes.length)) return { kind: 'driver', id: bad.id };
    const one = broken[0] ?? view.classes[0];
    return one ? { kind: 'class', id: one.id } : view.drivers[0] ? { kind: 'driver', id: view.drivers[0].id } : null;
  });
  const driver = $derived(chosen?.kind === 'driver' ? view.drivers.find((one) => one.id === chosen.id) : undefined);
  const shown = $derived(chosen?.kind === 'class' ? view.classes.find((one) => one.id === chosen.id) : undefined);
  const beside = $derived(
    (page.url.searchParams.get('beside') ?? '')
      .split(',')
      .flatMap((id) => view.classes.find((one) => one.id === id && one.id !== shown?.id) ?? [])
      .slice(0, 3)
  );
  const show = (params: Record<string, string>) => goto(`?${new URLSearchParams(params)}`, { keepFocus: true, noScroll: true });

  async function open(id: number | undefined) {
    if (id !== undefined) await goto(`/r/${encodeURIComponent(data.id)}/drafts/${id}`);
  }
  async function install(name: string, version: string) {
    const found = await call('GET', '/drivers/{driver}/install', { params: { driver: name }, query: { version, cluster: view.version } });
    if (!found.ok) return notices.complain(found.trouble);
    await open(await newDraft(data.cluster.name, `install ${name} ${version}`, found.value.yaml));
  }
  const mend = async (joint: string, of: Chosen) => open(await remedyDraft(data.id, data.cluster.name, { [of.kind]: of.id, joint }));

  let busy = $state(false);
  async function tryOut(name: string, where: 'fork' | 'trunk') {
    busy = true;
    const trial = await doCall('POST', '/rehearsals/{id}/trials', { params: { id: data.id }, body: { class: name, where } });
    busy = false;
    if (!trial) return;
    notices.say(`${trial.says}.`);
    await Promise.all([invalidate('app:sheet'), frame.look()]);
  }

  const firstBreak = $derived.by((): { joint: string; of: Chosen } | undefined => {
    const gates = driver?.gates ?? shown?.gates ?? [];
    const gate = gates.find((one) => one.state === 'broken');
    return gate?.remedy?.draft && chosen ? { joint: gate.joint, of: chosen } : undefined;
  });
  $effect(() => {
    const one = firstBreak;
    selection.draft = one ? () => void mend(one.joint, one.of) : null;
    return () => (selection.draft = null);
  });
</script>

<svelte:head><title>Supply · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="px-[26px] py-5">
  <div class="flex items-baseline justify-between gap-6">
    <h1><Say text={headline} /></h1>
    <span class="flex shrink-0 gap-2">
      {#if view.supposed}<a class="push" href="/r/{encodeURIComponent(data.id)}/supply/supposed">What is supposed</a>{/if}
      <a class="push" href="/r/{encodeURIComponent(data.id)}/supply/design">Design a class</a>
    </span>
  </div>
  {#if view.classes.length && view.defaults.length !== 1}
    <p class="small mt-1 text-ochre">
      {view.defaults.length === 0
        ? 'No class is the default: claims that name none wait until one is marked.'
        : `${view.defaults.length} classes are marked as default (${view.defaults.join(', ')}): the newest of them counts.`}
    </p>
  {/if}
  <Rails {view} {chosen} onchoose={(one) => show({ [one.kind]: one.id })} />
  {#if driver}
    <DriverSheet
      {driver}
      id={data.id}
      flag={data.cluster.flag}
      version={view.version}
      oninstall={install}
      ondraft={(gate) => mend(gate.joint, { kind: 'driver', id: driver.id })}
    />
  {:else if shown}
    <ClassSheet
      card={shown}
      {beside}
      others={view.classes.map((one) => one.id)}
      trial={data.trials.find((one) => one.class === shown.id)}
      id={data.id}
      {busy}
      ontry={tryOut}
      onbeside={(names) => show({ class: shown.id, ...(names.length ? { beside: names.join(',') } : {}) })}
      ongone={() => goto(`/r/${encodeURIComponent(data.id)}/supply`)}
    />
    {#if firstBreak}
      <p class="mt-3 flex flex-wrap items-baseline gap-3">
        <button class="push push-main" onclick={() => mend(firstBreak.joint, firstBreak.of)}>Put what mends it in a draft</button>
        <span class="key">d</span>
        <span class="quiet small">{breakIn(shown.gates)?.remedy?.text}</span>
      </p>
    {/if}
  {:else if data.assets}
    <AssetsSheet view={data.assets} id={data.id} cluster={data.cluster} nowMs={frame.now.clock.nowMs} />
  {:else}
    <p class="mt-6 max-w-[44rem]">
      <Peg state="waiting" /> There is no class. A class names the driver and says how its volumes are made;
      <a class="word" href="/r/{encodeURIComponent(data.id)}/supply/design">design one</a>, or write it in
      <a class="word" href="/r/{encodeURIComponent(data.id)}/drafts">a draft</a>.
    </p>
  {/if}
</div>
