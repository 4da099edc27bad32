import { bytesToUtf8 } from '@noble/ciphers/utils.js';
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils.js';
import { z } from 'zod';
import { digestOf, drawInt } from '../../../shared';
import { makeBatch } from '../log/payload';
import type { Ask, Engine, Site, MemberState } from '../site';
import { encode } from './erasure';
import { handedOut, readJson, sumOf, textOfNamed, wouldOverwrite } from '../copies';
import type { Drive, Lacking, Shard } from './drives';
import { sealed, storeKeyOption } from './sealing';
import { isBucket, nameOf, objectOf, rowsOf, saidIn } from './names';
import { newer, ObjectsSeen } from './seen';
import { counted } from '../words';
import type { Body, Mind, Sent } from './types';

const wire = (site: Site, a: string, b: string): number => drawInt(site.seed, `objects|${a}|${b}`, 1, 4);
/** Bytes a second that a member takes or gives (common practice, no source). */
const bytesPerSecond = 400_000_000;
const healAfterMs = 5_000;

/**
 * Object store: every object is cut into shards over all volumes of all members, with parity. Any member takes requests. A put counts when
 * the write quorum of volumes has its shards; what counts survives as many losses as there is parity once all volumes have theirs.
 */
export class ObjectStore extends ObjectsSeen implements Engine {
  constructor(private readonly parity: number) {
    super();
  }

  changed(site: Site): void {
    this.layOut(site);
    for (const id of site.running) {
      if (!site.up(id)) continue;
      this.joinAnew(site, id);
      const mind = site.mind<Mind>(id) ?? { puts: {} };
      if (site.mind<Mind>(id) === undefined) site.think(id, mind);
    }
    const [healer] = this.there(site);
    if (healer !== undefined) this.firstBucket(site, healer);
    if (healer === undefined || !this.lacking(site, healer).length) return;
    const mind = site.mind<Mind>(healer)!;
    if (mind.healing !== undefined) return;
    const nth = site.nowMs;
    site.think(healer, { ...mind, healing: nth });
    site.post(healer, healer, { is: 'heal', nth } satisfies Body, healAfterMs);
  }

  /** The bucket that the configuration asks for. */
  private firstBucket(site: Site, id: string): void {
    const name = site.option(id, 'first_bucket');
    const ask = `first-${name ?? ''}`;
    if (!name || this.find(site, id, `${name}/`) || site.mind<Mind>(id)!.puts[ask]) return;
    if (this.reached(site, id).length >= this.layout(site, id)!.writeQuorum)
      this.put(site, { id: ask, op: { do: 'make-bucket' } }, id, `${name}/`, utf8ToBytes(name), '');
  }

  private there(site: Site): string[] {
    return site.ids.filter((id) => site.up(id) && this.format(site, id));
  }

  /** Volumes are laid out together, once all members are there. */
  private layOut(site: Site): void {
    const { ids } = site;
    if (!ids.length || ids.some((id) => this.format(site, id))) return;
    const volumesEach = Math.max(1, Math.min(...ids.map((id) => site.disks(id))));
    if (!ids.every((id) => ids.every((other) => this.contact(site, id, other)))) return;
    const parity = Math.min(this.parity, Math.floor(ids.length / 2));
    for (const id of ids) {
      site.say(id, `lays out ${volumesEach} volumes with those of ${ids.length - 1} other members, parity of ${parity}`);
      for (let nth = 0; nth < volumesEach; nth += 1) site.keep(id, { members: ids, volumesEach, parity, shards: {} } satisfies Drive, nth);
    }
  }

  /** A volume that came back empty belongs to the store again, with nothing on it yet. */
  private joinAnew(site: Site, id: string): void {
    const known =
      this.format(site, id) ?? site.ids.map((one) => (this.contact(site, id, one) ? this.format(site, one) : undefined)).find((one) => one);
    if (!known?.members.includes(id)) return;
    for (let nth = 0; nth < known.volumesEach; nth += 1) {
      if (site.disk<Drive>(id, nth)?.members) continue;
      site.say(id, `volume ${nth} is empty: it is laid out again and will be healed`, true);
      site.keep(id, { ...known, shards: {} }, nth);
    }
  }

