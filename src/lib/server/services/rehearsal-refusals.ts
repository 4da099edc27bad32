import { latestMs, type Broken, type Clock } from '../rehearsals/clock';
import type { Refusal } from './answer';

/** Why something isn't done with a rehearsal: what, where, and what to do. */
export const readOnlyDump = (id: string): Refusal => ({
  code: 'read-only',
  status: 409,
  title: 'This is a dump',
  detail: `${id} is what was read of a real cluster; nothing can be sent to it, and its clock stands still.`,
  remedy: 'Rehearse from here: that makes a stand-in which goes on from its state.'
});

/** Why nothing can be done in a rehearsal that can't be stood up whole. */
export const brokenRehearsal = (id: string, { after, why }: Broken): Refusal => ({
  code: 'broken-rehearsal',
  status: 409,
  title: "This rehearsal can't be stood up whole",
  detail: `${id} stands as after ${after} ${after === 1 ? 'action' : 'actions'}; ${why}.`,
  remedy: 'Take the latest actions back (undo) until it stands again, export it, or take the fork away.'
});

export const notCarriedOut = (why: string): Refusal => ({
  code: 'not-carried-out',
  status: 422,
  title: "The stand-in can't carry this out",
  detail: `It was looked at and taken, but carrying it out failed: ${why}.`,
  remedy: 'Nothing of it was kept. Correct what was sent; the log says more.'
});

export const worldsFull = (used: string, most: string): Refusal => ({
  code: 'memory',
  status: 507,
  title: 'There is no room for more rehearsals',
  detail: `The worlds that are held together take ${used} of the ${most} that this program may take.`,
  remedy: 'Take forks away that nobody needs, send less at a time, or start with a larger --most-memory.'
});

export const readTooLong = (mostMs: number): Refusal => ({
  code: 'too-large',
  status: 413,
  title: 'This takes too long to read',
  detail: `It was not read within ${mostMs / 1_000} s, and is given up.`,
  remedy: 'Send less at a time: fewer objects, or smaller documents.'
});

export const packTooLong: Refusal = {
  code: 'too-large',
  status: 413,
  title: 'This takes too long to pack',
  detail: 'No answer was found within 20 s, and it is given up.',
  remedy: 'Take members that are alike together, or ask with fewer kinds of nodes.'
};

export const tooFarAhead = (untilMs: number): Refusal => ({
  code: 'bad-value',
  status: 400,
  title: 'Too far ahead',
  detail: `A rehearsal runs for ${latestMs / 86_400_000} days at the most; ${untilMs} ms is later.`,
  remedy: `Give untilMs up to ${latestMs}.`
});

export const staleRevision = (revision: number, current: { revision: number; clock: Clock }): Refusal => ({
  code: 'stale-revision',
  status: 409,
  title: 'Somebody else has changed this rehearsal',
  detail: `You saw revision ${revision}; it is at ${current.revision} now.`,
  remedy: 'Look at the change sheet again and send once more; what you wrote is kept.',
  current
});

export const nameNeeded = (cluster: string, confirm: string | undefined, lost: readonly { readonly says: string }[]): Refusal => ({
  code: 'name-needed',
  status: 409,
  title: 'Data would be lost',
  detail:
    confirm === undefined
      ? `Sending this loses data: ${lost.map((line) => line.says).join('; ')}.`
      : `"${confirm}" is not the name of the cluster that this goes to.`,
  remedy: `Give the cluster's name, ${cluster}, to confirm it.`
});

export const nothingToUndo = (): Refusal => ({
  code: 'nothing-to-undo',
  status: 409,
  title: 'Nothing to take back',
  detail: 'Nothing has been sent or taken away in this rehearsal.',
  remedy: 'There is nothing to do.'
});

export const badForkName = (name: string, fault: string): Refusal => ({
  code: 'bad-name',
  status: 400,
  title: 'This is no name for a fork',
  detail: `The name "${name}" ${fault}.`,
  remedy: 'Write lower-case letters, digits and "-", e.g. driver-first.'
});

export const nothingThereYet = (moment: number, frontierMs: number): Refusal => ({
  code: 'bad-value',
  status: 400,
  title: 'Nothing has happened there yet',
  detail: `The rehearsal has run to ${frontierMs} ms; ${moment} ms is later.`,
  remedy: `Fork at ${frontierMs} ms or before, or run the clock ahead first.`
});

export const forkTaken = (forkId: string): Refusal => ({
  code: 'name-taken',
  status: 409,
  title: 'There is such a fork already',
  detail: `${forkId} exists.`,
  remedy: 'Choose another name, or take the old fork away.'
});

export const trunkStays = (id: string): Refusal => ({
  code: 'trunk-stays',
  status: 409,
  title: "A trunk can't be taken away",
  detail: `${id} is the trunk of its cluster.`,
  remedy: 'Only forks can be taken away.'
});

export const noOther = (id: string, fork: string | null): Refusal => ({
  code: 'not-found',
  status: 404,
  title: 'There is nothing to link with',
  detail: `There is no rehearsal ${id}.`,
  remedy:
    fork === null
      ? 'GET /api/v1/clusters lists the clusters.'
      : `A fork is linked with the fork of the same name: fork the other cluster as "${fork}", or link the clusters themselves.`
});

export const linkWithItself = (id: string): Refusal => ({
  code: 'cannot-join',
  status: 422,
  title: 'A cluster is not linked with itself',
  detail: `${id} can't be linked with itself.`,
  remedy: 'Choose another cluster.'
});

/** Why a cluster that is linked with others isn't taken away, or taken along, by itself. */
export const stillLinked = (name: string, others: readonly string[]): Refusal => ({
  code: 'still-linked',
  status: 409,
  title: 'This cluster is linked with others',
  detail: `${name} has one clock with ${others.join(', ')}; without it what happened there could not be told again.`,
  remedy: 'Take the link back first: undo, in the rehearsal where it was made, everything that was done since.'
});
