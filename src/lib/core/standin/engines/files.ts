import { drawInt } from '../../shared';
import type { Ask, Engine, Site, MemberState } from './site';
import { handedOut, namedIn, wouldOverwrite } from './copies';
import { counted } from './words';

type Rows = readonly (readonly [string, string])[];

interface Handle {
  readonly path: string;
  readonly seen: string;
  readonly written?: string;
}

interface Mind {
  readonly mounted: boolean;
  readonly handles: Readonly<{ [ask: string]: Handle }>;
}

type Body = { readonly is: 'mounted' };

/** Whether a path is one, or lies in that directory. */
export const isUnder = (path: string, place: string): boolean => path === place || path.startsWith(`${place.replace(/\/$/, '')}/`);

/**
 * Shared files: all members see one file system. Who opens a file after somebody closed it sees what was written; who had it open before
 * may not. Source: RFC 8881, section 10.3 (close-to-open consistency). An agent mounts it for its node, which needs privileges.
 */
export class SharedFiles implements Engine {
  changed(site: Site): void {
    for (const id of site.running) {
      if (!site.up(id) || site.mind<Mind>(id)) continue;
      site.think(id, { mounted: site.part(id) !== 'agent', handles: {} } satisfies Mind);
      if (site.part(id) !== 'agent') continue;
      const fault = this.agentFault(site, id);
      if (fault) site.say(id, `mount refused: ${fault}`, true);
      else site.post(id, id, { is: 'mounted' } satisfies Body, drawInt(site.seed, `mount|${id}|${site.nowMs}`, 800, 3_000));
    }
  }

  /** Why an agent can't mount for its node. Source: the cluster API's "Volumes", mount propagation. */
  private agentFault(site: Site, id: string): string | undefined {
    if (site.option(id, 'privileged') !== 'yes') return 'its container is not privileged, so it may not mount for its node';
    if (site.option(id, 'propagation') !== 'Bidirectional') return 'its mount is not propagated both ways, so the node would not see it';
    return undefined;
  }

  arrived(site: Site, to: string, _from: string, raw: unknown): void {
    if ((raw as Body).is !== 'mounted') return;
    site.think(to, { ...site.mind<Mind>(to)!, mounted: true });
    site.say(to, `has mounted the files for its node: ${this.rows(site, to).length} files`);
  }

  private rows(site: Site, id: string): Rows {
    return site.disk<Rows>(id) ?? [];
  }

  private write(site: Site, id: string, path: string, content: string | null): void {
    const others = this.rows(site, id).filter(([known]) => known !== path);
    site.keep(id, content === null ? others : [...others, [path, content]]);
    for (const one of site.running)
      if (site.up(one) && site.mind<Mind>(one)?.mounted)
        site.say(one, `${path} ${content === null ? 'was removed' : 'changed'} (by ${id})`);
  }

