import type { ApiObject, BackupPlan, Claim, Facts, Mirror, Pod, PodSpec, Ref, Snapshot, StatefulSet, StorageClass, Volume } from '../model';

/** The five states of a joint. */
export type State = 'holds' | 'settling' | 'broken' | 'waiting' | 'unseen';

/** What a joint's state is read from: a field and its value, or an event. */
export interface Evidence {
  readonly object: Ref;
  readonly field?: string;
  readonly value?: string;
  readonly event?: { readonly reason: string; readonly message: string; readonly count: number };
  /** Since when, or when, in virtual ms. */
  readonly atMs?: number;
}

/** What mends a break, in words and, where it can be written down, as objects to send. */
export interface Remedy {
  readonly text: string;
  readonly manifests?: readonly ApiObject[];
  /** The cluster that it is to be sent to, where that is another one than was asked about. */
  readonly in?: string;
  /** What the press that puts it in a draft is called, where there are two. */
  readonly press?: string;
  /** Another way, to choose from. */
  readonly also?: { readonly press: string; readonly manifests: readonly ApiObject[] } | undefined;
}

/** What one joint looks like at one place. */
export interface Look {
  readonly state: State;
  /** The name that stands beside the joint. */
  readonly label: string;
  /** One plain sentence (without a full stop). */
  readonly says: string;
  /** The cluster that it is looked at in, where that is another one than was asked about. */
  readonly cluster?: string;
  readonly objects: readonly Ref[];
  readonly evidence: readonly Evidence[];
  readonly remedy?: Remedy;
  /** Normal range of a settling step, and since when it runs, in virtual ms. */
  readonly settling?: { readonly sinceMs: number; readonly normalMs: readonly [number, number] };
  /** A wait far past its normal band whose reason can't be seen: since when, in virtual ms. */
  readonly overdueSinceMs?: number;
}

/** A claim as seen from a member: the object where it exists, else what it will ask for. */
export interface ClaimPlace {
  readonly name: string;
  readonly namespace: string;
  readonly claim?: Claim;
  readonly spec?: Claim['spec'];
  readonly class?: StorageClass;
  /** Where somebody asked about a volume by itself, or about a snapshot of the claim. */
  readonly volume?: Volume;
  readonly snapshot?: Snapshot;
}

/** Where one looks from: one member (or one claim alone). */
export interface Position {
  readonly facts: Facts;
  readonly namespace: string;
  readonly podName?: string;
  readonly pod?: Pod;
  /** The pod's spec, or the template it will be made from. */
  readonly spec?: PodSpec;
  readonly labels?: Readonly<Record<string, string>>;
  readonly set?: StatefulSet;
  /** Who makes the member, where that is no set or the member isn't there. */
  readonly maker?: ApiObject;
  /** The custom resource that was asked about, whose operator stands here or made the set. */
  readonly resource?: ApiObject;
  /** Where that resource stands, and the cluster that the member stands in, where it has members in several. */
  readonly over?: { readonly home: Facts; readonly cluster: string };
  /** The plan of copies that was asked about; the rest is where its last run broke. */
  readonly plan?: BackupPlan;
  /** The mirror that was asked about; the rest is where it can't go on. */
  readonly mirror?: Mirror;
  readonly ordinal?: number;
  readonly claims: readonly ClaimPlace[];
}

/** How a joint is judged. One file each; `perClaim` joints are judged once for each claim of a member. */
interface JointCard {
  readonly id: string;
  readonly title: string;
  readonly why: string;
  /** Whether members meet in it; the others (placing, attaching, ...) stay each member's own. */
  readonly shared: boolean;
}
/** A joint with the look that tells how it stands: once, or once a claim. */
export type JointRule =
  | (JointCard & { readonly perClaim: true; look(at: Position, claim: ClaimPlace): Look | undefined })
  | (JointCard & { readonly perClaim: false; look(at: Position): Look | undefined });
