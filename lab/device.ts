/** What all simulated devices have: power, a memory that survives it, images, a log, faults, and a door for SSH. */
import { createHash } from 'node:crypto';
import type { Fault } from './faults.ts';
import { fetchFile } from './boot/tftpClient.ts';
import { askHttp } from './boot/httpClient.ts';
import { dialectOfModel, Images, type ImageFlash } from './images.ts';
import { NetBoot, type Plug } from './boot/netBoot.ts';
import { Facts, type Part } from './facts.ts';
import type { Hears } from './hears.ts';
import { sleep } from './sleep.ts';
import { BareDoor } from './bare.ts';
import { Gauge } from './gauge.ts';
import { doorFaults, fingerprintOf, newHostKey, SshDoor, type DoorOptions } from './ssh.ts';
import type { Wire } from './wire.ts';

/** What it is, screwed on. */
export type Particulars = {
  serial: string;
  model: string;
  mac: string;
  version: string;
  /** What is in its slots. */
  cards: Card[];
};

type Card = {
  /** `3`, or `3/1` for a card in a card. */
  slot: string;
  model: string;
  serial: string;
};

/** What survives a power cut. */
export type Flash = {
  kept: string;
  /** OpenSSH private key. */
  hostKey: string;
  /** Its images; those that it came with, before anybody changed them. */
  system?: ImageFlash;
};

export type DeviceOptions = {
  particulars: Particulars;
  wire: Wire;
  flash: Flash;
  faults: Set<Fault>;
  hears: readonly Hears[];
  /** How long a step of booting takes. */
  paceMs: number;
  saved: () => void;
  /** Where it hangs; what starts from its own configuration hangs nowhere. */
  plug?: Plug;
  /** The port by which its packets go and come; left out: there is always a way. */
  uplink?: string | undefined;
};

type BehindTheDoor = Pick<DoorOptions, 'admits' | 'knowsKey' | 'shell' | 'exec' | 'forward'>;

const LONGEST_LOG = 500;

/** Whose devices speak which language. */
const MAKERS = { furrow: 'larkfield', quill: 'copperbell', shale: 'tarnwick' } as const;

/** Once the answer to a line is on its way. */
const SOON_MS = 30;

/** How long a card takes to start. */
const STARTS_MS = 1500;

/** An example's enterprise (RFC 5612), and a product of it. */
const PRODUCT = '1.3.6.1.4.1.32473.1.7';

export abstract class LabDevice<Options extends DeviceOptions = DeviceOptions> {
  readonly options: Options;
  readonly log: { at: string; text: string }[] = [];
  private power: AbortController | undefined;
  private door: SshDoor | undefined;
  private bareDoor: BareDoor | undefined;
  private gauge: Gauge | undefined;
  private life: Promise<void> = Promise.resolve();
  readonly facts: Facts;
  readonly images: Images;
  readonly net: NetBoot;

  constructor(options: Options) {
    this.options = options;
    const { flash, particulars } = options;
    this.images = new Images({
      dialect: this.language,
      model: particulars.model,
      version: particulars.version,
      flash,
      saved: options.saved,
      full: () => this.has('no-room'),
    });
    this.net = new NetBoot({
      ...{ particulars, wire: options.wire },
      plug: () => {
        if (!this.options.plug) throw new Error('it hangs nowhere');
        return this.options.plug;
      },
      paceMs: options.paceMs,
      vendorClass: () => `${MAKERS[this.language]} ${particulars.model} ${this.language} ${this.images.version}`,
      version: () => this.images.version,
      has: (fault) => this.has(fault),
      note: (text) => this.note(text),
      pause: (steps, signal) => this.pause(steps, signal),
    });
    this.facts = new Facts({
      has: (fault) => this.has(fault),
      hears: () => this.plugged,
      ways: () => this.ways(),
      parts: () => this.parts(),
      guests: () => this.door?.guests() ?? [],
      log: () => this.log,
      files: () => [
        ...Object.entries(this.stored()).map(([name, text]) => ({
          ...{ name, bytes: Buffer.byteLength(text) },
          sha256: createHash('sha256').update(text).digest('hex'),
        })),
        ...this.images.list(),
      ],
      fingerprint: () => fingerprintOf(flash.hostKey),
      mint: () => {
        flash.hostKey = newHostKey();
        options.saved();
        this.door?.rekey(flash.hostKey);
        this.note(`another host key: ${fingerprintOf(flash.hostKey)}`);
      },
    });
  }

  private get language(): keyof typeof MAKERS {
    return dialectOfModel(this.options.particulars.model);
  }