  private heal(site: Site, id: string): void {
    const lacking = this.lacking(site, id);
    const layout = this.layout(site, id)!;
    const format = this.format(site, id)!;
    const forWhom = new Map<string, { all: Sent[]; bytes: number }>();
    const wanted = new Map<string, Lacking[]>();
    for (const one of lacking) wanted.set(one.object, [...(wanted.get(one.object) ?? []), one]);
    for (const [object, mine] of wanted) {
      const { shard, shards } = this.find(site, id, object)!;
      const all = shard.bytes === undefined ? undefined : this.rebuilt(site, shards, layout, shard.length);
      for (const member of new Set(mine.map((one) => one.member))) {
        const theirs = Array.from({ length: format.volumesEach }, (_, nth) => {
          if (!mine.some((one) => one.member === member && one.nth === nth)) return null;
          const bytes = all?.[format.members.indexOf(member) * format.volumesEach + nth];
          return { ...shard, ...(bytes ? { bytes: site.store(bytes) } : {}) };
        });
        const sent = forWhom.get(member) ?? { all: [], bytes: 0 };
        sent.all.push({ object, shards: theirs });
        forWhom.set(member, { all: sent.all, bytes: sent.bytes + shard.length });
      }
    }
    for (const [member, { all, bytes }] of forWhom)
      site.post(id, member, { is: 'store', all } satisfies Body, wire(site, id, member) + (bytes / bytesPerSecond) * 1_000);
    if (lacking.length) site.say(id, `heals ${lacking.length} shards that volumes lacked`);
  }

  arrived(site: Site, to: string, from: string, raw: unknown): void {
    const body = raw as Body;
    switch (body.is) {
      case 'store': {
        const drives: string[] = [];
        const volumes = this.format(site, to)?.volumesEach ?? 0;
        for (let nth = 0; nth < volumes; nth += 1) {
          const drive = site.disk<Drive>(to, nth);
          const mine = body.all.flatMap(({ object, shards }) => {
            const shard = shards[nth];
            return shard ? [[object, shard] as const] : [];
          });
          if (!drive?.members || !mine.length) continue;
          const fresh = mine.filter(([object, shard]) => !drive.shards[object] || newer(shard, drive.shards[object]));
          if (fresh.length) site.keep(to, { ...drive, shards: { ...drive.shards, ...Object.fromEntries(fresh) } }, nth);
          drives.push(`${to}#${nth}`);
        }
        if (body.put !== undefined) site.post(to, from, { is: 'stored', put: body.put, drives } satisfies Body, wire(site, to, from));
        return;
      }
      case 'stored':
        return this.stored(site, to, body);
      case 'got':
        return this.got(site, to, body.ask);
      case 'copied':
        return this.copied(site, to, body.ask, body.names);
      case 'heal': {
        const mind = site.mind<Mind>(to)!;
        if (mind.healing !== body.nth) return;
        const { healing: _, ...rest } = mind;
        site.think(to, rest);
        return this.heal(site, to);
      }
    }
  }

  private stored(site: Site, id: string, { put, drives }: Body & { is: 'stored' }): void {
    const mind = site.mind<Mind>(id)!;
    const mine = mind.puts[put];
    if (!mine) return;
    const stored = [...new Set([...mine.stored, ...drives])];
    const { writeQuorum, volumes } = this.layout(site, id)!;
    if (stored.length < writeQuorum) return site.think(id, { ...mind, puts: { ...mind.puts, [put]: { ...mine, stored } } });
    const { [put]: _, ...puts } = mind.puts;
    site.think(id, { ...mind, puts });
    if (mine.count !== undefined) return site.answer(put, { outcome: 'acknowledged', by: id, says: mine.says, count: mine.count });
    const { length, sum, version } = mine.first;
    site.answer(put, {
      outcome: 'acknowledged',
      by: id,
      says: `${mine.says}: ${stored.length} of ${volumes} volumes so far, ${writeQuorum} were needed`,
      bytes: length,
      checksum: sum,
      version
    });
  }

  private copied(site: Site, id: string, ask: string, names?: readonly string[]): void {
    const all = this.whole(site, id, names);
    if (typeof all === 'string') return site.answer(ask, { outcome: 'refused', by: id, says: all });
    const rows = rowsOf(all);
    const objects = all.filter(([object]) => !isBucket(object)).length;
    const says = `${counted(objects, 'object')} in ${counted(all.length - objects, 'bucket')}`;
    const bytes = all.reduce((sum, [, content]) => sum + content.length, 0);
    site.answer(ask, { ...handedOut(id, 'objects', rows, says), count: objects, bytes });
  }

