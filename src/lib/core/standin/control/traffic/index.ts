import { decode } from 'js-base64';
import { isReady, type AskObject, type Pod, type Process } from '../../../model';
import { hash32 } from '../../../shared';
import { keptApartFrom } from '../../provider/outages';
import { copyOfPlace, engineFor, hasEngine } from '../../engines/registry';
import { markOf, passwordFault } from '../../engines/options';
import { lockOf, loginFault } from '../../engines/logins';
import { engineCards, servesClients, type EngineId } from '../../cards/engines';
import { enginePartOf, workloadOf, workloadOfTemplate } from '../../provider/images';
import { wayFault } from '../../provider/reach';
import type { Store } from '../../store';
import { splitKey, type ClusterAccess, type Loop } from '../loop';
import { followsFault } from '../mirrors/facts';
import { overMark } from '../../provider/over';
import { inOrder } from './in-order';
import { keepSite, takeSite } from './kept-sites';
import { reachesOver, trafficMemory } from './over';
import { WorldSite, type Mail } from './site';

/** What is in flight in one workload. Plain data, replaced and never changed in place: part of snapshots. */
interface Traffic {
  readonly mail: readonly Mail[];
  readonly nth: number;
}

/** How often what waits for a program that hangs is looked at again, in ms. */
const heldMs = 1_000;

/** How long a client waits for an answer. */
const askTimeoutMs = 30_000;

const workloadKey = (one: Process): string => `${one.metadata.namespace}/${one.spec.workload}`;
const allKeys = (store: Store, namespace?: string): string[] => [...new Set(store.list('Process', namespace).map(workloadKey))];

/** A client asks a member of another cluster by name: it comes to it over the link, if at all. */
function askFar(site: WorldSite, name: string, { spec }: AskObject, { metadata }: Pod): void {
  if (!site.reach(`~${name}`, metadata.name))
    return site.answer(name, { outcome: 'refused', says: `${metadata.name} stands in another cluster, and nothing comes through to it` });
  site.timeout(name, askTimeoutMs);
  if (!site.hangs(metadata.name)) site.engine!.ask(site, { id: name, op: spec.op, member: metadata.name });
}

/** Asks that are new: they go on their way, or come back at once because there is none. */
function takeAsk(site: WorldSite, { name, ask, world }: ReturnType<WorldSite['asks']>[number]): void {
  const { member, way, login, account, op } = ask.spec;
  const back = (says: string) => site.answer(name, { outcome: 'refused', says });
  const follows = followsFault(world.store, ask);
  if (follows !== undefined) return back(follows);
  const pods = site.podsAsked(member, world);
  if (!pods.length) return back(member === undefined ? 'no member runs' : `${member} doesn't run`);
  const far = pods.find((pod) => site.worldOf(pod.metadata.name) !== world);
  if (far) return askFar(site, name, ask, far);
  const outages = world.store.list('Outage');
  const space = ask.metadata.namespace ?? '';
  const cutOff = (pod: Pod) => keptApartFrom(outages, space, pod.metadata.name, 'clients');
  const comes = (pod: Pod) => !wayFault(world.store, pod, way) && !cutOff(pod);
  const first = pods.find(comes);
  if (!first) return back(wayFault(world.store, pods[0]!, way) ?? `${pods[0]!.metadata.name} doesn't answer: clients are cut off from it`);
  const as = account === undefined ? undefined : shown(world, ask, account);
  const options = site.options(first.metadata.name);
  const fault = as
    ? undefined
    : (loginFault(world.store, options, login) ??
      (login === 'right' && lockOf(options) === 'password' ? passwordFault(world.store, first, options) : undefined));
  if (fault) return back(`access denied: ${fault}`);
  if (op.do === 'put-back' && op.place !== undefined && copyOfPlace(site.engineId ?? '', op.value ?? '', op.place) !== op.value)
    return back(`not all that is to be put back lies in ${op.place}`);
  site.timeout(name, askTimeoutMs);
  // A service leads to any member that counts as ready; whoever comes to one that hangs waits in vain.
  const choose = outages.length > 0 || site.spans || pods.some((pod) => site.hangs(pod.metadata.name));
  const open = choose ? pods.filter((pod) => isReady(pod) && servesClients(enginePartOf(pod)) && comes(pod)) : [];
  const led = member === undefined && open.length ? open[hash32(name, world.seed) % open.length]! : first;
  if (site.hangs(led.metadata.name)) return;
  // A client that can't come to whoever leads asks the member that it does come to; where any of them will do, that one anyway.
  const leads = site.processes.find((one) => one.metadata.name === led.metadata.name)?.status?.leader;
  const anyWillDo = hasEngine(site.engineId ?? '') && engineCards[site.engineId as EngineId].asks !== undefined;
  const other = choose && (anyWillDo || (leads !== undefined && !site.reach(`~${name}`, leads))) ? led.metadata.name : undefined;
  const asked = member ?? other;
  site.engine!.ask(site, { id: name, op, ...(asked === undefined ? {} : { member: asked }), ...(as ? { as } : {}) });
}