  /** From power on to where it waits for whoever comes; throws when it is switched off meanwhile. */
  protected abstract boot(signal: AbortSignal): Promise<void>;
  /** What is in force. */
  abstract print(): string;
  abstract get address(): string | undefined;
  protected abstract behindTheDoor(): BehindTheDoor;
  /** Whether packets to its own address get in and out by a port, as its configuration has it. */
  protected abstract isCarried(port: string): boolean;
  /** Addresses that it has a way to. */
  protected abstract ways(): string[];
  /** Texts in its store by name, beside its images. */
  protected stored(): Record<string, string> {
    return { configuration: this.options.flash.kept };
  }

  /** Fetches an image into its store, by `http:` or `tftp:`; gives why it did not, or its name. */
  protected async fetchImage(url: string, signal?: AbortSignal): Promise<{ name: string; bytes: number } | string> {
    const { wire } = this.options;
    const target = URL.canParse(url) ? new URL(url) : undefined;
    const name = target?.pathname.split('/').at(-1) ?? '';
    if (!target || !['http:', 'tftp:'].includes(target.protocol) || name === '') return 'that is no URL of a file';
    const cutAt = this.has('truncated') ? 4096 : undefined;
    try {
      const found =
        target.protocol === 'tftp:'
          ? await fetchFile({
              ...{
                from: wire.at(this.ownAddress ?? '0.0.0.0'),
                to: wire.to(target.hostname, Number(target.port || 69)),
              },
              ...{ name: target.pathname.slice(1), blockSize: 1428, windowSize: 16, cutAt },
              signal: signal ?? new AbortController().signal,
            })
          : await this.fetchByHttp(url, cutAt);
      if (this.has('damages-files') && found.length > 100) found[found.length - 1] = (found.at(-1) ?? 0) ^ 1;
      const why = this.images.put(name, found);
      this.note(why === undefined ? `fetched ${name}, ${found.length} bytes` : `${name}: ${why}`);
      return why ?? { name, bytes: found.length };
    } catch (error) {
      const why = error instanceof Error ? error.message : String(error);
      this.note(`${name}: ${why}`);
      return why;
    }
  }

  private async fetchByHttp(url: string, cutAt: number | undefined): Promise<Buffer> {
    const { status, body } = await askHttp({ url, wire: this.options.wire, from: this.ownAddress, cutAt });
    if (status !== 200) throw new Error(`the server answers ${status}`);
    return body;
  }

  /** Where it is: by its configuration, or by its lease. */
  protected get ownAddress(): string | undefined {
    return this.address ?? this.net.lease?.address;
  }

  /** Starts what it is told to start with, if that can be started. */
  protected startImage(): void {
    const told = this.images.start(this.has('image-fails'));
    if (told !== undefined) this.note(told);
    this.isOnNewImage = told?.startsWith('starts with') === true;
  }

  /** Since its last restart. */
  private isOnNewImage = false;

  /** What is in its slots: up, unless something is wrong with it. */
  private parts(): Part[] {
    const { model, serial, cards } = this.options.particulars;
    const dead = this.has('dead-part') ? cards.length : -1;
    return [
      { slot: '0', model, serial, state: 'up' as const },
      ...cards.map((card, i): Part => ({
        ...card,
        state: this.isStarting() ? 'starting' : i === dead - 1 ? 'failed' : 'up',
      })),
    ];
  }

  /** What is gone without power. */
  protected forget(): void {}

  get isOn(): boolean {
    return this.power !== undefined;
  }

  on(): void {
    if (this.power) return;
    const power = new AbortController();
    this.power = power;
    this.note('power on');
    this.startImage();
    this.life = this.boot(power.signal).catch((error: unknown) => {
      if (!power.signal.aborted) this.note(`stopped: ${error instanceof Error ? error.message : String(error)}`);
    });
  }

  async off(): Promise<void> {
    if (!this.power) return;
    this.power.abort();
    this.power = undefined;
    await this.life;
    await this.door?.close();
    await this.bareDoor?.close();
    this.gauge?.close();
    [this.door, this.bareDoor, this.gauge] = [undefined, undefined, undefined];
    this.forget();
    this.net.lease = undefined;
    this.facts.forget();
    this.changes = 0;
    this.note('power off');
  }

  erase(): void {
    this.options.flash.kept = '';
    this.options.saved();
    this.note('memory erased');
  }

  protected has(fault: Fault): boolean {
    return this.options.faults.has(fault);
  }

  protected get heard(): readonly Hears[] {
    return this.facts.heard();
  }

  private get plugged(): readonly Hears[] {
    if (this.has('dark-port') && this.changes > 0) return [];
    if (this.has('image-darkens') && this.isOnNewImage) return [];
    return this.has('unplugged') ? this.options.hears.slice(1) : this.options.hears;
  }

