/** What a person or program meets behind the prompt of a Furrow switch. */
import type { Facts } from '../facts.ts';
import type { Images } from '../images.ts';
import type { Memory } from './memory.ts';

export interface ShellHost {
  memory: Memory;
  /** What of a configuration is shown. */
  shown: (text: string) => string;
  about: () => string;
  /** What it tells by the other words: faces, kin, pairs, macs, clock. */
  tell: (word: string) => string | undefined;
  /** Whether this user may change anything without climbing. */
  full: boolean;
  /** Turns down or swallows lines, where it has such a fault. */
  fault: (line: string) => 'turn down' | 'swallow' | undefined;
  /** The card of its sockets is not up yet. */
  starting: () => boolean;
  kept: () => string;
  /** Stores the running configuration; gives why it could not. */
  keep: () => string | undefined;
  restart: () => void;
  erase: () => void;
  /** A line of a change was taken; gives whether the session ends there. */
  changed: () => boolean;
  /** What it calls itself in its prompt. */
  prompt: (name: string) => string;
  facts: Facts;
  /** Left out where it is a memory alone. */
  images?: Images;
  haul?: (url: string) => Promise<{ name: string; bytes: number } | string>;
}

export class Shell {
  private readonly host: ShellHost;
  private ploughing = false;
  private way: string[] = [];
  private climbing = false;
  private top = false;
  /** It asks whether it is to go on. */
  private minting = false;
  private hauling: Promise<string> | undefined;

  constructor(host: ShellHost) {
    this.host = host;
  }

  prompt(): string {
    if (this.climbing) return 'phrase: ';
    if (this.minting) return 'the old key is gone then: go on? (yes/no) ';
    const name = this.host.prompt(this.host.memory.first(/^name (\S+)$/) ?? 'furrow');
    return `${name}${this.ploughing ? '/plough' : this.top ? '/top' : ''}: `;
  }

  /** The reply to a line, or undefined when the session is over. */
  line(text: string): string | undefined {
    const line = text.trim();
    if (this.climbing) return this.climb(line);
    if (this.minting) return this.mint(line);
    if (line === '') return '';
    return this.ploughing ? this.plough(line) : this.plain(line);
  }

  private plain(line: string): string | undefined {
    const { host } = this;
    switch (line) {
      case 'tell about':
        return host.about();
      case 'tell now':
        return host.shown(host.memory.print());
      case 'tell kept':
        return host.shown(host.kept());
      case 'keep': {
        const why = host.keep();
        return why === undefined ? 'kept\n' : `not taken: ${why}\n`;
      }
      case 'climb':
        this.climbing = true;
        return '';
      case 'plough':
        if (!host.full && !this.top) return 'not taken: you only look; climb first\n';
        this.ploughing = true;
        this.way = [];
        return '';
      case 'restart':
        host.restart();
        return undefined;
      case 'scrub':
        host.erase();
        return 'erased; restart to begin anew\n';
      case 'leave':
        return undefined;
      default: {
        const told = /^tell (\S+( to \S+)?)$/.exec(line)?.[1];
        const reply = this.system(line) ?? (told === undefined ? this.act(line) : host.tell(told));
        return reply ?? `not understood: ${line}\n`;
      }
    }
  }

  /** What takes its time, once. */
  pending(): Promise<string> | undefined {
    const { hauling } = this;
    this.hauling = undefined;
    return hauling;
  }

  /** What has to do with its images. */
  private system(line: string): string | undefined {
    const { images, haul, full } = this.host;
    const [, verb, what = ''] = /^(haul|discard|wake|tell images)(?: (\S+))?$/.exec(line) ?? [];
    if (!images || verb === undefined) return undefined;
    if (verb === 'tell images') return `runs   ${images.runs}\nwakes  ${images.next}\nfree   ${images.free}\n`;
    if (!full && !this.top) return 'not taken: you only look; climb first\n';
    if (verb === 'haul') {
      this.hauling = haul?.(what).then((got) =>
        typeof got === 'string' ? `not taken: ${got}\n` : `hauled ${got.name}, ${got.bytes} bytes\n`,
      );
      return '';
    }
    const why = verb === 'wake' ? images.startWith(what) : images.drop(what);
    return why === undefined ? '' : `not taken: ${why}\n`;
  }

  /** What it can be told to do. */
  private act(line: string): string | undefined {
    const { facts, memory, full } = this.host;
    const [, verb, rest = ''] = /^(probe|bounce socket|clear counts|clock to|mint key)(?: (.+))?$/.exec(line) ?? [];
    if (verb === undefined) return undefined;
    if (verb === 'probe') {
      if (!/^\d{1,3}(\.\d{1,3}){3}$/.test(rest)) return `not understood: ${line}\n`;
      return `${facts.probe(rest)} of 3 back from ${rest}\n`;
    }
    if (!full && !this.top) return 'not taken: you only look; climb first\n';
    const sockets = memory.below(/^socket (\S+)$/).map(({ head }) => head[1]);
    const port = rest.replace(/^socket /, '');
    const known = sockets.includes(port);
    switch (verb) {
      case 'bounce socket':
        if (!known) return `not taken: socket ${port} is not set up\n`;
        facts.bounce(port);
        return '';
      case 'clear counts':
        if (rest !== '' && !known) return `not taken: socket ${port} is not set up\n`;
        facts.clear(port);
        return '';
      case 'clock to': {
        const why = facts.setClock(rest);
        return why === undefined ? `it is ${facts.clock()}\n` : `not taken: ${why}\n`;
      }
      default:
        this.minting = true;
        return '';
    }
  }

  private mint(line: string): string {
    this.minting = false;
    if (line !== 'yes') return 'not taken: nobody said yes\n';
    this.host.facts.mint();
    return `key ${this.host.facts.fingerprint}\n`;
  }

  private climb(phrase: string): string {
    this.climbing = false;
    if (phrase !== '' && phrase === this.host.memory.first(/^climb by (\S+)$/)) {
      this.top = true;
      return '';
    }
    return 'not taken: that is not the phrase\n';
  }

  private plough(line: string): string | undefined {
    if (line === 'rest') {
      this.ploughing = false;
      return '';
    }
    if (line === 'up') {
      this.way = this.way.slice(0, -1);
      return '';
    }
    const struck = /^strike (.+)$/.exec(line)?.[1];
    if (struck !== undefined) {
      if (!this.host.memory.strike(this.way, struck)) return `not taken: there is no "${struck}" here\n`;
      return this.host.changed() ? undefined : '';
    }
    if (line.startsWith('socket ') && this.host.starting()) return 'not taken: the card of that socket is starting\n';
    const fault = this.host.fault(line);
    if (fault === 'turn down') return 'not taken: internal fault\n';
    if (fault === 'swallow') return '';
    // A line that does not fit where one stands is tried from the outside, as typed files want it.
    let taken = this.host.memory.take(this.way, line);
    if ('why' in taken && this.way.length > 0) {
      const outer = this.host.memory.take([], line);
      if ('way' in outer) taken = outer;
    }
    if ('why' in taken) return `not taken: ${taken.why}\n`;
    this.way = taken.way;
    return this.host.changed() ? undefined : '';
  }
}
