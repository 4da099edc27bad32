import { claimsOf, memberName, ordinalsOf, zoneOf, type Facts, type Pod, type StorageClass } from '../model';
import {
  calledName,
  engineCards,
  enginePartOf,
  isEncrypted,
  listenFault,
  lockOf,
  nameCalled,
  servesTlsOnly,
  servicesTo,
  talksTls,
  tlsFault,
  tlsSecretOf,
  wayFault
} from '../standin';
import type { Check, EngineRule } from './types';
import { podsOver, seatsOf } from './over';
import { Client, podsIn, partsIn, workloadNamed } from './workload';

/** Settings of the program in a pod, as it read them when it started. */
const settingsOf = (facts: Facts, { metadata }: Pod): Readonly<Record<string, string>> =>
  facts.get('Process', metadata.namespace ?? '', metadata.name)?.spec.options ?? {};

const outcomeIs = (asked: string, expected: string, got: { outcome: string; says: string }, ok: boolean): Check => ({
  asked,
  expected,
  got: `${got.outcome}: ${got.says}`,
  ok
});

/** One member on a node, in as many zones as there are: what the workload asks for, and what it got. */
export const places: EngineRule = {
  id: 'places',
  title: 'Places',
  checks({ facts, workload }) {
    const checks = workload.sets.flatMap((set): Check[] => {
      const terms = set.spec.template.spec.affinity?.podAntiAffinity?.requiredDuringSchedulingIgnoredDuringExecution ?? [];
      const pods = ordinalsOf(set).map((ordinal) => facts.get('Pod', workload.namespace, memberName(set, ordinal)));
      const nodes = pods.map((pod) => pod?.spec.nodeName ?? '');
      const zones = new Set(nodes.map((node) => zoneOf(facts.get('Node', '', node))).filter(Boolean));
      const apart = terms.some((one) => one.topologyKey === 'kubernetes.io/hostname');
      return [
        {
          asked: `${set.metadata.name}: nodes of its members`,
          expected: apart ? 'one member on a node' : 'placed',
          got: nodes.map((node) => node || 'nowhere').join(', '),
          ok: nodes.every(Boolean) && (!apart || new Set(nodes).size === nodes.length)
        },
        {
          asked: `${set.metadata.name}: zones`,
          expected: terms.some((one) => one.topologyKey === 'topology.kubernetes.io/zone') ? 'one member in a zone' : 'known',
          got: [...zones].sort().join(', ') || 'the nodes name no zone',
          ok: !terms.some((one) => one.topologyKey === 'topology.kubernetes.io/zone') || zones.size === nodes.length
        }
      ];
    });
    return { checks, says: (ok) => `${ok} of ${checks.length} as asked` };
  }
};

/** Who can reach the workload, and who can't: inside by its services, outside only where a service says so. */
export const reach: EngineRule = {
  id: 'reach',
  title: 'Reach',
  checks({ facts, workload }) {
    const pods = podsIn(facts, workload).filter((pod) => servicesTo(facts, pod).length);
    const checks = pods.flatMap((pod): Check[] => {
      const outside = servicesTo(facts, pod).filter((one) => one.spec.type === 'LoadBalancer' || one.spec.type === 'NodePort');
      const inside = wayFault(facts, pod, 'inside');
      const out = wayFault(facts, pod, 'outside');
      return [
        { asked: `${pod.metadata.name} from inside`, expected: 'reached', got: inside ?? 'reached', ok: inside === undefined },
        {
          asked: `${pod.metadata.name} from outside`,
          expected: outside.length ? `reached, by ${outside.map((one) => one.metadata.name).join(', ')}` : 'not reached',
          got: out ?? 'reached',
          ok: (out === undefined) === outside.length > 0
        }
      ];
    });
    return { checks, says: (ok) => `${ok} of ${checks.length} as its services say` };
  }
};

/** The right password works, a wrong one and none don't. */
export const credentials: EngineRule = {
  id: 'credentials',
  title: 'Credentials',
  applies: ({ facts, workload }) => podsIn(facts, workload).some((pod) => lockOf(settingsOf(facts, pod)) !== 'none'),
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const locked = podsIn(facts, workload).filter((pod) => lockOf(settingsOf(facts, pod)) !== 'none');
    const op = workload.engine ? engineCards[workload.engine].harmless : { do: 'list' };
    const denied = (says: string) => says.includes('access denied');
    const checks = locked.flatMap((pod): Check[] => {
      const member = pod.metadata.name;
      const [right, wrong, none] = (['right', 'wrong', 'none'] as const).map((login) => client.ask(op, { member, login }));
      const what = lockOf(settingsOf(facts, pod)) === 'tokens' ? 'token' : 'password';
      return [
        outcomeIs(`${member} with the right ${what}`, 'let in', right!, !denied(right!.says)),
        outcomeIs(`${member} with a wrong one`, 'refused', wrong!, denied(wrong!.says)),
        outcomeIs(`${member} without one`, 'refused', none!, denied(none!.says))
      ];
    });
    // Accounts of a log broker: each may do what it was given, and nothing else.
    for (const { metadata, spec } of facts.list('Account', workload.namespace).filter((one) => one.spec.workload === workload.name)) {
      const account = metadata.name;
      const topics = facts.list('Topic', workload.namespace).filter((one) => one.spec.workload === workload.name);
      for (const { metadata: topic } of topics)
        for (const [wish, list] of [
          ['produce', spec.write],
          ['consume', spec.read]
        ] as const) {
          const may = list.includes(topic.name) || list.includes('*');
          const asked = { do: wish, place: topic.name, ...(wish === 'produce' ? { value: 'proof' } : {}) };
          const got = client.ask(asked, { account });
          checks.push(outcomeIs(`${account}: ${wish} ${topic.name}`, may ? 'let in' : 'refused', got, denied(got.says) !== may));
        }
      const wrong = client.ask({ do: 'topics' }, { account, login: 'wrong' });
      checks.push(outcomeIs(`${account} with a wrong password`, 'refused', wrong, denied(wrong.says)));
    }
    return { checks, says: (ok) => `${ok} of ${checks.length} as expected: whoever may, and nobody else` };
  }
};

