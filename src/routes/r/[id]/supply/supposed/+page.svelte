<script lang="ts">
  import { goto } from '$app/navigation';
  import type { Api } from '$server/api/types';
  import { doCall } from '$ui/call.svelte';
  import { plural } from '$ui/format';
  import Say from '$ui/parts/Say.svelte';
  import DriverCardForm from '$ui/cards/DriverCardForm.svelte';
  import ProgramCardForm from '$ui/cards/ProgramCardForm.svelte';

  let { data } = $props();
  const view = $derived(data.view);
  const base = $derived(`/r/${encodeURIComponent(data.id)}`);
  const supposed = $derived(view.programs.filter((one) => one.card).length + view.drivers.filter((one) => one.card).length);
  const unknown = $derived([
    ...view.programs.filter((one) => !one.ships && one.behavesAs === 'nothing known').map((one) => one.image),
    ...view.drivers.filter((one) => !one.ships && !one.card).map((one) => one.driver)
  ]);
  const headline = $derived.by(() => {
    if (!view.programs.length && !view.drivers.length) return 'Nothing is supposed here: all that keeps data ships with the stand-in.';
    const [one] = unknown;
    if (!one) return `${plural(supposed, 'card')} ${supposed === 1 ? 'says' : 'say'} what is supposed here.`;
    return unknown.length === 1
      ? `Of ${one.split('/').at(-1)} nothing is known, so nothing of it can be proved or drilled.`
      : `Of ${unknown.length} programs and drivers nothing is known, so nothing of them can be proved or drilled.`;
  });

  async function put(body: Api['POST /rehearsals/{id}/supposed/draft']['body']) {
    const made = await doCall('POST', '/rehearsals/{id}/supposed/draft', { params: { id: data.id }, body });
    if (made) await goto(`${base}/drafts/${made.id}`);
  }
</script>

<svelte:head><title>What is supposed · {data.cluster.name} · Root Barn</title></svelte:head>

<div class="max-w-[62rem] px-[26px] py-5">
  <p class="quiet"><a class="word" href="{base}/supply">Supply</a> · what is supposed</p>
  <h1><Say text={headline} /></h1>
  <p class="quiet mt-1 max-w-[46rem]">
    What the stand-in doesn't ship behaves as its card says. Whatever is tried on it names the card. A likeness counts for members that are
    sent after it; times count at once.
  </p>
  {#if view.programs.length}
    <h2 class="mt-5">Programs</h2>
    <ul class="mt-2 border-t border-ink">
      {#each view.programs as program (program.image)}
        <li class="border-b border-line py-3"><ProgramCardForm {program} likenesses={view.likenesses} onput={put} {base} /></li>
      {/each}
    </ul>
  {/if}
  {#if view.drivers.length}
    <h2 class="mt-5">Drivers</h2>
    <ul class="mt-2 border-t border-ink">
      {#each view.drivers as driver (driver.driver)}
        <li class="border-b border-line py-3"><DriverCardForm {driver} onput={put} {base} /></li>
      {/each}
    </ul>
  {/if}
</div>
