import { followedWorkloads, linkedPairs, mayFollow, overWorkloads, rightsTables, tryReach, type OverWorkload } from '$core/estate';
import { writeManifests } from '$core/manifest';
import { linkRemedy, lineSentence, overRemedy, rootLine, type Remedy } from '$core/rootline';
import { overNormalMs, type LinkFault } from '$core/standin';
import { factsIn, madeMs, type Facts, type Ref } from '$core/model';
import type { PlainRef, Scene } from './scene';

/** What mends something, as it travels: its manifests as YAML, and the cluster that they go to. */
export interface PlainRemedy {
  readonly text: string;
  readonly in: string;
  readonly yaml?: string;
}

const plain = (remedy: Remedy, here: string): PlainRemedy => ({
  text: remedy.text,
  in: remedy.in ?? here,
  ...(remedy.manifests ? { yaml: writeManifests(remedy.manifests) } : {})
});

/** How a workload over clusters stands, in a sentence, where its root line is to be looked at, and what breaks it in which cluster. */
function lineOf(facts: Facts, one: OverWorkload) {
  const part = one.parts.find((each) => each.members.some((member) => !member.ready));
  const member = part?.members.find((each) => !each.ready);
  const cluster = one.from?.cluster ?? part?.cluster;
  const ref: PlainRef | undefined = one.from
    ? { kind: one.from.kind, namespace: one.namespace, name: one.name }
    : member && { kind: 'Pod', namespace: one.namespace, name: member.name };
  const home = cluster === undefined ? undefined : factsIn(facts, cluster);
  const line = home && ref && rootLine(home, ref as Ref);
  const madeAtMs = one.from && home ? madeMs(home.get(one.from.kind, one.namespace, one.name)) : undefined;
  /** Since when its members look for each other, and how long that usually takes (ms). */
  const coming = part && madeAtMs !== undefined ? { sinceMs: madeAtMs, normalMs: [...overNormalMs] } : null;
  if (!line || cluster === undefined || !ref)
    return {
      sentence: `${one.name} holds in all its clusters.`,
      trace: null,
      state: part ? ('settling' as const) : ('holds' as const),
      coming,
      breaks: []
    };
  const breaks = one.parts.flatMap((each) => {
    const at = line.trunks.findIndex((trunk) => (trunk.cluster ?? cluster) === each.cluster && trunk.firstBreak !== undefined);
    const joint = line.joints.find((two) => two.state === 'broken' && two.trunks.includes(at));
    return joint ? [{ cluster: each.cluster, title: joint.title, says: joint.says }] : [];
  });
  const state = line.firstBreak ? ('broken' as const) : part ? ('settling' as const) : ('holds' as const);
  return { sentence: lineSentence(line), trace: { cluster, ref }, state, coming, breaks };
}

/** The clusters that have one clock with this one: links, workloads over several of them, rights of operators. */
export function linkedView({ facts }: Scene, _: object) {
  const here = facts.elsewhere?.here ?? '';
  const mend = (fault: LinkFault, from: string): PlainRemedy => {
    const its = factsIn(facts, from) ?? facts;
    return plain(linkRemedy(its, fault), from);
  };
  return {
    here,
    clusters: facts.elsewhere?.clusters ?? [],
    links: linkedPairs(facts).map(({ ends, fault, nameless, ...one }) => ({
      ...one,
      ends: { a: ends.a?.spec ?? null, b: ends.b?.spec ?? null },
      fault: fault ? { says: fault.says, remedy: mend(fault, one.a) } : null,
      nameless: {
        a: nameless.a ? { says: nameless.a.says, remedy: mend(nameless.a, one.a) } : null,
        b: nameless.b ? { says: nameless.b.says, remedy: mend(nameless.b, one.b) } : null
      }
    })),
    workloads: overWorkloads(facts).map((one) => ({ ...one, ...lineOf(facts, one) })),
    follows: followedWorkloads(facts).map(({ remedy, promote, back, ...one }) => ({
      ...one,
      remedy: remedy ? plain(remedy, one.cluster) : null,
      promote: promote ? writeManifests([promote]) : null,
      back: back ? { cluster: back.cluster, yaml: writeManifests([back.object]) } : null
    })),
    mayFollow: mayFollow(facts),
    rights: rightsTables(facts).map((table) => ({
      ...table,
      squares: table.squares.map((square) => {
        const home = factsIn(facts, table.cluster);
        const remedy = square.state === 'broken' && home ? overRemedy(home, square.cluster, square.namespace) : undefined;
        return { ...square, remedy: remedy ? plain(remedy, table.cluster) : null };
      })
    }))
  };
}

/** Has a pod in each cluster call the others by name, on a fork that is thrown away. */
export const reachView = (scene: Scene, _: object) => tryReach(scene.fork());
