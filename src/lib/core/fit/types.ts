/** A value that would mend a square, with where it stands in the manifests. */
export interface FitMend {
  readonly row: string;
  readonly places: readonly string[];
  readonly value: string;
}

/** One need held against one cluster. `tight`: it holds, and nothing is to spare. */
export interface FitSquare {
  readonly need: string;
  readonly state: 'holds' | 'tight' | 'broken' | 'unseen';
  readonly says: string;
  /** The field that differs, where one does. */
  readonly field?: string;
  /** Values that mend it, taken as given in the rows below. */
  readonly mends?: readonly FitMend[];
}