  protected note(text: string): void {
    this.log.push({ at: new Date().toISOString(), text });
    if (this.log.length > LONGEST_LOG) this.log.shift();
  }

  protected async pause(steps: number, signal: AbortSignal): Promise<void> {
    await sleep(steps * this.options.paceMs * (this.has('slow') ? 4 : 1), signal);
    if (signal.aborted) throw new Error('switched off');
  }

  /** Stores a text; gives why it could not. */
  protected store(text: string): string | undefined {
    if (this.has('no-room')) return 'no room';
    this.options.flash.kept = text;
    this.options.saved();
    return undefined;
  }

  /** Lines of changes that it took while it had a fault about them. */
  private askedAt: number | undefined;
  private changes = 0;

  /** Takes note of a line of a change; gives whether the session ends there. */
  protected lineChanged(): boolean {
    const faulty = (['cut-off', 'restarts-midway', 'shuts-door', 'other-prompt', 'dark-port'] as const).some((one) =>
      this.has(one),
    );
    this.changes = faulty ? this.changes + 1 : 0;
    this.lookAtUplink();
    const ends = this.changes === 3 && (this.has('restarts-midway') || this.has('cut-off'));
    if (ends && this.has('restarts-midway')) this.restart();
    return ends;
  }

  /** Its lines keep its own address off the one port that leads anywhere. */
  protected get isCutOff(): boolean {
    const { uplink } = this.options;
    return uplink !== undefined && !this.isCarried(uplink);
  }

  /** After a change: whoever is cut off by it is cut off at once, and back with the way. */
  private lookAtUplink(): void {
    if (this.options.uplink === undefined) return;
    setTimeout(() => {
      if (!this.isOn) return;
      const { door } = this;
      if (door && this.isCutOff) {
        this.door = undefined;
        this.note('cut off by its own lines');
        void door.close();
      } else if (!door && !this.isCutOff) void this.openDoor();
    }, SOON_MS);
  }

  /** What it calls itself in its prompt. */
  protected promptName(name: string): string {
    return this.has('other-prompt') && this.changes > 0 ? `${name} (changed)` : name;
  }

  /** It was changed, and lets nobody in since. */
  protected get isShut(): boolean {
    return this.has('shuts-door') && this.changes > 0;
  }

  protected readonly restart = (): void => {
    // Whoever asked for it reads its answer first.
    setTimeout(() => void this.off().then(() => this.on()), 20);
  };

  /** From the first time that it is asked, for a second and a half. */
  protected isStarting(): boolean {
    if (!this.has('starts-late')) return false;
    this.askedAt ??= Date.now();
    return Date.now() - this.askedAt < STARTS_MS;
  }

  /** What becomes of a line although it is fit. */
  protected lineFaultAmong(fit: RegExp, line: string): 'turn down' | 'swallow' | undefined {
    if (!fit.test(line)) return undefined;
    if (this.has('rejects-line')) return 'turn down';
    return this.has('drops-line') ? 'swallow' : undefined;
  }

  /** By which word it tells of itself by SNMP, and as whom; undefined where it does not. */
  protected gauged(): { word: string; name: string } | undefined {
    return undefined;
  }

  protected async openDoor(): Promise<void> {
    const { address } = this;
    if (address === undefined || this.has('mute')) return;
    if (this.isCutOff) return this.note(`nothing goes by ${this.options.uplink ?? ''}: nobody reaches ${address}`);
    if (this.isOnNewImage && this.has('image-dies')) return this.note('hangs since it has its new image');
    const { flash, wire, faults, particulars } = this.options;
    const gauge = this.gauged();
    if (gauge)
      this.gauge = new Gauge({
        ...wire.to(address, 161),
        word: gauge.word,
        told: {
          name: gauge.name,
          about: `${particulars.model} ${this.images.version}`,
          identity: PRODUCT,
          since: Date.now(),
        },
      });
    if (this.has('bare-only')) {
      const { admits, shell } = this.behindTheDoor();
      if (!shell) return;
      this.bareDoor = new BareDoor({ ...wire.to(address, 23), admits, shell });
      await this.bareDoor.open();
      return this.note(`a door without encryption opens at ${address}`);
    }
    const behind = this.behindTheDoor();
    const factory = (user: string, word: string) => this.has('factory-open') && user === 'works' && word === 'works';
    this.door = new SshDoor({
      ...wire.to(address, 22),
      hostKey: flash.hostKey,
      faults: doorFaults(faults),
      ...behind,
      admits: (user, word) => factory(user, word) || behind.admits(user, word),
    });
    await this.door.open();
    this.note(`SSH opens at ${address}`);
  }
}
