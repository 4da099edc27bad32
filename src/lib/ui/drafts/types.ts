export interface DraftFile {
  readonly name: string;
  readonly text: string;
}
export interface TextEdit {
  readonly file?: string;
  readonly from: number;
  readonly to: number;
  readonly insert: string;
}
export interface Finding {
  readonly code: string;
  readonly severity: 'error' | 'warning' | 'note';
  readonly message: string;
  readonly remedy: string;
  readonly at: { readonly file?: string; readonly line?: number; readonly column?: number; readonly object?: string };
  readonly mend?: { readonly says: string; readonly edits: readonly TextEdit[] };
  readonly accepted?: { readonly reason: string; readonly until?: string };
}
export interface Link {
  readonly file?: string;
  readonly from: number;
  readonly to: number;
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
  readonly there: 'draft' | 'target' | 'nowhere';
}
export interface DraftObject {
  readonly kind: string;
  readonly namespace: string;
  readonly name: string;
  readonly file?: string;
  readonly line: number;
}
/** The shape of a finding's mark: broken, half filled, dotted. */
export const pegOf = { error: 'broken', warning: 'settling', note: 'unseen' } as const;
export const keyOf = (one: { kind: string; namespace: string; name: string }): string =>
  `${one.kind} ${one.namespace ? `${one.namespace}/` : ''}${one.name}`;
