import { bytesToHex } from '@noble/hashes/utils.js';
import { fromUint8Array, isValid, toUint8Array } from 'js-base64';
import { digestOf } from '../../shared';
import { makeBatch } from './log/payload';
import type { Ask, Engine, Site, MemberState } from './site';
import { handedOut, namedIn, wouldOverwrite } from './copies';
import { counted } from './words';

interface Shelf {
  readonly images: Readonly<{ [name: string]: { readonly digest: string; readonly bytes: string; readonly size: number } }>;
}

const empty: Shelf = { images: {} };
const imageName = /^[a-z0-9][a-z0-9./_-]*:[\w][\w.-]*$/;
/** Whether an image is one, or a version of that name. */
export const isImageOf = (image: string, name: string): boolean => image === name || image.startsWith(`${name}:`);
const shelved = (site: Site, content: Uint8Array): Shelf['images'][string] => ({
  digest: `sha256:${bytesToHex(digestOf(content))}`,
  bytes: site.store(content),
  size: content.length
});

/** Image shelf: images are pushed and pulled by name, kept with their digest, in whatever directory it was given. */
export class ImageShelf implements Engine {
  changed(site: Site): void {
    for (const id of site.running) {
      if (!site.up(id) || site.mind(id)) continue;
      site.think(id, {});
      const count = Object.keys((site.disk<Shelf>(id) ?? empty).images).length;
      site.say(id, `opens its shelf ${site.disks(id) ? 'on a volume' : 'in a directory of its pod'}: ${count} images`);
    }
  }

  arrived(): void {}

  ask(site: Site, { id: ask, op, member }: Ask): void {
    const id = member ?? [...site.running].find((one) => site.up(one) && !site.leaving(one));
    const refuse = (says: string) => site.answer(ask, { outcome: 'refused', ...(id === undefined ? {} : { by: id }), says });
    if (id === undefined || !site.up(id)) return refuse(`${id ?? 'nobody'} doesn't answer`);
    const { images } = site.disk<Shelf>(id) ?? empty;
    const name = op.key ?? '';
    switch (op.do) {
      case 'push': {
        if (!imageName.test(name)) return refuse(`"${name}" is no image: name and tag, e.g. tools/chart:r2`);
        const content = makeBatch(ask, 0, 1, op.bytes ?? 65_536);
        const image = shelved(site, content);
        site.keep(id, { images: { ...images, [name]: image } } satisfies Shelf);
        site.say(id, `${name} was pushed`);
        return site.answer(ask, {
          outcome: 'acknowledged',
          by: id,
          says: `${name} is on the shelf`,
          bytes: content.length,
          checksum: image.digest
        });
      }
      case 'pull': {
        const image = images[name];
        if (!image) return refuse(`${name} is not on the shelf`);
        const digest = `sha256:${bytesToHex(digestOf(site.bytes(image.bytes)))}`;
        return site.answer(ask, {
          outcome: digest === image.digest ? 'acknowledged' : 'refused',
          by: id,
          says: digest === image.digest ? 'the digest agrees' : 'the digest does not agree',
          bytes: image.size,
          checksum: digest
        });
      }
      case 'list': {
        const rows = Object.entries(images).map(([one, { digest }]): [string, string] => [one, digest]);
        return site.answer(ask, { outcome: 'acknowledged', by: id, says: counted(rows.length, 'image'), rows, count: rows.length });
      }
      case 'drop': {
        const all = Object.entries(images);
        const left = all.filter(([one]) => !isImageOf(one, op.place ?? ''));
        if (left.length === all.length) return refuse(`there is no ${op.place ?? ''} on the shelf`);
        const says = `${counted(all.length - left.length, 'image')} of ${op.place} taken off`;
        site.keep(id, { images: Object.fromEntries(left) } satisfies Shelf);
        site.say(id, says);
        return site.answer(ask, { outcome: 'acknowledged', by: id, says, count: all.length - left.length });
      }
      case 'copy': {
        const all = Object.entries(images).map(([one, { bytes }]): [string, string] => [one, fromUint8Array(site.bytes(bytes))]);
        return site.answer(ask, handedOut(id, 'images', all, counted(all.length, 'image')));
      }
      case 'put-back': {
        const all = namedIn(op.value ?? '');
        if (!all?.every(([one, text]) => imageName.test(one) && isValid(text))) return refuse('that is no copy of images');
        const inTheWay = (one: string) => op.place === undefined || isImageOf(one, op.place);
        const mine = Object.keys(images).filter(inTheWay).length;
        if (mine && !op.count) return refuse(wouldOverwrite(counted(mine, 'image')));
        const says = `${counted(all.length, 'image')} put back`;
        const others = Object.fromEntries(Object.entries(images).filter(([one]) => !inTheWay(one)));
        const put = Object.fromEntries(all.map(([one, text]) => [one, shelved(site, toUint8Array(text))]));
        site.keep(id, { images: { ...others, ...put } } satisfies Shelf);
        site.say(id, says);
        return site.answer(ask, { outcome: 'acknowledged', by: id, says, count: all.length });
      }
      default:
        refuse(`it knows no ${op.do}`);
    }
  }

  standing(site: Site, id: string): MemberState {
    const position = Object.keys((site.disk<Shelf>(id) ?? empty).images).length;
    return { role: 'shelf', ready: site.up(id), says: site.up(id) ? '' : 'is down', position };
  }
}
