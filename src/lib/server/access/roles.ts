/** Who may what: a reader looks, checks and reads dumps; an engineer also drafts, rehearses and proves; a keeper also keeps accounts, backups and clusters. */
export const roles = ['reader', 'engineer', 'keeper'] as const;
export type Role = (typeof roles)[number];

/** Whether a role holds what another one may. */
export const holds = (role: Role, needed: Role): boolean => roles.indexOf(role) >= roles.indexOf(needed);

/** Somebody who calls. */
export interface Caller {
  readonly name: string;
  readonly role: Role;
  /** The network address that the call came from. */
  readonly peer: string;
  /** Hash of the session, for those who signed in. */
  readonly session?: string;
}

/** Without sign-in there is one person, who may everything. */
export const localCaller: Caller = { name: 'local', role: 'keeper', peer: '' };
