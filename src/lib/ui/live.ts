/** Calls back when something happens to a rehearsal ('all' for every one), at most every 180 ms. Comes back by itself after a break. */
export function watchLive(rehearsal: string, changed: () => void): () => void {
  const source = new EventSource(`/api/v1/rehearsals/${encodeURIComponent(rehearsal)}/live`);
  let timer: ReturnType<typeof setTimeout> | undefined;
  const soon = () => {
    timer ??= setTimeout(() => {
      timer = undefined;
      changed();
    }, 180);
  };
  for (const kind of ['clock', 'acted', 'proved', 'forked', 'reload']) source.addEventListener(kind, soon);
  return () => {
    clearTimeout(timer);
    source.close();
  };
}
