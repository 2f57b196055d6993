/** What one meets behind the prompt of a Quill router. */
import type { Facts } from '../facts.ts';
import type { Hears } from '../hears.ts';
import type { Images } from '../images.ts';
import { actOf, readBeside } from './beside.ts';
import type { Script } from './script.ts';

export interface QuillHost {
  script: () => Script;
  putInForce: (script: Script) => void;
  about: () => string;
  hears: () => readonly Hears[];
  facts: Facts;
  shelf: () => string;
  /** Stores a text as it is, to be in force after a restart; gives why it could not. */
  fill: (text: string) => string | undefined;
  /** Stores what is in force; gives why it could not. */
  shelve: () => string | undefined;
  restart: () => void;
  /** Left out where it is a script alone. */
  images?: Images;
  bring?: (url: string) => Promise<{ name: string; bytes: number } | string>;
  /** A line of a change was taken; gives whether the session ends there. */
  changed: () => boolean;
  /** What it calls itself in its prompt. */
  prompt: (name: string) => string;
  /** A line that it turns down although it is fit, or swallows. */
  fault: (line: string) => 'turn down' | 'swallow' | undefined;
}

/** Lines of a page of its screen, as long as pages are on. */
const PAGE = 23;

const lines = (all: string[]): string => all.map((line) => `${line}\n`).join('');

export class QuillShell {
  private readonly host: QuillHost;
  private draft: Script | undefined;
  /** Lines for the shelf, as they come. */
  private filling: string[] | undefined;
  private pages = true;
  private unread: string[] = [];
  private asking = false;
  /** It asks whether the old key may go. */
  private renewing = false;
  private bringing: Promise<string> | undefined;

  constructor(host: QuillHost) {
    this.host = host;
  }

  pager(): boolean {
    return this.unread.length > 0;
  }

  prompt(): string {
    if (this.unread.length > 0) return '-- turn the page --';
    if (this.renewing) return 'renew the key? (y/n) ';
    if (this.asking) return 'shelve the script first? (y/n) ';
    const name = this.host.prompt(this.host.script().first(/^host \/ name (\S+)$/) ?? 'quill');
    return `${name} ;${this.filling ? 'shelf;' : this.draft ? 'draft;' : ''} `;
  }

  line(text: string): string | undefined {
    if (this.unread.length > 0) return this.page();
    if (this.filling) return this.fill(text, this.filling);
    const line = text.trim();
    if (this.renewing) return this.renew(line);
    if (this.asking) return this.answer(line);
    if (line === '') return '';
    const reply = this.draft ? this.inDraft(line, this.draft) : this.plain(line);
    if (reply === undefined || !this.pages) return reply;
    const all = reply.split('\n');
    if (all.length <= PAGE) return reply;
    this.unread = all.slice(PAGE);
    return lines(all.slice(0, PAGE));
  }

  private page(): string {
    const now = this.unread.slice(0, PAGE);
    this.unread = this.unread.slice(PAGE);
    return this.unread.length > 0 ? lines(now) : now.join('\n');
  }

  private plain(line: string): string | undefined {
    const { host } = this;
    switch (line) {
      case 'read script':
        return `# inked at ${new Date().toISOString()}\n${host.script().print()}`;
      case 'read shelf':
        return host.shelf();
      case 'read about':
        return host.about();
      case 'read ports':
        return this.ports();
      case 'read kin':
        return lines(
          host.hears().flatMap(({ on, neighbour, port }) => (neighbour ? [`${on}: ${neighbour} by its ${port}`] : [])),
        );
      case 'read pairs':
        return lines(
          host.hears().flatMap(({ on, address, mac }) => (address && mac ? [`${address} is ${mac} by ${on}`] : [])),
        );
      case 'pages off':
        this.pages = false;
        return '';
      case 'pen':
        this.draft = host.script().copy();
        return '';
      case 'shelve': {
        const why = host.shelve();
        return why === undefined ? 'shelved\n' : `unfit: ${why}\n`;
      }
      case 'fill shelf':
        this.filling = [];
        return '';
      case 'begin anew':
        this.asking = true;
        return '';
      case 'close':
        return undefined;
      default:
        return (
          this.system(line) ??
          readBeside(line, host.script(), host.facts) ??
          this.act(line) ??
          `no such word: ${line}\n`
        );
    }
  }

