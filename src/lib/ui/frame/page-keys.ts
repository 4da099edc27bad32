import { goto } from '$app/navigation';
import { prefs } from '../prefs.svelte';
import { isTyping } from './keys';

/** The keys of pages that stand outside a rehearsal: help, cover, theme, estate. `more` takes the page's own; it says whether it did. */
export function pageKey(event: KeyboardEvent, help: () => void, more: (key: string) => boolean = () => false): void {
  if (isTyping(event) || !prefs.singleKeys) return;
  if (event.key === '?') help();
  else if (event.key === 'c') prefs.setCovered(!prefs.covered);
  else if (event.key === 'n') prefs.setTheme(prefs.theme === 'paper' ? 'night' : 'paper');
  else if (event.key === 'e') void goto('/');
  else if (!more(event.key)) return;
  event.preventDefault();
}
