const pollMs = 1_000;

/** Whether the server is heard of. Whoever calls it or listens to it tells; while it isn't, it is asked every second. */
class Contact {
  /** When contact was lost, in wall-clock ms; null while there is contact. */
  lostSince = $state<number | null>(null);
  private timer: ReturnType<typeof setTimeout> | undefined;

  lost(): void {
    if (this.lostSince !== null) return;
    this.lostSince = Date.now();
    this.ask();
  }
  back(): void {
    clearTimeout(this.timer);
    this.lostSince = null;
  }
  private ask(): void {
    this.timer = setTimeout(async () => {
      const heard = await fetch('/api/v1/session').then(
        async (answer) => answer.ok && signedIn((await answer.json()) as { name: string | null }),
        () => false
      );
      if (heard) this.back();
      else if (this.lostSince !== null) this.ask();
    }, pollMs);
  }
}
/** Whoever has to sign in (again) is taken there, and comes back. */
export function toSignIn(): void {
  location.assign(`/sign-in?to=${encodeURIComponent(location.pathname + location.search)}`);
}
function signedIn({ name }: { name: string | null }): boolean {
  if (name === null) toSignIn();
  return name !== null;
}
export const contact = new Contact();

/** Why a page stays as it is while there is no contact. */
export const lostWords = (since: number): string => `Root Barn doesn't answer since ${new Date(since).toLocaleTimeString('en-GB')}.`;