  ask(site: Site, ask: Ask): void {
    const { op } = ask;
    const id = ask.member ?? site.ids.find((one) => site.up(one) && site.mind<Mind>(one)?.mounted);
    const answer = (outcome: 'acknowledged' | 'refused', says: string, rows?: Rows) =>
      site.answer(ask.id, { outcome, ...(id === undefined ? {} : { by: id }), says, ...(rows ? { rows, count: rows.length } : {}) });
    const mind = id === undefined ? undefined : site.mind<Mind>(id);
    if (id === undefined || !site.up(id) || !mind) return answer('refused', `${id ?? 'nobody'} doesn't answer`);
    if (!mind.mounted) return answer('refused', `nothing is mounted where ${id} runs`);
    const path = op.key ?? '';
    const content = this.rows(site, id).find(([known]) => known === path)?.[1];
    const hold = (handle: string, change: Handle | undefined) => {
      const { [handle]: _, ...rest } = mind.handles;
      site.think(id, { ...mind, handles: change ? { ...rest, [handle]: change } : rest });
    };
    switch (op.do) {
      case 'list': {
        const rows = this.rows(site, id).filter(([name]) => name.startsWith(op.place ?? ''));
        return answer(
          'acknowledged',
          counted(rows.length, 'file'),
          rows.map(([name, text]) => [name, `${text.length} bytes`])
        );
      }
      case 'read':
        return answer(
          content === undefined ? 'refused' : 'acknowledged',
          content === undefined ? `no such file: ${path}` : `${content.length} bytes`,
          content === undefined ? undefined : [[path, content]]
        );
      case 'write':
        this.write(site, id, path, op.value ?? '');
        return answer('acknowledged', `${path} written and closed`);
      case 'delete':
        this.write(site, id, path, null);
        return answer('acknowledged', `${path} removed`);
      case 'drop': {
        const head = `${op.place ?? ''}/`;
        const rows = this.rows(site, id);
        const left = rows.filter(([name]) => !name.startsWith(head));
        if (head === '/' || left.length === rows.length) return answer('refused', `there is no directory ${op.place ?? ''}`);
        const says = `${head} removed with ${counted(rows.length - left.length, 'file')}`;
        site.keep(id, left);
        site.say(id, says);
        return answer('acknowledged', says);
      }
      // What is open counts as it was when it was last closed.
      case 'copy':
        return site.answer(ask.id, handedOut(id, 'files', this.rows(site, id), counted(this.rows(site, id).length, 'file')));
      case 'put-back': {
        const rows = namedIn(op.value ?? '');
        if (!rows) return answer('refused', 'that is no copy of files');
        const inTheWay = ([name]: readonly [string, string]) => op.place === undefined || isUnder(name, op.place);
        const mine = this.rows(site, id).filter(inTheWay).length;
        if (mine && !op.count) return answer('refused', wouldOverwrite(counted(mine, 'file')));
        const says = `${counted(rows.length, 'file')} put back`;
        site.keep(id, [...this.rows(site, id).filter((one) => !inTheWay(one)), ...rows]);
        site.say(id, says);
        return answer('acknowledged', says);
      }
      case 'open':
        hold(ask.id, { path, seen: content ?? '' });
        return answer('acknowledged', `${path} opened as ${ask.id}`, [[path, content ?? '']]);
    }
    if (!['read-open', 'write-open', 'close'].includes(op.do)) return answer('refused', `it knows no ${op.do}`);
    const name = (op.do === 'write-open' ? op.key : op.value) ?? '';
    const handle = Object.hasOwn(mind.handles, name) ? mind.handles[name]! : undefined;
    if (!handle) return answer('refused', `nothing is open as ${name} on ${id}`);
    if (op.do === 'read-open') {
      const says =
        handle.written === undefined ? 'what was there when it was opened' : 'what was written through it; others see it once it is closed';
      return answer('acknowledged', says, [[handle.path, handle.written ?? handle.seen]]);
    }
    if (op.do === 'write-open') {
      hold(name, { ...handle, written: op.value ?? '' });
      return answer('acknowledged', `${handle.path} written through ${name}; others see it once it is closed`);
    }
    hold(name, undefined);
    if (handle.written !== undefined) this.write(site, id, handle.path, handle.written);
    answer('acknowledged', `${handle.path} closed`);
  }

  standing(site: Site, id: string): MemberState {
    const mind = site.mind<Mind>(id);
    const agent = site.part(id) === 'agent';
    if (!site.up(id) || !mind) return { role: '', ready: false, says: 'is down', position: 0 };
    const fault = agent ? this.agentFault(site, id) : undefined;
    const position = this.rows(site, id).length;
    if (fault) return { role: 'agent', ready: false, says: `mount refused: ${fault}`, position: 0 };
    return {
      role: agent ? 'agent' : 'user',
      ready: mind.mounted,
      says: mind.mounted ? '' : 'mounts for its node',
      position: mind.mounted ? position : 0
    };
  }
}