  /** What lies in a bucket, or in all of them, by what tells one content from another; nothing but its sum where that is known already. */
  private news(site: Site, { id: ask, op }: Ask, id: string): void {
    const told = this.namesTold(site, id);
    if (typeof told === 'string') return site.answer(ask, { outcome: 'refused', by: id, says: `too few volumes answer to read ${told}` });
    const rows = told.rows
      .filter(([object]) => op.place === undefined || object.startsWith(`${op.place}/`))
      .map(([object, sum]): [string, string] => [nameOf(object), sum]);
    const checksum = told.sums.get(op.place ?? '') ?? sumOf(textOfNamed(rows));
    told.sums.set(op.place ?? '', checksum);
    const says = `${counted(rows.length, 'name')} in all`;
    site.answer(ask, { outcome: 'acknowledged', by: id, says, ...(checksum === op.key ? {} : { rows }), count: rows.length, checksum });
  }

  /** Puts what has come, and deletes what has gone elsewhere. */
  private take(site: Site, { id: ask, op }: Ask, id: string): void {
    const said = saidIn(op.value ?? '');
    const gone = readJson(z.array(z.string()), op.key ?? '[]')?.map(objectOf);
    if (!said || !gone || gone.includes('')) return site.answer(ask, { outcome: 'refused', by: id, says: 'that is no copy of objects' });
    const count = said.length + gone.length;
    const old = op.count ? this.oldOf(site, id, [...said.map(([object]) => object), ...gone]) : [];
    if (typeof old === 'string') return site.answer(ask, { outcome: 'refused', by: id, says: old });
    const all = [...old, ...said, ...gone.map((object) => [object, undefined] as const)];
    this.putAll(site, ask, id, all, { says: `${counted(count, 'change')} taken`, count });
  }

  private putBack(site: Site, ask: Ask, id: string): void {
    const { op } = ask;
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', by: id, says });
    const said = saidIn(op.value ?? '');
    if (!said) return refuse('that is no copy of objects');
    const mine = this.whole(site, id);
    if (typeof mine === 'string') return refuse(mine);
    const buckets = new Set([...mine, ...said].map(([object]) => object).filter(isBucket));
    const [homeless] = said.find(([object]) => !buckets.has(object.slice(0, object.indexOf('/') + 1))) ?? [];
    if (homeless !== undefined) return refuse(`there is no bucket for ${homeless}`);
    const inTheWay = mine.filter(([object]) => op.place === undefined || object.startsWith(`${op.place}/`));
    const objects = inTheWay.filter(([object]) => !isBucket(object));
    if (objects.length && !op.count) return refuse(wouldOverwrite(counted(objects.length, 'object')));
    const names = new Set(said.map(([object]) => object));
    const gone = inTheWay.flatMap(([object]) => (names.has(object) ? [] : [[object, undefined] as const]));
    const count = said.filter(([object]) => !isBucket(object)).length;
    this.putAll(site, ask.id, id, [...gone, ...said], { says: `${counted(count, 'object')} put back`, count });
  }

  private put(site: Site, { id: ask }: Ask, id: string, object: string, content: Uint8Array | undefined, says: string): void {
    this.putAll(site, ask, id, [[object, content]], { says });
  }

  /** Puts objects, or deletes them, all for one ask: it counts once enough volumes have theirs of all of them. */
  private putAll(
    site: Site,
    ask: string,
    id: string,
    objects: readonly (readonly [object: string, content: Uint8Array | undefined])[],
    { says, count }: { says: string; count?: number }
  ): void {
    const layout = this.layout(site, id)!;
    const format = this.format(site, id)!;
    const reached = this.reached(site, id);
    if (reached.length < layout.writeQuorum)
      return site.answer(ask, {
        outcome: 'refused',
        by: id,
        says: `${reached.length} of ${layout.volumes} volumes answer, ${layout.writeQuorum} are needed to write`
      });
    const key = site.option(id, storeKeyOption);
    const all = objects.map(([object, content]) => {
      const version = Math.max(0, ...reached.map((one) => one.holds.shards[object]?.version ?? 0)) + 1;
      const length = content?.length ?? 0;
      const sum = content ? bytesToHex(digestOf(content)) : '';
      const kept = content && key ? sealed(content, key, `${object} ${version} ${ask}`) : content;
      const parts = kept ? encode(kept, layout.data, layout.parity) : undefined;
      const shards = Array.from({ length: layout.volumes }, (_, i): Shard => ({
        version,
        by: ask,
        length,
        sum,
        ...(parts && key ? { key } : {}),
        ...(parts ? { bytes: site.store(parts[i]!) } : {})
      }));
      return { object, shards };
    });
    const [first] = all;
    if (!first) return site.answer(ask, { outcome: 'acknowledged', by: id, says, count: count ?? 0 });
    const mind = site.mind<Mind>(id)!;
    const waits = { first: first.shards[0]!, stored: [], says, ...(count === undefined ? {} : { count }) };
    site.think(id, { ...mind, puts: { ...mind.puts, [ask]: waits } });
    const length = all.reduce((sum, one) => sum + one.shards[0]!.length, 0);
    format.members.forEach((member, i) => {
      const theirs = all.map(({ object, shards }): Sent => ({
        object,
        shards: shards.slice(i * format.volumesEach, (i + 1) * format.volumesEach)
      }));
      if (this.contact(site, id, member))
        site.post(
          id,
          member,
          { is: 'store', all: theirs, put: ask } satisfies Body,
          wire(site, id, member) + (length / layout.data / bytesPerSecond) * 1_000
        );
    });
  }

