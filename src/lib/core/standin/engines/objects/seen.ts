import type { Site } from '../site';
import { keptLacking, keptNames, unevenOf, type Drive, type Lacking, type NamesTold, type Reached, type Shard } from './drives';
import { decode, encode } from './erasure';
import { storeLayout, type StoreLayout } from './layout';
import { isBucket } from './names';
import { sealed, storeKeyOption } from './sealing';

/** Which of two versions of an object is the newer one. */
export const newer = (a: Shard, b: Shard): boolean => a.version > b.version || (a.version === b.version && a.by > b.by);

/** What a member of an object store sees of it: the volumes in its reach, and what lies there. */
export abstract class ObjectsSeen {
  protected format(site: Site, id: string): Drive | undefined {
    for (let nth = 0; nth < site.disks(id); nth += 1) {
      const drive = site.disk<Drive>(id, nth);
      if (drive?.members) return drive;
    }
    return undefined;
  }

  /** How the store is laid out, as a member's volumes say; undefined before it has been. */
  layout(site: Site, id: string): StoreLayout | undefined {
    const found = this.format(site, id);
    return found && storeLayout(found.members.length, found.volumesEach, 0, found.parity);
  }

  protected contact(site: Site, a: string, b: string): boolean {
    return site.up(a) && site.up(b) && site.reach(a, b);
  }

  /** Volumes that a member reaches, as `member#nth`, with what lies there. */
  protected reached(site: Site, id: string): Reached[] {
    const format = this.format(site, id);
    if (!format) return [];
    return format.members.flatMap((member) =>
      this.contact(site, id, member)
        ? Array.from({ length: format.volumesEach }, (_, nth) => nth).flatMap((nth) => {
            const holds = site.disk<Drive>(member, nth);
            return holds?.members ? [{ drive: `${member}#${nth}`, member, nth, holds }] : [];
          })
        : []
    );
  }

  /** The newest version of an object that can be read, with its shards by their number. */
  protected find(site: Site, id: string, object: string): { shard: Shard; shards: (string | undefined)[] } | undefined {
    const format = this.format(site, id)!;
    const layout = this.layout(site, id)!;
    const versions = new Map<string, { shard: Shard; shards: (string | undefined)[]; count: number }>();
    for (const { member, nth, holds } of this.reached(site, id)) {
      const shard = holds.shards[object];
      if (!shard) continue;
      const name = `${shard.version}@${shard.by}`;
      const one = versions.get(name) ?? { shard, shards: Array<string | undefined>(layout.volumes).fill(undefined), count: 0 };
      one.shards[format.members.indexOf(member) * format.volumesEach + nth] = shard.bytes;
      one.count += 1;
      versions.set(name, one);
    }
    const whole = [...versions.values()].filter((one) => one.count >= layout.readQuorum).sort((a, b) => (newer(a.shard, b.shard) ? -1 : 1));
    return whole[0];
  }

  protected objectsSeen(site: Site, id: string): string[] {
    return [...new Set(this.reached(site, id).flatMap((one) => Object.keys(one.holds.shards)))].sort();
  }

  /** Volumes in reach that lack the newest version of something that can be read. */
  protected lacking(site: Site, id: string): Lacking[] {
    const reached = this.reached(site, id);
    return keptLacking(reached, () => this.lackingNow(site, id, reached));
  }

  private lackingNow(site: Site, id: string, reached: readonly Reached[]): Lacking[] {
    // Where all hold the same version nobody lacks one; that is most of what lies there.
    const [first, ...others] = reached.map((one) => one.holds.shards);
    const uneven = new Set(first ? others.flatMap((other) => unevenOf(first, other)) : []);
    return [...uneven].sort().flatMap((object) => {
      const found = this.find(site, id, object);
      if (!found) return [];
      return reached
        .filter(({ holds }) => {
          const mine = holds.shards[object];
          return !mine || newer(found.shard, mine);
        })
        .map(({ member, nth }) => ({ object, member, nth }));
    });
  }

  /** Names of all that can be read, with the sum of each content; or an object that too few volumes answer for. */
  protected namesTold(site: Site, id: string): NamesTold | string {
    return keptNames(this.reached(site, id), () => {
      const rows: [string, string][] = [];
      for (const object of this.objectsSeen(site, id)) {
        const found = this.find(site, id, object);
        if (!found) return object;
        if (found.shard.bytes !== undefined) rows.push([object, found.shard.sum]);
      }
      return { rows, sums: new Map() };
    });
  }

  /** What an object holds, by the shards that were found; or why it can't be opened. */
  protected contentOf(
    site: Site,
    id: string,
    object: string,
    { shard, shards }: { shard: Shard; shards: readonly (string | undefined)[] }
  ): Uint8Array | string {
    const layout = this.layout(site, id)!;
    const { key, version, by, length } = shard;
    if (key !== undefined && key !== site.option(id, storeKeyOption)) return `${object} was encrypted with another key than ${id} has`;
    const parts = shards.map((one) => (one === undefined ? undefined : site.bytes(one)));
    const kept = decode(parts, layout.data, layout.parity, length)!;
    return key === undefined ? kept : sealed(kept, key, `${object} ${version} ${by}`);
  }

  /** What can be read now, of what has a name: buckets and objects that weren't deleted; or why that can't be told. */
  protected whole(site: Site, id: string, names?: readonly string[]): (readonly [object: string, content: Uint8Array])[] | string {
    const found: (readonly [string, Uint8Array])[] = [];
    for (const object of names ?? this.objectsSeen(site, id)) {
      const one = this.find(site, id, object);
      // What was named may have gone meanwhile.
      if (!one && names && !this.objectsSeen(site, id).includes(object)) continue;
      if (!one) return `too few volumes answer to read ${object}`;
      if (one.shard.bytes === undefined) continue;
      const content = this.contentOf(site, id, object, one);
      if (typeof content === 'string') return content;
      found.push([object, content]);
    }
    return found;
  }

  /** What lies here of some objects, under names that say which version it was; or why that can't be read. */
  protected oldOf(site: Site, id: string, objects: readonly string[]): (readonly [object: string, content: Uint8Array])[] | string {
    const old: (readonly [string, Uint8Array])[] = [];
    for (const object of objects.filter((one) => !isBucket(one))) {
      const found = this.find(site, id, object);
      if (found?.shard.bytes === undefined) continue;
      const content = this.contentOf(site, id, object, found);
      if (typeof content === 'string') return content;
      old.push([`${object}@${found.shard.version}`, content]);
    }
    return old;
  }

  /** All shards of a content anew, from those that were found. */
  protected rebuilt(site: Site, shards: readonly (string | undefined)[], layout: StoreLayout, length: number): Uint8Array[] {
    const body = decode(
      shards.map((one) => (one === undefined ? undefined : site.bytes(one))),
      layout.data,
      layout.parity,
      length
    )!;
    return encode(body, layout.data, layout.parity);
  }

  /** How each volume of the store looks from a member, and how many answer. */
  protected volumesSeen(site: Site, id: string): { rows: [string, string][]; answering: number } {
    const answering = new Set(this.reached(site, id).map((one) => one.drive));
    const lacking = this.lacking(site, id);
    const { members, volumesEach } = this.format(site, id)!;
    const rows = members.flatMap((member) =>
      Array.from({ length: volumesEach }, (_, nth): [string, string] => {
        const missing = lacking.filter((one) => one.member === member && one.nth === nth).length;
        const state = missing ? `lacks ${missing} shards` : 'whole';
        return [`${member}#${nth}`, answering.has(`${member}#${nth}`) ? state : 'does not answer'];
      })
    );
    return { rows, answering: answering.size };
  }
}
