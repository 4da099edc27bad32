import { answerFaults, blueprintNamed, firstAnswers, sentenceFor, type Answers, type Remark } from '$core/blueprints';
import { changeSheet } from '$core/change';
import { writeManifests } from '$core/manifest';
import { askOf, factsIn, nodeReady, repellingTaint, roomOf, type ApiObject, type Facts, type Service, type StatefulSet } from '$core/model';

import { survival } from '$core/estate';
import { apartFault, overRemedy } from '$core/rootline';
import { clusterVersion, imageCard, imageVersionFault, pullOf, servesTlsOnly, setFor } from '$core/standin';
import type { Scene } from './scene';

/** Stands for a secret's value until the draft is made. */
export const secretToCome = '(made when it is put in a draft)';

/** Nodes that could take one member of a set each, largest first. */
function nodesFor(facts: Facts, set: StatefulSet): number {
  const ask = askOf(set.spec.template.spec);
  return facts.list('Node').filter((node) => {
    if (!nodeReady(node) || node.spec?.unschedulable || repellingTaint(node, set.spec.template.spec.tolerations)) return false;
    const room = roomOf(node);
    const use = facts.useOf(node.metadata.name);
    return use.milliCpu + ask.milliCpu <= room.milliCpu && use.memoryBytes + ask.memoryBytes <= room.memoryBytes;
  }).length;
}

function fitRemarks(facts: Facts, objects: readonly ApiObject[]): Remark[] {
  return objects.flatMap((one): Remark[] => {
    if (one.kind !== 'StatefulSet') return [];
    const members = one.spec.replicas ?? 1;
    const nodes = nodesFor(facts, one);
    const all = facts.list('Node').length;
    const ask = one.spec.template.spec.containers[0]?.resources?.requests;
    const apart = one.spec.template.spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution?.length;
    if (!nodes)
      return [
        { state: 'broken', says: `No node has room for a member of ${one.metadata.name}: it asks for ${ask?.cpu} CPU and ${ask?.memory}.` }
      ];
    if (!apart) return [];
    if (nodes < members)
      return [
        {
          state: 'broken',
          says: `${members} members of ${one.metadata.name}, one on a node, and ${nodes} of ${all} nodes have room: ${members - nodes} will wait for ever.`
        }
      ];
    return [
      {
        state: nodes > members ? 'holds' : 'settling',
        says: `${members} ${members === 1 ? 'member' : 'members'} of ${one.metadata.name} find a place on ${nodes} of ${all} nodes${nodes > members ? '; with one node lost they still do.' : '; with one of them lost, a member has nowhere to go.'}`
      }
    ];
  });
}

function classRemarks(facts: Facts, answers: Answers, id: string): Remark[] {
  const one = facts.get('StorageClass', '', answers.class ?? '');
  if (!one) return answers.class ? [{ state: 'broken', says: `The class ${answers.class} doesn't exist on this cluster.` }] : [];
  const found: Remark[] = [];
  const pool = one.provisioner === 'pool.standin.example' ? facts.list('Pool')[0] : undefined;
  if (pool && id === 'object-store' && pool.spec.copies > 1)
    found.push({
      state: 'settling',
      says: `The pool keeps ${pool.spec.copies} copies under a store that already keeps parity: every byte asked for costs ${pool.spec.copies} of disk.`
    });
  if ((one.reclaimPolicy ?? 'Delete') === 'Delete')
    found.push({ state: 'settling', says: `Class ${one.metadata.name} deletes the data with its claim.` });
  if (!one.allowVolumeExpansion && id !== 'shared-files')
    found.push({ state: 'settling', says: `Class ${one.metadata.name} can't grow volumes: what is full stays full.` });
  return found;
}

/** What a workload over several clusters survives, and where its operator may not do its work; told before anything is sent. */
function overRemarks(facts: Facts, objects: readonly ApiObject[]): Remark[] {
  return objects.flatMap((one): Remark[] => {
    if (one.kind !== 'DocumentSet' || !one.spec.clusters) return [];
    const clusters = one.spec.clusters;
    const here = facts.elsewhere?.here;
    const apart = clusters.flatMap((a, i) =>
      clusters.slice(i + 1).flatMap((b): [string, string][] => {
        const mine = factsIn(facts, a.cluster);
        return !mine || apartFault(mine, b.cluster) ? [[a.cluster, b.cluster]] : [];
      })
    );
    const losses = survival({ clusters, leads: clusters[0]!.cluster, apart, ...(here === undefined ? {} : { operator: here }) });
    const lost = losses.filter((loss) => loss.is === 'cluster');
    const fatal = lost.filter((loss) => loss.state === 'broken');
    const rights = clusters.flatMap(({ cluster }) => {
      const remedy = cluster === here ? undefined : overRemedy(facts, cluster, one.metadata.namespace ?? '');
      return remedy
        ? [{ state: 'broken' as const, says: `Its operator can't look after ${one.metadata.namespace} of ${cluster} yet. ${remedy.text}` }]
        : [];
    });
    return [
      fatal.length
        ? {
            state: 'broken',
            says: `It doesn't survive the loss of any one cluster: ${fatal.map((loss) => `${loss.label}, ${loss.says}`).join('; ')}.${clusters.length === 2 ? ' With two clusters one always holds too many; put a member in a third.' : ''}`
          }
        : { state: 'holds', says: `Any one of its clusters may be lost: ${lost.map((loss) => `${loss.label}, ${loss.says}`).join('; ')}.` },
      ...apart.map(([a, b]): Remark => ({ state: 'settling', says: `Nothing comes through between ${a} and ${b} as it is linked now.` })),
      ...rights
    ];
  });
}

