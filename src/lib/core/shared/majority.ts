/** The least number of members that any two such numbers of them share one. Source: Ongaro and Ousterhout, Raft (2014), section 5. */
export const majorityOf = (n: number): number => Math.floor(n / 2) + 1;
