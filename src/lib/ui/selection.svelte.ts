/** What is selected on the sheet in front, for the frame's keys. */
class Selection {
  /** The object whose root line `t` shows. */
  ref = $state<{ kind: string; namespace: string; name: string } | null>(null);
  /** What `d` does on this sheet, where it does more than open the drafts. */
  draft = $state<(() => void) | null>(null);
  /** What `p` proves on this sheet. */
  prove = $state<(() => void) | null>(null);
}
export const selection = new Selection();