  private got(site: Site, id: string, askId: string): void {
    const ask = site.mind<{ ask: Ask }>(`~${askId}`)?.ask;
    if (!ask) return;
    const object = `${ask.op.place ?? ''}/${ask.op.key ?? ''}`;
    const layout = this.layout(site, id)!;
    const found = this.find(site, id, object);
    const reached = this.reached(site, id).length;
    if (!found) {
      const some = this.reached(site, id).some((one) => one.holds.shards[object]);
      const says =
        some || reached < layout.readQuorum
          ? `${reached} of ${layout.volumes} volumes answer, ${layout.readQuorum} are needed to read`
          : `there is no ${object}`;
      return site.answer(askId, { outcome: some || reached < layout.readQuorum ? 'refused' : 'acknowledged', by: id, says, rows: [] });
    }
    if (found.shard.bytes === undefined)
      return site.answer(askId, { outcome: 'acknowledged', by: id, says: `${object} was deleted`, rows: [] });
    const { key, version } = found.shard;
    const content = this.contentOf(site, id, object, found);
    if (typeof content === 'string') return site.answer(askId, { outcome: 'refused', by: id, says: content });
    const sum = bytesToHex(digestOf(content));
    const rebuilt = found.shards.slice(0, layout.data).filter((one) => one === undefined).length;
    const says = `${content.length} bytes from ${layout.data} shards${rebuilt ? `, ${rebuilt} of them computed from parity` : ''}${key === undefined ? '' : ', decrypted with the store’s key'}; SHA-256 ${sum === found.shard.sum ? 'agrees' : 'does not agree'}`;
    const rows: [string, string][] = ask.op.do === 'fetch' ? [[ask.op.key ?? '', bytesToUtf8(content)]] : [];
    site.answer(askId, {
      outcome: 'acknowledged',
      by: id,
      says,
      ...(rows.length ? { rows } : {}),
      bytes: content.length,
      checksum: sum,
      version
    });
  }

