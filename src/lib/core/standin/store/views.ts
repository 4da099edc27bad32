import { View, type History, type Store } from './store';

/** So many views stand along a long journal, so that no moment is far from one of them. */
const mostViews = 18;
/** Below this many changes a journal needs one view only. */
const shortJournal = 1_500;
const changesAStep = 400;

/** Views spread along a journal: looking at any moment moves the nearest one. */
export class Views {
  private readonly views: View[];

  constructor(private readonly history: History) {
    this.views = [new View(history)];
  }

  /** The facts of a moment (virtual ms). */
  at(atMs: number): Store {
    const target = this.history.countAt(atMs);
    let nearest = this.views[0]!;
    for (const view of this.views) if (Math.abs(view.position - target) < Math.abs(nearest.position - target)) nearest = view;
    return nearest.at(atMs);
  }

  /** Spreads views over the whole journal, a little at each step, so that others get their turn between. */
  *spread(): Generator<void> {
    const total = this.history.changes.length;
    const wanted = Math.min(mostViews, Math.ceil(total / shortJournal));
    for (let i = this.views.length; i < wanted; i += 1) {
      const view = new View(this.history);
      const place = Math.floor((total * i) / wanted);
      while (view.position < place) {
        view.moveTo(Math.min(place, view.position + changesAStep));
        yield;
      }
      this.views.push(view);
    }
  }
}