const wantsEncryption = (one: StorageClass | undefined): boolean => one !== undefined && isEncrypted(one);

/** Every volume is encrypted where its class says so. */
export const encryption: EngineRule = {
  id: 'encryption',
  title: 'Encryption at rest',
  applies: ({ facts, workload }) =>
    workload.sets.some((set) =>
      (set.spec.volumeClaimTemplates ?? []).some((one) => wantsEncryption(facts.get('StorageClass', '', one.spec.storageClassName ?? '')))
    ),
  checks({ facts, workload }) {
    const pods = podsIn(facts, workload);
    const checks = pods.flatMap((pod: Pod) =>
      claimsOf(pod.spec, pod.metadata.name).flatMap((name): Check[] => {
        const claim = facts.get('PersistentVolumeClaim', workload.namespace, name);
        if (!claim) return [];
        const volume = facts.get('PersistentVolume', '', claim.spec.volumeName ?? '');
        const asset = facts.get('Asset', '', volume?.spec.csi?.volumeHandle ?? '');
        const encrypted = asset !== undefined && isEncrypted({ parameters: asset.spec.parameters } as StorageClass);
        return [
          {
            asked: `volume of ${claim.metadata.name}`,
            expected: 'encrypted',
            got: asset ? (encrypted ? 'encrypted' : 'not encrypted') : 'no volume',
            ok: encrypted
          }
        ];
      })
    );
    return { checks, says: (ok) => `${ok} of ${checks.length} volumes are encrypted` };
  }
};

/** Each member's certificate carries the name that it is called by, and holds today. */
export const certificate: EngineRule = {
  id: 'certificate',
  title: 'Certificate',
  applies: ({ facts, workload }) => podsIn(facts, workload).some((pod) => talksTls(settingsOf(facts, pod))),
  checks({ facts, workload }) {
    const checks = podsIn(facts, workload)
      .filter((pod) => talksTls(settingsOf(facts, pod)))
      .flatMap((pod): Check[] => {
        const carried = (asked: string, fault: string | undefined): Check => ({
          asked,
          expected: `in the certificate of ${tlsSecretOf(facts, pod) ?? 'the member'}`,
          got: fault ?? 'carried, and it holds',
          ok: fault === undefined
        });
        // From outside a member is called by the names that its services have there.
        const outside = servicesTo(facts, pod).filter((one) => one.spec.type === 'LoadBalancer' && servesTlsOnly(one, pod));
        return [
          carried(calledName(facts, pod), tlsFault(facts, pod)),
          ...outside.map((one) =>
            carried(`${nameCalled(facts, one, pod, true)} (${pod.metadata.name})`, listenFault(facts, one, pod, true))
          )
        ];
      });
    return { checks, says: (ok) => `${ok} of ${checks.length} names are carried` };
  }
};

/** Each member, asked by itself, knows as many members as there are. */
export const sizes: EngineRule = {
  id: 'sizes',
  title: 'Size',
  engines: ['multi-primary-sql', 'primary-standby-sql', 'document-set'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const members = partsIn(facts, workload, 'member').map((pod) => pod.metadata.name);
    // One over several clusters has members in all of them.
    const wanted = seatsOf(facts, workload)
      .flatMap((seat) => workloadNamed(seat.facts, workload.namespace, workload.name)?.sets ?? [])
      .flatMap(ordinalsOf).length;
    const checks = members.map((member): Check => {
      const reply = client.ask({ do: 'members' }, { member });
      return {
        asked: `${member}: how many members are there?`,
        expected: String(wanted),
        got: reply.count === undefined ? reply.says : `${reply.count}: ${reply.rows.map(([one]) => one).join(', ')}`,
        ok: reply.count === wanted
      };
    });
    return { checks, says: (ok) => `${ok} of ${checks.length} members see ${wanted}` };
  }
};

const waitsMs = [0, 20, 200, 1_000, 3_000, 6_000, 12_000];