  ask(site: Site, ask: Ask): void {
    const { op } = ask;
    const id = ask.member ?? this.there(site)[0];
    const refuse = (says: string) => site.answer(ask.id, { outcome: 'refused', ...(id === undefined ? {} : { by: id }), says });
    if (id === undefined || !site.up(id)) return refuse(`${id ?? 'nobody'} doesn't answer`);
    const layout = this.layout(site, id);
    if (!layout) return refuse('the store is not laid out yet: it waits for all of its members');
    const bucket = `${op.place ?? ''}/`;
    const isThere = (object: string) => this.find(site, id, object)?.shard.bytes !== undefined;
    const reached = this.reached(site, id).length;
    // Too few volumes to tell what is there: nothing is said to be missing then.
    if (reached < layout.readQuorum && ['make-bucket', 'put', 'delete', 'list', 'drop', 'copy', 'put-back', 'news', 'take'].includes(op.do))
      return refuse(`${reached} of ${layout.volumes} volumes answer, ${layout.readQuorum} are needed to tell what is there`);
    switch (op.do) {
      case 'make-bucket':
        if (!/^[a-z0-9][a-z0-9.-]{1,61}[a-z0-9]$/.test(op.place ?? ''))
          return refuse(`"${op.place ?? ''}" is no name for a bucket: 3 to 63 lower-case letters, digits, "-" and "."`);
        if (isThere(bucket)) return refuse(`the bucket ${op.place} exists already`);
        return this.put(site, ask, id, bucket, utf8ToBytes(op.place!), `bucket ${op.place} made`);
      case 'put': {
        if (!isThere(bucket)) return refuse(`there is no bucket ${op.place}`);
        const content =
          op.value === undefined ? makeBatch(ask.id, 0, 1, op.bytes ?? 1_024).subarray(0, op.bytes ?? 1_024) : utf8ToBytes(op.value);
        return this.put(site, ask, id, `${bucket}${op.key ?? ''}`, content, `${op.key} put`);
      }
      case 'delete':
        return this.put(site, ask, id, `${bucket}${op.key ?? ''}`, undefined, `${op.key} deleted`);
      case 'drop': {
        if (!isThere(bucket)) return refuse(`there is no bucket ${op.place}`);
        const all = this.objectsSeen(site, id).filter((one) => one.startsWith(bucket) && one !== bucket && isThere(one));
        const says = `${counted(all.length, 'object')} of ${op.place} deleted`;
        return this.putAll(
          site,
          ask.id,
          id,
          all.map((one) => [one, undefined] as const),
          { says, count: all.length }
        );
      }
      case 'news':
        return this.news(site, ask, id);
      case 'take':
        return this.take(site, ask, id);
      case 'copy': {
        const names = op.value === undefined ? undefined : readJson(z.array(z.string()), op.value)?.map(objectOf);
        if (op.value !== undefined && !names) return refuse('its value is no list of names');
        const size = (names ?? this.objectsSeen(site, id)).reduce((sum, one) => sum + (this.find(site, id, one)?.shard.length ?? 0), 0);
        const wanted = names ? { names } : {};
        return site.post(id, id, { is: 'copied', ask: ask.id, ...wanted } satisfies Body, 2 + (size / bytesPerSecond) * 1_000);
      }
      case 'put-back':
        return this.putBack(site, ask, id);
      case 'fetch':
      case 'get': {
        site.think(`~${ask.id}`, { ask });
        const size = this.find(site, id, `${bucket}${op.key ?? ''}`)?.shard.length ?? 0;
        return site.post(id, id, { is: 'got', ask: ask.id } satisfies Body, 2 + (size / bytesPerSecond) * 1_000);
      }
      case 'list': {
        if (op.place && !isThere(bucket)) return refuse(`there is no bucket ${op.place}`);
        const rows = this.objectsSeen(site, id)
          .filter((one) => (op.place ? one.startsWith(bucket) && one !== bucket : isBucket(one)))
          .flatMap((one): [string, string][] => {
            const found = this.find(site, id, one);
            return found && found.shard.bytes === undefined
              ? []
              : [
                  [op.place ? one.slice(bucket.length) : one.slice(0, -1), found ? `${found.shard.length} bytes` : 'too few volumes answer']
                ];
          });
        return site.answer(ask.id, {
          outcome: 'acknowledged',
          by: id,
          says: `${rows.length} ${op.place ? 'objects' : 'buckets'}`,
          rows,
          count: rows.length
        });
      }
      case 'health': {
        const { rows, answering } = this.volumesSeen(site, id);
        return site.answer(ask.id, {
          outcome: 'acknowledged',
          by: id,
          says: `${answering} of ${layout.volumes} volumes answer`,
          rows,
          count: answering
        });
      }
      default:
        return refuse(`it knows no ${op.do}`);
    }
  }

  standing(site: Site, id: string): MemberState {
    const layout = this.layout(site, id);
    if (!site.up(id)) return { role: 'member', ready: false, says: 'is down', position: 0 };
    if (!layout) {
      const there = site.ids.filter((one) => this.contact(site, id, one)).length;
      return { role: 'member', ready: false, says: `waits for all members: ${there} of ${site.ids.length} are there`, position: 0 };
    }
    const reached = this.reached(site, id).length;
    const position = Object.values(site.disk<Drive>(id)?.shards ?? {}).filter((one) => one.bytes !== undefined).length;
    const mine = this.lacking(site, id).filter((one) => one.member === id).length;
    const says =
      reached < layout.readQuorum
        ? `${reached} of ${layout.volumes} volumes answer: nothing can be read`
        : reached < layout.writeQuorum
          ? `${reached} of ${layout.volumes} volumes answer: nothing can be written`
          : mine
            ? `${mine} shards are still to be healed`
            : '';
    return { role: 'member', ready: true, says, position, lag: mine };
  }
}
