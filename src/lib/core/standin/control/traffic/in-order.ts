import type { Mail } from './site-types';

/** What was sent, in the order of each way: nothing overtakes what waits for a slow volume. @param before what is still on its way */
export function inOrder(sent: readonly Mail[], before: readonly Mail[]): readonly Mail[] {
  const lastMs = new Map<string, number>();
  const wayOf = ({ from, to }: Mail) => `${from}|${to}`;
  for (const mail of before) if (mail.late) lastMs.set(wayOf(mail), Math.max(mail.atMs, lastMs.get(wayOf(mail)) ?? 0));
  if (!lastMs.size && !sent.some((mail) => mail.late)) return sent;
  return sent.map((mail) => {
    const way = wayOf(mail);
    const least = lastMs.get(way);
    if (mail.from === mail.to || (!mail.late && least === undefined)) return mail;
    const atMs = Math.max(mail.atMs, least ?? 0);
    lastMs.set(way, atMs);
    return { ...mail, atMs, late: true };
  });
}
