import TinyQueue from 'tinyqueue';
import { draw, drawInt } from '$core/shared';
import type { Answer, Ask, Engine, Site } from '$core/standin/engines/site';
import { played } from '../../played';

interface Mail {
  readonly atMs: number;
  readonly nth: number;
  readonly from: string;
  readonly to: string;
  readonly body: unknown;
}

/** A made-up place for an engine, without a cluster: members crash, stop, come back and lose each other as a test wants. */
export class Bench implements Site {
  nowMs = 0;
  readonly stored = new Map<string, unknown>();
  readonly minds = new Map<string, unknown>();
  /** A new set with each change, as engines keep what they derived of the last one. */
  running: ReadonlySet<string> = new Set<string>();
  readonly stopping = new Set<string>();
  readonly answers = new Map<string, Answer>();
  readonly lines: string[] = [];
  /** Looked at after every step. */
  check: () => void = () => {};
  /** Looked at when an answer is given. */
  answered: (ask: string, answer: Answer) => void = () => {};
  private groups: readonly (readonly string[])[] | undefined;
  private mail = new TinyQueue<Mail>([], (a, b) => a.atMs - b.atMs || a.nth - b.nth);
  private nth = 0;

  constructor(
    readonly engine: Engine,
    public ids: readonly string[],
    readonly seed: number
  ) {
    played(() => [this.nowMs, this.nth, this.lines, this.answers, this.stored]);
  }

  /** Bytes that were kept, by name. */
  readonly kept = new Map<string, Uint8Array>();
  part: (id: string) => string = () => 'member';
  options: Readonly<{ [name: string]: string }> = {};
  volumes = 1;

  up = (id: string) => (id.startsWith('~') ? !this.answers.has(id.slice(1)) : this.running.has(id));
  disks = () => this.volumes;
  option = (_: string, name: string) => this.options[name];
  store = (bytes: Uint8Array) => {
    const name = `bytes-${this.kept.size}`;
    this.kept.set(name, bytes);
    return name;
  };
  bytes = (name: string) => this.kept.get(name)!;
  leaving = (id: string) => this.stopping.has(id);
  reach = (a: string, b: string) =>
    a === b || a.startsWith('~') || b.startsWith('~') || !this.groups || this.groups.some((one) => one.includes(a) && one.includes(b));
  disk = <T>(id: string, nth = 0) => this.stored.get(nth ? `${id}#${nth}` : id) as T | undefined;
  keep = (id: string, data: unknown, nth = 0) => void this.stored.set(nth ? `${id}#${nth}` : id, data);
  mind = <T>(id: string) => this.minds.get(id) as T | undefined;
  think = (id: string, mind: unknown) => void this.minds.set(id, mind);
  say = (id: string, text: string) => void this.lines.push(`${this.nowMs} ${id}: ${text}`);
  post = (from: string, to: string, body: unknown, afterMs: number) =>
    void this.mail.push({ atMs: this.nowMs + Math.max(1, Math.round(afterMs)), nth: this.nth++, from, to, body });
  answer = (ask: string, answer: Answer) => {
    if (this.answers.has(ask)) return;
    this.answers.set(ask, answer);
    this.answered(ask, answer);
  };

  start(...ids: string[]) {
    this.running = new Set([...this.running, ...ids]);
    this.look();
  }
  crash(id: string) {
    this.running = new Set([...this.running].filter((one) => one !== id));
    this.stopping.delete(id);
    this.minds.delete(id);
    this.look();
  }
  stop(id: string) {
    if (!this.running.has(id)) return;
    this.stopping.add(id);
    this.look();
  }
  cut(...groups: (readonly string[])[]) {
    this.groups = groups.length ? groups : undefined;
    this.look();
  }
  look() {
    this.engine.changed(this);
    this.check();
  }
  ask(ask: Ask) {
    this.engine.ask(this, ask);
    this.check();
  }
  /** Runs on for so long; at most until nothing is in flight. */
  run(forMs: number) {
    const until = this.nowMs + forMs;
    for (let next = this.mail.peek(); next && next.atMs <= until; next = this.mail.peek()) {
      this.mail.pop();
      this.nowMs = next.atMs;
      if (!this.up(next.from) || !this.up(next.to) || !this.reach(next.from, next.to)) continue;
      this.engine.arrived(this, next.to, next.from, next.body);
      this.check();
    }
    this.nowMs = until;
  }
}

/** A stream of draws for one seed. */
export function luck(seed: number) {
  let n = 0;
  return {
    chance: () => draw(seed, `luck${n++}`),
    int: (least: number, most: number) => drawInt(seed, `luck${n++}`, least, most),
    one: <T>(list: readonly T[]): T => list[drawInt(seed, `luck${n++}`, 0, list.length - 1)]!
  };
}