  /** What takes its time, once. */
  pending(): Promise<string> | undefined {
    const { bringing } = this;
    this.bringing = undefined;
    return bringing;
  }

  /** What has to do with its images. */
  private system(line: string): string | undefined {
    const { images, bring } = this.host;
    if (!images) return undefined;
    if (line === 'read images')
      return lines([`runs: ${images.runs}`, `starts: ${images.next}`, `free: ${images.free}`]);
    const [, file, server] = /^bring (\S+) from (\d+\.\d+\.\d+\.\d+)$/.exec(line) ?? [];
    if (file !== undefined && server !== undefined) {
      this.bringing = bring?.(`tftp://${server}/${file}`).then((got) =>
        typeof got === 'string' ? `unfit: ${got}\n` : `brought ${got.bytes} bytes\n`,
      );
      return '';
    }
    const [, verb, what = ''] = /^(throw|start with) (\S+)$/.exec(line) ?? [];
    if (verb === undefined) return undefined;
    const why = verb === 'throw' ? images.drop(what) : images.startWith(what);
    return why === undefined ? '' : `unfit: ${why}\n`;
  }

  /** What it can be told to do. */
  private act(line: string): string | undefined {
    if (line === 'renew key') {
      this.renewing = true;
      return '';
    }
    return actOf(line, this.host.script(), this.host.facts);
  }

  private renew(line: string): string {
    this.renewing = false;
    if (line !== 'y') return 'unfit: the key stays\n';
    this.host.facts.mint();
    return `key ${this.host.facts.fingerprint}\n`;
  }

  private fill(line: string, lines: string[]): string {
    if (line.trim() !== '.') {
      lines.push(line);
      return '';
    }
    this.filling = undefined;
    const why = this.host.fill(lines.map((one) => `${one}\n`).join(''));
    return why === undefined ? 'filled\n' : `unfit: ${why}\n`;
  }

  private answer(line: string): string | undefined {
    this.asking = false;
    if (line === 'y') this.host.shelve();
    this.host.restart();
    return undefined;
  }

  private inDraft(line: string, draft: Script): string | undefined {
    const [, verb, rest = ''] = /^(write|blot) (.+)$/.exec(line) ?? [];
    if (verb !== undefined) {
      const fault = this.host.fault(line);
      if (fault === 'turn down') return 'unfit: internal fault\n';
      if (fault === 'swallow') return '';
      const path = rest.split(' / ');
      const why =
        verb === 'write' ? draft.write(path) : draft.blot(path) ? undefined : `there is no "${path.at(-1) ?? ''}"`;
      if (why !== undefined) return `unfit: ${why}\n`;
      return this.host.changed() ? undefined : '';
    }
    switch (line) {
      case 'read script':
        return draft.print();
      case 'proof':
        return this.proof(draft);
      case 'ink': {
        const wrong = this.proof(draft);
        if (wrong.startsWith('unfit')) return wrong;
        this.host.putInForce(draft);
        this.draft = undefined;
        return 'in force\n';
      }
      case 'tear':
        this.draft = undefined;
        return 'torn\n';
      default:
        return `no such word: ${line}\n`;
    }
  }

  /** A draft holds together: who may come in has a password, and a way out leads to a network of its own. */
  private proof(draft: Script): string {
    const paths = draft.paths();
    if (!paths.some((path) => /^account \S+ \/ word /.test(path))) return 'unfit: nobody could come in any more\n';
    if (!paths.includes('door / ssh on')) return 'unfit: the door would be shut\n';
    return 'fit\n';
  }

  private ports(): string {
    const script = this.host.script();
    const paths = script.paths();
    const names = [...new Set(paths.flatMap((path) => /^port (\S+) \//.exec(path)?.[1] ?? []))];
    const heard = this.host.hears();
    return lines(
      names.map((name) => {
        const off = paths.includes(`port ${name} / link off`);
        const isLoop = name.startsWith('self');
        const state = off ? 'off' : isLoop || heard.some((one) => one.on === name) ? 'up' : 'down';
        const address = paths
          .map((path) => new RegExp(`^port ${name} / (?:vlan \\d+ / )?address (\\S+)$`).exec(path)?.[1])
          .find((one) => one !== undefined);
        return `${name} is ${state}${address === undefined ? '' : ` with ${address}`}`;
      }),
    );
  }
}
