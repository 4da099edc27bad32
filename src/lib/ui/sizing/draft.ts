import { goto } from '$app/navigation';
import type { Answers } from '$server/api/types';
import { notices } from '../call.svelte';

/** Opens a draft that was made of a sizing, and says what of the sizing isn't in it. */
export async function openDraft(id: string, made: Answers['SizingDraft'] | undefined): Promise<void> {
  if (!made) return;
  await goto(`/r/${encodeURIComponent(id)}/drafts/${made.id}`);
  if (made.not) notices.say(`Not in the draft: ${made.not}.`);
}
