import { z } from 'zod';
import { CoreError } from '../shared';
import { askSchema, kindEntry, linkSchema, type ApiObject, type AskObject, type Kind, type Link, type Ref } from '../model';

/** What a person does to a world. Everything else follows from it. */
export type Action =
  /** `replace`: sets that are taken away first while their members are kept, so that what is immutable in them can be sent anew. */
  | { readonly type: 'send'; readonly objects: readonly ApiObject[]; readonly replace?: readonly Ref[] }
  /** `more`: what goes together with it (the parts of a driver, say). `force`: pods go at once, whether or not their nodes have ended them. `foreground`: what it owns goes first. */
  | {
      readonly type: 'remove';
      readonly ref: Ref;
      readonly keepMembers?: boolean;
      readonly force?: boolean;
      readonly foreground?: boolean;
      readonly more?: readonly Ref[];
    }
  /** A running pod writes one row into its first volume. */
  | { readonly type: 'write'; readonly namespace: string; readonly pod: string; readonly key: string; readonly value: string }
  /** What lies in a claim's volume is damaged on purpose. */
  | { readonly type: 'damage'; readonly namespace: string; readonly claim: string }
  /** A claim is made anew from a snapshot, under its own name; whoever uses it stops for that and starts again. */
  | { readonly type: 'restore'; readonly namespace: string; readonly claim: string; readonly snapshot: string }
  /** A client asks a workload's engine for something. `id` names the ask; it must be new in its namespace. */
  | { readonly type: 'ask'; readonly namespace: string; readonly id: string; readonly ask: AskObject['spec'] }
  /** A pod's programs end at once, without being told; its node starts them again. */
  | { readonly type: 'crash'; readonly namespace: string; readonly pod: string }
  /** The cluster is joined to another one by a link; from here on the two have one clock. Both ends are made. */
  | { readonly type: 'join'; readonly with: string; readonly link: Omit<Link['spec'], 'to'> };

const text = z.string().max(100_000);
const kind = z.custom<Kind>((value) => typeof value === 'string' && kindEntry(value) !== undefined, 'is no kind that is known here');
const ref = z.strictObject({ kind, namespace: z.string(), name: z.string() });
const object = z.looseObject({
  apiVersion: z.string(),
  kind,
  metadata: z.looseObject({ name: z.string(), namespace: z.string().optional() })
});
/** The only way in which actions have been written so far; one that says another version is newer than this program. */
const written = { version: z.literal(1).optional() };

const actionSchema = z.discriminatedUnion('type', [
  z.strictObject({ ...written, type: z.literal('send'), objects: z.array(object), replace: z.array(ref).optional() }),
  z.strictObject({
    ...written,
    type: z.literal('remove'),
    ref,
    keepMembers: z.boolean().optional(),
    force: z.boolean().optional(),
    foreground: z.boolean().optional(),
    more: z.array(ref).optional()
  }),
  z.strictObject({ ...written, type: z.literal('write'), namespace: text, pod: text, key: z.string(), value: z.string() }),
  z.strictObject({ ...written, type: z.literal('damage'), namespace: text, claim: text }),
  z.strictObject({ ...written, type: z.literal('restore'), namespace: text, claim: text, snapshot: text }),
  z.strictObject({ ...written, type: z.literal('ask'), namespace: text, id: text, ask: askSchema.shape.spec }),
  z.strictObject({ ...written, type: z.literal('crash'), namespace: text, pod: text }),
  z.strictObject({ ...written, type: z.literal('join'), with: text, link: linkSchema.shape.spec.omit({ to: true }) })
]);

/**
 * An action out of what was written down of it. Its objects are as they were taken then, so only that they are objects is looked at.
 * @throws {CoreError} when it is none that this version knows
 */
export function readAction(value: unknown): Action {
  const parsed = actionSchema.safeParse(value);
  if (parsed.success) return value as Action;
  const issue = parsed.error.issues[0];
  throw new CoreError(
    'readAction',
    'must be an action that this version knows',
    issue ? `${issue.path.join('.')}: ${issue.message}` : value
  );
}
