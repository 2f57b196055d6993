/** A simulated Shale host: it has run for years, starts from what it has stored and opens SSH. */
import { LabDevice } from '../device.ts';
import type { DoorOptions } from '../ssh.ts';
import type { HostFiles } from './files.ts';
import { execute, type ShaleMemory } from './commands.ts';

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
    this.memory.stored = this.options.flash.kept.split('\n').filter((line) => line !== '');
    this.memory.running = [...this.memory.stored];
    await this.openDoor();
  }

  print(): string {
    return this.memory.running.map((line) => `${line}\n`).join('');
  }

  get address(): string | undefined {
    return this.memory.running.map((line) => /^address \S+ (\S+)\//.exec(line)?.[1]).find((one) => one !== undefined);
  }

  protected ways(): string[] {
    return this.memory.running.flatMap((line) => /^(?:route \S+|ntp) (\S+)$/.exec(line)?.[1] ?? []);
  }

  protected override stored(): Record<string, string> {
    return Object.fromEntries([...Object.entries(super.stored()), ['/etc/shale/licence', this.memory.licence]]);
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'exec' | 'forward'> {
    const { particulars, wire } = this.options;
    const { model, serial } = particulars;
    return {
      admits: (user, password) =>
        !this.has('other-password') && !this.isShut && this.memory.running.includes(`user ${user} word ${password}`),
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