/** What is written on one member is read on every other: all pairs, with how long it took to arrive. */
export const matrix: EngineRule = {
  id: 'matrix',
  title: 'Write here, read there',
  writes: true,
  engines: ['multi-primary-sql', 'primary-standby-sql', 'document-set'],
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const { world } = client;
    const members = partsIn(facts, workload, 'member').map((pod) => pod.metadata.name);
    const takesAll = workload.engine === 'multi-primary-sql';
    const cells: { writer: string; reader: string; lagMs: number | null; says: string }[] = [];
    const checks = members.flatMap((writer): Check[] => {
      const key = `proof-${writer}`;
      const wrote = client.ask({ do: 'write', place: 'proofs', key, value: `written by ${writer}` }, { member: writer });
      const leads = facts.get('Process', workload.namespace, writer)?.status;
      const may = takesAll || leads?.leader === writer;
      if (wrote.outcome !== 'acknowledged') {
        for (const reader of members) cells.push({ writer, reader, lagMs: null, says: wrote.says });
        return [
          outcomeIs(`${writer} writes`, may ? 'acknowledged' : 'refused: it takes no writes', wrote, !may && wrote.outcome === 'refused')
        ];
      }
      const wroteMs = world.nowMs;
      const open = new Map(members.map((reader) => [reader, null as number | null]));
      for (const waitMs of waitsMs) {
        if (world.nowMs < wroteMs + waitMs) world.runUntil(wroteMs + waitMs);
        for (const [reader, at] of open)
          if (at === null && client.ask({ do: 'read', place: 'proofs', key }, { member: reader }).rows.length)
            open.set(reader, world.nowMs - wroteMs);
        if (![...open.values()].includes(null)) break;
      }
      return members.map((reader): Check => {
        const lagMs = open.get(reader) ?? null;
        cells.push({ writer, reader, lagMs, says: lagMs === null ? 'not seen within 12 s' : `after ${lagMs} ms` });
        return {
          asked: `${writer} writes, ${reader} reads`,
          expected: `written by ${writer}`,
          got: lagMs === null ? 'not seen within 12 s' : `seen after ${lagMs} ms`,
          ok: lagMs !== null
        };
      });
    });
    const seen = cells.filter((one) => one.lagMs !== null);
    const worst = Math.max(0, ...seen.map((one) => one.lagMs!));
    return {
      checks,
      says: () => `${seen.length} pairs seen, the slowest after ${worst < 1_000 ? `${worst} ms` : `${(worst / 1_000).toFixed(1)} s`}`,
      matrix: { members, cells }
    };
  }
};

/** With too few members left nothing is accepted; with all back, everything that was acknowledged is there. */
export const refuses: EngineRule = {
  id: 'refuses',
  title: 'Refuses without a majority',
  writes: true,
  engines: ['multi-primary-sql', 'primary-standby-sql', 'document-set'],
  applies: ({ facts, workload }) => podsOver(facts, workload).length > 1 && partsIn(facts, workload, 'member').length > 0,
  checks({ facts, workload, fork }) {
    const client = new Client(fork(), workload);
    const members = podsOver(facts, workload).filter(({ pod }) => enginePartOf(pod)?.part === 'member');
    const pods = members.map(({ pod }) => pod);
    const left = Math.ceil(pods.length / 2) - (pods.length % 2);
    const away = pods.slice(Math.max(1, left));
    const alone = pods[0]!.metadata.name;
    const before = client.ask({ do: 'write', place: 'proofs', key: 'before', value: 'kept' });
    const clusters = [...new Set(members.map(({ seat }) => seat.cluster))];
    const gone = (cluster: string) => members.filter(({ pod, seat }) => seat.cluster === cluster && away.includes(pod));
    for (const cluster of clusters) {
      const nodes = gone(cluster).map(({ pod }) => pod.spec.nodeName ?? '');
      if (nodes.length) client.dark(nodes, cluster);
    }
    client.run(15_000);
    const during = client.ask({ do: 'write', place: 'proofs', key: 'during', value: 'must not count' }, { member: alone });
    for (const cluster of clusters) if (gone(cluster).length) client.dark([], cluster);
    client.run(240_000);
    const after = client.ask({ do: 'read', place: 'proofs', key: 'before' });
    const again = client.ask({ do: 'write', place: 'proofs', key: 'after', value: 'counts' });
    const checks = [
      outcomeIs('a write while all are there', 'acknowledged', before, before.outcome === 'acknowledged'),
      outcomeIs(
        `a write on ${alone} with ${away.map((pod) => pod.metadata.name).join(', ')} away`,
        'not acknowledged',
        during,
        during.outcome !== 'acknowledged'
      ),
      outcomeIs('what was acknowledged before, with all back', 'kept', after, after.rows[0]?.[1] === 'kept'),
      outcomeIs('a write with all back', 'acknowledged', again, again.outcome === 'acknowledged')
    ];
    return {
      checks,
      says: (ok) =>
        ok === checks.length ? 'nothing is accepted without a majority, and nothing was lost' : `${ok} of ${checks.length} as expected`
    };
  }
};
