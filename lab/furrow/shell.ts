/** What a person or program meets behind the prompt of a Furrow switch. */
import { type Memory } from './memory.ts';

export interface ShellHost {
  memory: Memory;
  about: () => string;
  kept: () => string;
  /** Stores the running configuration; gives why it could not. */
  keep: () => string | undefined;
  restart: () => void;
  erase: () => void;
}

export class Shell {
  private readonly host: ShellHost;
  private ploughing = false;
  private way: string[] = [];

  constructor(host: ShellHost) {
    this.host = host;
  }

  prompt(): string {
    const name = this.host.memory.first(/^name (\S+)$/) ?? 'furrow';
    return `${name}${this.ploughing ? '/plough' : ''}: `;
  }

  /** The reply to a line, or undefined when the session is over. */
  line(text: string): string | undefined {
    const line = text.trim();
    if (line === '') return '';
    return this.ploughing ? this.plough(line) : this.plain(line);
  }

  private plain(line: string): string | undefined {
    const { host } = this;
    switch (line) {
      case 'tell about':
        return host.about();
      case 'tell now':
        return host.memory.print();
      case 'tell kept':
        return host.kept();
      case 'keep': {
        const why = host.keep();
        return why === undefined ? 'kept\n' : `not taken: ${why}\n`;
      }
      case 'plough':
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
      default:
        return `not understood: ${line}\n`;
    }
  }

  private plough(line: string): string {
    if (line === 'rest') {
      this.ploughing = false;
      return '';
    }
    if (line === 'up') {
      this.way = this.way.slice(0, -1);
      return '';
    }
    const struck = /^strike (.+)$/.exec(line)?.[1];
    if (struck !== undefined)
      return this.host.memory.strike(this.way, struck) ? '' : `not taken: there is no "${struck}" here\n`;
    // A line that does not fit where one stands is tried from the outside, as typed files want it.
    let taken = this.host.memory.take(this.way, line);
    if ('why' in taken && this.way.length > 0) {
      const outer = this.host.memory.take([], line);
      if ('way' in outer) taken = outer;
    }
    if ('why' in taken) return `not taken: ${taken.why}\n`;
    this.way = taken.way;
    return '';
  }
}
