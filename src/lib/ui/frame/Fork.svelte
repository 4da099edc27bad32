<script lang="ts">
  import { goto, invalidateAll } from '$app/navigation';
  import { doCall, notices } from '../call.svelte';
  import { clockText } from '../format';
  import Sheet from '../parts/Sheet.svelte';

  interface Props {
    id: string;
    rehearsal: { fork: string | null; cluster: string; clock: { nowMs: number } };
    flag: { hue: number; weave: string };
    onundo(): void;
    onclose(): void;
  }
  let { id, rehearsal, flag, onundo, onclose }: Props = $props();
  let name = $state('');

  async function fork(event: SubmitEvent) {
    event.preventDefault();
    const made = await doCall('POST', '/rehearsals/{id}/forks', {
      params: { id },
      body: {
        name: name.trim(),
        atMs: rehearsal.clock.nowMs
      }
    });
    onclose();
    if (!made) return;
    notices.say(`Forked at ${clockText(rehearsal.clock.nowMs)}; what you do now leaves the other rehearsal as it is.`);
    await goto(`/r/${encodeURIComponent(made.id)}/members`);
  }
  async function drop() {
    const gone = await doCall('DELETE', '/rehearsals/{id}', { params: { id } });
    onclose();
    if (!gone) return;
    await goto(`/r/${encodeURIComponent(rehearsal.cluster)}/members`);
    await invalidateAll();
  }
</script>

<Sheet title="Fork at {clockText(rehearsal.clock.nowMs)}" {flag} {onclose}>
  <form onsubmit={fork}>
    <label class="block">
      Name of the fork
      <!-- svelte-ignore a11y_autofocus -->
      <input
        autofocus
        class="mt-1 block w-full border border-ink bg-sheet px-2 py-1.5"
        bind:value={name}
        placeholder="driver-first"
        required
        pattern="[a-z0-9]([a-z0-9\-]*[a-z0-9])?"
        maxlength="63"
        title="lower-case letters, digits and -"
      />
    </label>
    <p class="quiet small mt-2">A copy of {rehearsal.cluster} from this moment on. It has a clock of its own.</p>
    <div class="mt-4 flex gap-2">
      <button class="push push-main">Fork</button>
      <button type="button" class="push" onclick={onclose}>Not now</button>
    </div>
  </form>
  <div class="mt-6 border-t border-line pt-4">
    <button class="word" onclick={onundo}>Take the latest action back</button>
    <span class="quiet small">with everything that followed from it</span>
    {#if rehearsal.fork}
      <p class="mt-2">
        <button class="word text-brick" onclick={drop}>Take this fork away</button> <span class="quiet small">the trunk stays</span>
      </p>
    {/if}
  </div>
</Sheet>
