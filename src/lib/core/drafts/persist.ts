import type { ApiObject, Claim, Deployment, Facts, StatefulSet } from '../model';
import { asManifest } from '../manifest';

/** What is asked for when a workload moves from an ephemeral directory to a claim. */
export interface PersistWish {
  readonly kind: 'Deployment' | 'StatefulSet';
  readonly namespace: string;
  readonly name: string;
  /** The ephemeral directory, by the volume's name. */
  readonly volume: string;
  readonly className?: string;
  readonly size: string;
  readonly mode: 'ReadWriteOnce' | 'ReadWriteMany';
  /** Recreate is what works for a one-node claim; RollingUpdate shows how it hangs. */
  readonly strategy: 'Recreate' | 'RollingUpdate';
}

/** How a workload gets from an ephemeral directory to a claim, and what is lost on the way. */
export interface PersistPlan {
  readonly objects: readonly ApiObject[];
  readonly lost: string;
  readonly steps: readonly string[];
  /** The set has to be sent anew with its members kept; claim templates are immutable. */
  readonly replace: boolean;
  readonly warning?: string;
}

/** Ephemeral directories of a workload, with where they are mounted. */
export function ephemeralDirs(one: Deployment | StatefulSet): { volume: string; paths: readonly string[] }[] {
  const { spec } = one.spec.template;
  return (spec.volumes ?? [])
    .filter((two) => two.emptyDir)
    .map((two) => ({
      volume: two.name,
      paths: spec.containers.flatMap((container) =>
        (container.volumeMounts ?? []).filter((mount) => mount.name === two.name).map((mount) => mount.mountPath)
      )
    }));
}

const claimSpec = (wish: PersistWish): Claim['spec'] => ({
  accessModes: [wish.mode],
  ...(wish.className === undefined ? {} : { storageClassName: wish.className }),
  resources: { requests: { storage: wish.size } }
});

/** The manifests that move a workload's directory to a claim, what is lost by it, and the steps; undefined when there is no such directory. */
export function persist(facts: Facts, wish: PersistWish): PersistPlan | undefined {
  const found = facts.get(wish.kind, wish.namespace, wish.name);
  if (!found || !ephemeralDirs(found).some((one) => one.volume === wish.volume)) return undefined;
  const oneNode = wish.mode === 'ReadWriteOnce';
  const where =
    ephemeralDirs(found)
      .find((one) => one.volume === wish.volume)!
      .paths.join(', ') || wish.volume;
  const lost = `what lies in the ephemeral directory ${wish.volume} (${where}) of every pod of ${wish.name}: it goes with the old pods and is not copied`;
  const others = (found.spec.template.spec.volumes ?? []).filter((one) => one.name !== wish.volume);
  if (found.kind === 'StatefulSet') {
    const { template } = found.spec;
    const changed = {
      ...asManifest(found),
      spec: {
        ...found.spec,
        template: { ...template, spec: { ...template.spec, ...(others.length ? { volumes: others } : { volumes: undefined }) } },
        volumeClaimTemplates: [...(found.spec.volumeClaimTemplates ?? []), { metadata: { name: wish.volume }, spec: claimSpec(wish) }]
      }
    } as ApiObject;
    return {
      objects: [withoutUndefined(changed)],
      lost,
      replace: true,
      steps: [
        `Take ${wish.name} away, but keep its members: its claim templates can't be changed.`,
        `Send ${wish.name} anew with a claim template ${wish.volume} of ${wish.size}.`,
        'Its members are made anew, the highest ordinal first; each gets a claim of its own.',
        'Fill the volumes again from where the data can be had.'
      ]
    };
  }
  const name = `${wish.name}-${wish.volume}`;
  const claim: ApiObject = {
    apiVersion: 'v1',
    kind: 'PersistentVolumeClaim',
    metadata: { name, namespace: wish.namespace },
    spec: claimSpec(wish)
  };
  const volumes = (found.spec.template.spec.volumes ?? []).map((one) =>
    one.name === wish.volume ? { name: one.name, persistentVolumeClaim: { claimName: name } } : one
  );
  const changed = {
    ...asManifest(found),
    spec: {
      ...found.spec,
      strategy: { type: wish.strategy },
      template: { ...found.spec.template, spec: { ...found.spec.template.spec, volumes } }
    }
  } as ApiObject;
  const many = (found.spec.replicas ?? 1) > 1 && oneNode;
  return {
    objects: [claim, withoutUndefined(changed)],
    lost,
    replace: false,
    steps: [
      `Send the claim ${name} of ${wish.size}${wish.className ? ` from the class ${wish.className}` : ' from the default class'}.`,
      wish.strategy === 'Recreate'
        ? `${wish.name} ends its old pods first, then starts new ones on the claim. It is away for that long.`
        : `${wish.name} starts new pods before the old ones end. From the next rollout on the new pod waits for the volume that the old one holds.`,
      'Fill the volume again from where the data can be had.'
    ],
    ...(many
      ? { warning: `${found.spec.replicas} pods would share a claim that one node can have at a time; ask for ReadWriteMany, or one pod.` }
      : {})
  };
}

const withoutUndefined = (object: ApiObject): ApiObject => JSON.parse(JSON.stringify(object)) as ApiObject;