/** What a client shows of an account: the mark of the password in its secret, of a wrong one, or none. */
function shown(world: ClusterAccess, { metadata, spec }: AskObject, account: string): { account: string; mark: string } {
  if (spec.login !== 'right') return { account, mark: spec.login === 'wrong' ? 'wrong' : '' };
  const namespace = metadata.namespace ?? '';
  const secret = world.store.get('Secret', namespace, world.store.get('Account', namespace, account)?.spec.secret ?? '');
  const password = secret?.data?.password;
  return { account, mark: password === undefined ? '' : markOf(decode(password)) };
}

/** Runs the engines of workloads: what their members send each other, and what clients ask of them. */
export const engines: Loop = {
  id: 'engines',
  paceMs: 10,
  watches: {
    NetworkPolicy: (now, before, store) => (now && before && now.spec === before.spec ? [] : allKeys(store)),
    Process: (now, before) => {
      const one = (now ?? before)!;
      return hasEngine(one.spec.engine) && (!now || !before) ? [workloadKey(one)] : [];
    },
    Pod: (now, before) => {
      const pod = (now ?? before)!;
      const part = enginePartOf(pod);
      const matters =
        now?.metadata.deletionTimestamp !== before?.metadata.deletionTimestamp || (now && isReady(now)) !== (before && isReady(before));
      return part && hasEngine(part.engine) && matters ? [`${pod.metadata.namespace}/${workloadOf(pod)}`] : [];
    },
    StatefulSet: (now, before) =>
      now?.spec === before?.spec && now?.metadata.annotations?.[overMark] === before?.metadata.annotations?.[overMark]
        ? []
        : [`${(now ?? before)!.metadata.namespace}/${workloadOfTemplate((now ?? before)!)}`],
    Service: (now, before, store) => (now?.spec === before?.spec ? [] : allKeys(store, (now ?? before)!.metadata.namespace)),
    Secret: (now, before, store) =>
      now?.data === before?.data || (now ?? before)!.data?.['tls.crt'] === undefined
        ? []
        : allKeys(store, (now ?? before)!.metadata.namespace),
    Outage: (_now, _before, store) => allKeys(store),
    Link: (_now, _before, store) => allKeys(store),
    Ask: (now, before) => (now && !before ? [`${now.metadata.namespace}/${now.spec.workload}`] : [])
  },
  reconcile(here, key) {
    const [namespace] = splitKey(key);
    const over = reachesOver(here, key);
    // What is under way is kept in one of the clusters; the others call it there.
    const world = over?.lead ?? here;
    if (world !== here) return world.after(1, key);
    const traffic = world.memory<Traffic>(trafficMemory);
    const before = traffic.get(key) ?? { mail: [], nth: 0 };
    const kept = takeSite(world, key, before.nth);
    const site = (over ? undefined : kept) ?? new WorldSite(world, namespace, key, before.nth, over?.others, over?.founder);
    const asks = site.asks();
    if (!hasEngine(site.engineId ?? '')) {
      for (const { name } of asks) site.answer(name, { outcome: 'refused', says: 'nothing of this workload runs' });
      site.flush();
      traffic.delete(key);
      return;
    }
    const engine = engineFor(site.engineId!, site);
    site.engine = engine;
    const due = before.mail.filter((one) => one.atMs <= world.nowMs).sort((a, b) => a.atMs - b.atMs || a.nth - b.nth);
    const later = before.mail.filter((one) => one.atMs > world.nowMs);
    if (site.processes.every((one) => one.spec.adopted)) engine.adopt?.(site);
    engine.changed(site);
    site.stepped();
    const held: Mail[] = [];
    for (const mail of due) {
      const { from, to, body } = mail;
      if (site.timedOut(to, body)) {
        site.stepped();
        continue;
      }
      if (site.hangs(to)) held.push({ ...mail, atMs: world.nowMs + heldMs });
      else if ((site.up(from) || site.hangs(from)) && site.up(to) && site.reach(from, to)) engine.arrived(site, to, from, body);
      site.stepped();
    }
    for (const one of asks) {
      if (one.ask.status) continue;
      takeAsk(site, one);
      site.stepped();
    }
    site.flush();
    if (!over) keepSite(world, key, site);
    const mail = [...later, ...held, ...inOrder(site.sent, later)].filter((one) => !one.to.startsWith('~') || site.up(one.to));
    traffic.set(key, { mail, nth: site.nth });
    if (mail.length) world.after(Math.min(...mail.map((one) => one.atMs)) - world.nowMs, key);
  }
};
