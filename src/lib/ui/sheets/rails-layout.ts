import type { SupplyView } from '$server/views/supply';

const row = 76;
/** Widths of the three rails and of the joins between them, in px. */
export const widths = { backend: 278, gapA: 94, driver: 250, gapB: 96, class: 318 };

/** Drivers stand in the middle of their classes; backends beside their driver. */
export function layoutRails(view: Pick<SupplyView, 'drivers' | 'classes' | 'backends'>) {
  let next = 0;
  const drivers = view.drivers.map((driver) => {
    const classes = view.classes.filter((one) => one.driver === driver.id);
    const backends = view.backends.filter((one) => one.driver === driver.id);
    const height = Math.max(1, classes.length, backends.length);
    const top = next;
    next += height;
    const spread = (count: number, i: number) => (top + (height - count) / 2 + i) * row + 46;
    return {
      driver,
      y: spread(1, 0),
      classes: classes.map((card, i) => ({ card, y: spread(classes.length, i) })),
      backends: backends.map((card, i) => ({ card, y: spread(backends.length, i) }))
    };
  });
  return { drivers, height: Math.max(1, next) * row + 16 };
}

/** A join from one rail to the next. */
export const curve = (x1: number, y1: number, x2: number, y2: number): string =>
  `M${x1} ${y1}C${(x1 + x2) / 2} ${y1} ${(x1 + x2) / 2} ${y2} ${x2} ${y2}`;
