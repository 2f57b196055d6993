/** A simulated device that has run for years: it starts from what it has stored and opens SSH. Quill routers, Shale hosts. */
import { type Fault } from './faults.ts';
import { type Flash, type Particulars } from './furrow/switch.ts';
import { type Hears } from './hears.ts';
import { Script } from './quill/script.ts';
import { QuillShell } from './quill/shell.ts';
import { execute, type ShaleMemory } from './shale/host.ts';
import { sleep } from './sleep.ts';
import { doorFaults, SshDoor, type DoorOptions } from './ssh.ts';
import { type Wire } from './wire.ts';

interface RunningOptions {
  particulars: Particulars;
  wire: Wire;
  flash: Flash;
  faults: Set<Fault>;
  hears: readonly Hears[];
  paceMs: number;
  saved: () => void;
}

abstract class RunningDevice {
  readonly options: RunningOptions;
  readonly log: { at: string; text: string }[] = [];
  private power: AbortController | undefined;
  private door: SshDoor | undefined;
  private life: Promise<void> = Promise.resolve();

  constructor(options: RunningOptions) {
    this.options = options;
  }

  /** Takes what is stored into force. */
  protected abstract load(): void;
  abstract print(): string;
  abstract get address(): string | undefined;
  protected abstract behindTheDoor(): Pick<DoorOptions, 'admits' | 'shell' | 'exec' | 'forward'>;

  get isOn(): boolean {
    return this.power !== undefined;
  }

  on(): void {
    if (this.power) return;
    const power = new AbortController();
    this.power = power;
    this.note('power on');
    this.life = this.start(power.signal).catch((error: unknown) => {
      if (!power.signal.aborted) this.note(`stopped: ${error instanceof Error ? error.message : String(error)}`);
    });
  }

  async off(): Promise<void> {
    if (!this.power) return;
    this.power.abort();
    this.power = undefined;
    await this.life;
    await this.door?.close();
    this.door = undefined;
    this.note('power off');
  }

  erase(): void {
    this.options.flash.kept = '';
    this.options.saved();
  }

  protected has(fault: Fault): boolean {
    return this.options.faults.has(fault);
  }

  protected get heard(): readonly Hears[] {
    return this.has('unplugged') ? this.options.hears.slice(1) : this.options.hears;
  }

  protected note(text: string): void {
    this.log.push({ at: new Date().toISOString(), text });
    if (this.log.length > 500) this.log.shift();
  }

  protected readonly lineFault = (line: string): 'turn down' | 'swallow' | undefined => {
    if (this.has('rejects-line') && /(clock|log|ntp)/.test(line)) return 'turn down';
    return this.has('drops-line') && /(clock|log|ntp)/.test(line) ? 'swallow' : undefined;
  };

  protected store(text: string): string | undefined {
    if (this.has('no-room')) return 'no room';
    this.options.flash.kept = text;
    this.options.saved();
    return undefined;
  }

  protected readonly restart = (): void => {
    setTimeout(() => void this.off().then(() => this.on()), 20);
  };

  private async start(signal: AbortSignal): Promise<void> {
    await sleep(this.options.paceMs * (this.has('slow') ? 8 : 2), signal);
    if (signal.aborted) return;
    this.load();
    const { address } = this;
    if (address === undefined || this.has('mute')) return;
    const { flash, wire, faults } = this.options;
    this.door = new SshDoor({
      ...wire.to(address, 22),
      hostKey: flash.hostKey,
      faults: doorFaults(faults),
      ...this.behindTheDoor(),
    });
    await this.door.open();
    this.note(`SSH opens at ${address}`);
  }
}

export class QuillRouter extends RunningDevice {
  private script = new Script();

  protected load(): void {
    this.script = Script.from(this.options.flash.kept);
  }

  print(): string {
    return this.script.print();
  }

  get address(): string | undefined {
    return (
      this.script.first(/^loop \d+ \/ address (\S+)\//) ??
      this.script.first(/^port \S+ \/ (?:vlan \d+ \/ )?address (\S+)\//)
    );
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'shell'> {
    const { particulars, flash } = this.options;
    return {
      admits: (user, password) =>
        !this.has('other-password') && this.script.paths().includes(`account ${user} / word plain ${password}`),
      shell: () =>
        new QuillShell({
          script: () => this.script,
          putInForce: (script) => (this.script = script),
          about: () => `model: ${particulars.model}\nserial: ${particulars.serial}\nrelease: ${particulars.version}\n`,
          hears: () => this.heard,
          shelf: () => flash.kept,
          shelve: () => this.store(this.script.print()),
          restart: this.restart,
          fault: this.lineFault,
        }),
    };
  }
}

export class ShaleHost extends RunningDevice {
  private readonly memory: ShaleMemory = { running: [], stored: [] };

  protected load(): void {
    this.memory.stored = this.options.flash.kept.split('\n').filter((line) => line !== '');
    this.memory.running = [...this.memory.stored];
  }

  print(): string {
    return this.memory.running.map((line) => `${line}\n`).join('');
  }

  get address(): string | undefined {
    return this.memory.running.map((line) => /^address \S+ (\S+)\//.exec(line)?.[1]).find((one) => one !== undefined);
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'exec' | 'forward'> {
    const { particulars, wire } = this.options;
    const { model, serial, version } = particulars;
    return {
      admits: (user, password) =>
        !this.has('other-password') && this.memory.running.includes(`user ${user} word ${password}`),
      exec: (command) =>
        execute(command, {
          memory: this.memory,
          about: { model, serial, version },
          hears: () => this.heard,
          keep: () => {
            const why = this.store(this.print());
            if (why === undefined) this.memory.stored = [...this.memory.running];
            return why;
          },
          reboot: this.restart,
          fault: this.lineFault,
        }),
      forward: (address, port) => wire.to(address, port),
    };
  }
}
