import type * as Help from '../help';

/** The help's texts: many and seldom asked for, so that no page loads them before somebody does. */
export class HelpTexts {
  /** Undefined until they are there. */
  texts = $state.raw<typeof Help>();
  /** They could not be loaded. */
  failed = $state(false);

  constructor() {
    import('../help').then(
      (module) => (this.texts = module),
      () => (this.failed = true)
    );
  }
}