function publicRemarks(objects: readonly ApiObject[]): Remark[] {
  const sets = objects.filter((one) => one.kind === 'StatefulSet');
  const plain = (one: Service) => !sets.some((set) => servesTlsOnly(one, set.spec.template));
  const open = objects.filter((one) => one.kind === 'Service' && one.spec.type === 'LoadBalancer' && plain(one));
  return open.length
    ? [
        {
          state: 'settling',
          says: `${open.length} ${open.length === 1 ? 'address is' : 'addresses are'} public and without TLS. A tunnel would do for a few people.`
        }
      ]
    : [];
}

function imageRemarks(facts: Facts, objects: readonly ApiObject[]): Remark[] {
  const images = new Map(
    objects.flatMap((one) =>
      one.kind === 'StatefulSet' || one.kind === 'Deployment' || one.kind === 'DaemonSet'
        ? one.spec.template.spec.containers.map(
            (two) => [two.image, { namespace: one.metadata.namespace ?? '', spec: one.spec.template.spec }] as const
          )
        : []
    )
  );
  return [...images].flatMap(([image, puller]): Remark[] => {
    const { fault } = pullOf(facts, image, puller);
    const { licence } = imageCard(image);
    const unfit = imageVersionFault(image, clusterVersion(facts));
    return [
      ...(fault ? [{ state: 'broken' as const, says: `${image} can't be pulled here: ${fault.message}.` }] : []),
      ...(unfit ? [{ state: 'broken' as const, says: `${unfit}.` }] : []),
      ...(licence ? [{ state: 'settling' as const, says: `The licence of ${image} is ${licence}.` }] : [])
    ];
  });
}

/** A blueprint's answers looked over against a cluster: what is wrong, what follows, and the manifests. */
export function blueprintView({ facts }: Scene, { id, answers: given }: { id: string; answers?: Answers }) {
  const blueprint = blueprintNamed(id);
  if (!blueprint) return undefined;
  const answers = { ...firstAnswers(blueprint, facts), ...given };
  const faults = answerFaults(blueprint, answers, facts);
  const classes = facts.list('StorageClass').map((one) => one.metadata.name);
  const head = {
    id,
    title: blueprint.title,
    questions: blueprint.questions,
    sentence: sentenceFor(blueprint, answers),
    answers,
    classes,
    faults
  };
  // A class that isn't there yet spoils nothing but the sending.
  const onlyClass =
    faults.length > 0 && faults.every((one) => blueprint.questions.find((two) => two.id === one.question)?.kind === 'class');
  const figures = faults.length && !onlyClass ? [] : blueprint.figures(answers);
  if (onlyClass)
    return {
      ...head,
      figures,
      drawn: blueprint.drawn?.(answers) ?? [],
      ladder: blueprint.ladder?.(answers) ?? null,
      remarks: [] as Remark[],
      alters: null,
      yaml: '',
      secrets: [] as string[]
    };
  if (faults.length)
    return { ...head, figures: [], drawn: [], ladder: null, remarks: [] as Remark[], alters: null, yaml: '', secrets: [] as string[] };
  const objects = blueprint.objects(answers, () => secretToCome);
  // What operators would make of custom resources is looked over too.
  const whole = [...objects, ...objects.flatMap((one) => setFor(one) ?? [])];
  // What stands as it would be sent (the parts of an operator, say) is not altered.
  const taken = changeSheet(facts, objects).altered;
  const listed = taken.slice(0, 3).map(({ ref }) => `${ref.kind} ${ref.name}`);
  const alters = taken.length
    ? `Sending this alters what stands: ${listed.join(', ')}${taken.length > 3 ? ` and ${taken.length - 3} more` : ''}. Give it another name to deploy a new one.`
    : null;
  const remarks: Remark[] = [
    ...fitRemarks(facts, whole),
    ...classRemarks(facts, answers, id),
    ...overRemarks(facts, objects),
    ...publicRemarks(objects),
    ...imageRemarks(facts, whole)
  ];
  return {
    ...head,
    figures,
    drawn: blueprint.drawn?.(answers) ?? [],
    ladder: blueprint.ladder?.(answers) ?? null,
    remarks,
    alters,
    yaml: writeManifests(objects),
    secrets: objects.filter((one) => one.kind === 'Secret').map((one) => one.metadata.name)
  };
}

export type BlueprintSheet = NonNullable<ReturnType<typeof blueprintView>>;
