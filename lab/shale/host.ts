/** A simulated Shale host: it has run for years, starts from what it has stored and opens SSH. */
import { createHash } from 'node:crypto';
import { fitsSha512crypt } from '@zpine/core/text/sha512crypt';
import type { Lease } from '../boot/dhcpClient.ts';
import type { Rejected } from '../boot/netBoot.ts';
import { LabDevice } from '../device.ts';
import type { DoorOptions } from '../ssh.ts';
import type { HostFiles } from './files.ts';
import { execute, unfitLine, type ShaleMemory } from './commands.ts';

const sha512 = (bytes: Uint8Array): Uint8Array => createHash('sha512').update(bytes).digest();

export class ShaleHost extends LabDevice {
  private readonly memory: ShaleMemory = {
    running: [],
    stored: [],
    licence: Buffer.from(`\u0000licence ${this.options.particulars.serial}\u0001`).toString('base64'),
  };
  /** On its disk: power has nothing to do with them. */
  readonly files: HostFiles = new Map();
  private guarding: NodeJS.Timeout | undefined;

  protected override forget(): void {
    clearTimeout(this.guarding);
  }

  /** What runs comes back by itself, unless somebody says that it holds. */
  private guard(seconds: number | undefined): void {
    clearTimeout(this.guarding);
    if (seconds === undefined) return;
    const before = [...this.memory.running];
    this.guarding = setTimeout(() => {
      this.memory.running = before;
      this.note('nobody held the change: what ran before runs again');
    }, seconds * 1000);
  }

  protected async boot(signal: AbortSignal): Promise<void> {
    await this.pause(2, signal);
    if (this.has('stored') && this.options.flash.kept === '') this.options.flash.kept = 'host left-over\n';
    if (this.options.flash.kept === '') return this.bootFromNet(signal);
    this.memory.stored = this.options.flash.kept.split('\n').filter((line) => line !== '');
    this.memory.running = [...this.memory.stored];
    await this.openDoor();
  }

  /** Its first file lies behind a URL, which comes by an option of the site's own. */
  private async bootFromNet(signal: AbortSignal): Promise<void> {
    if (this.has('deaf')) return this.note('would boot from the network, but sends nothing');
    for (;;) {
      const lease = await this.net.ask(signal);
      const script = lease && (await this.net.fetch(lease, signal, true));
      const text = script === undefined || !lease ? undefined : await this.run(script, lease, signal);
      if (text !== undefined) return this.apply(text, signal);
      await this.pause(8, signal);
    }
  }

  /** What a script puts in force, of which it knows the two lines that boot scripts are made of; or a text as it is. */
  private async run(script: string, lease: Lease, signal: AbortSignal): Promise<string | undefined> {
    if (!script.startsWith('#!')) return script;
    const fetched = new Map<string, string>();
    for (const line of script.split('\n')) {
      const [, into = '', url = ''] = /^curl -fsS -o (\S+) (\S+)$/.exec(line) ?? [];
      if (url !== '') {
        const text = await this.net.fetch({ ...lease, script: url }, signal, true);
        if (text === undefined) return undefined;
        fetched.set(into, text);
      }
      const [, started] = /^shale start (\S+)$/.exec(line) ?? [];
      if (started !== undefined) return fetched.get(started);
    }
    this.note('its script starts nothing');
    return undefined;
  }

  private async apply(text: string, signal: AbortSignal): Promise<void> {
    await this.pause(3, signal);
    const rejected: Rejected[] = [];
    let report: string | undefined;
    this.memory.running = [];
    for (const line of text.split('\n').filter((one) => one !== '' && !one.startsWith('#'))) {
      const url = /^report (\S+)$/.exec(line)?.[1];
      if (url !== undefined) report = url;
      const why = this.has('rejects-line') && line.startsWith('port ') ? 'internal fault' : unfitLine(line);
      if (why === undefined) this.memory.running.push(line);
      else rejected.push({ line, why });
    }
    this.note(`applied ${text.split('\n').length} lines, ${rejected.length} turned down`);
    if (!this.has('forgets') && this.store(this.print()) === undefined) this.memory.stored = [...this.memory.running];
    await this.pause(2, signal);
    await this.openDoor();
    if (report !== undefined && !this.isCutOff && !this.has('silent') && !this.has('mute'))
      await this.net.home(report, text, rejected, this.ownAddress, signal);
  }

  private admits(user: string, password: string): boolean {
    const words = this.memory.running.flatMap((line) => /^user (\S+) word (\S+)$/.exec(line)?.slice(1) ?? []);
    const word = words[words.indexOf(user) + 1];
    if (word === undefined || !words.includes(user)) return false;
    return word.startsWith('$6$') ? fitsSha512crypt(password, word, sha512) : word === password;
  }

  print(): string {
    return this.memory.running.map((line) => `${line}\n`).join('');
  }

  get address(): string | undefined {
    return this.memory.running.map((line) => /^address \S+ (\S+)\//.exec(line)?.[1]).find((one) => one !== undefined);
  }

  protected isCarried(port: string): boolean {
    return !this.memory.running.includes(`port ${port} down`);
  }

  protected ways(): string[] {
    return this.memory.running.flatMap((line) => /^(?:route \S+|ntp) (\S+)$/.exec(line)?.[1] ?? []);
  }

  protected override stored(): Record<string, string> {
    return Object.fromEntries([...Object.entries(super.stored()), ['/etc/shale/licence', this.memory.licence]]);
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'knowsKey' | 'exec' | 'forward'> {
    const { particulars, wire } = this.options;
    const { model, serial } = particulars;
    return {
      admits: (user, password) => !this.has('other-password') && !this.isShut && this.admits(user, password),
      knowsKey: (user, key) => !this.isShut && this.memory.running.includes(`user ${user} key ${key}`),
      exec: async (command) => {
        const url = /^shale fetch (\S+)$/.exec(command)?.[1];
        if (url !== undefined) {
          const got = await this.fetchImage(url.replace(/^'(.*)'$/, '$1'));
          return typeof got === 'string'
            ? { out: '', wrong: `shale: ${got}\n`, status: 1 }
            : { out: `${got.name} ${got.bytes}\n`, wrong: '', status: 0 };
        }
        return execute(command, {
          images: this.images,
          memory: this.memory,
          about: () => ({
            name: this.memory.running.map((line) => /^host (\S+)$/.exec(line)?.[1]).find(Boolean) ?? 'shale',
            model,
            serial,
            version: this.images.version,
          }),
          hears: () => this.heard,
          facts: this.facts,
          files: this.files,
          fileFaults: { full: () => this.has('no-room'), loses: () => this.has('drops-line') },
          note: (what) => this.note(what),
          changed: () => this.lineChanged(),
          guard: (seconds) => this.guard(seconds),
          keep: () => {
            const why = this.store(this.print());
            if (why === undefined) this.memory.stored = [...this.memory.running];
            return why;
          },
          reboot: this.restart,
          fault: (line) => this.lineFaultAmong(/(clock|log|ntp)/, line),
        });
      },
      forward: (address, port) => wire.to(address, port),
    };
  }
}
