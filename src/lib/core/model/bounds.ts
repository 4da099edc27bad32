/**
 * The most that one object may ask for. Bounds of what this program can bear, no rules of the cluster API; a refusal says so.
 */
export const bounds = {
  /** Members of a set or a deployment. */
  members: 5_000,
  /** The highest ordinal that a set may begin with. */
  ordinal: 1_000_000,
  /** Pods of a job, side by side or one after another, and tries of it. */
  jobPods: 1_000,
  /** Entries of one list that is counted through: zones, groups, nodes of an outage, rights. */
  entries: 1_000,
  /** Nodes of one layout together. */
  nodes: 2_000,
  /** Volumes of a backend. */
  volumes: 1_000_000,
  /** Bytes in one quantity: 1 EiB. */
  bytes: 2 ** 60
} as const;
