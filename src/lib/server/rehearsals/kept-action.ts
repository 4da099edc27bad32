import { readAction, type Action, type TimedAction } from '$core/standin';

/** An action as it was written down; what it says is read when somebody asks for it. */
export class KeptAction implements TimedAction {
  private read: Action | undefined;

  constructor(
    readonly atMs: number,
    readonly body: string
  ) {}

  get action(): Action {
    return (this.read ??= readAction(JSON.parse(this.body)));
  }
}

/** Many actions on their way to another thread: texts go quicker than what they say. */
export interface PackedActions {
  readonly moments: readonly number[];
  readonly bodies: readonly string[];
}

export const packActions = (actions: readonly KeptAction[]): PackedActions => ({
  moments: actions.map((one) => one.atMs),
  bodies: actions.map((one) => one.body)
});

export const unpackActions = (given: readonly TimedAction[] | PackedActions): readonly TimedAction[] =>
  'bodies' in given ? given.bodies.map((body, i) => new KeptAction(given.moments[i]!, body)) : given;
