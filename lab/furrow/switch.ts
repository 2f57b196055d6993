/** A simulated Furrow switch: boots over real sockets, applies its file line by line, opens SSH, calls home. */
import { createHash } from 'node:crypto';
import { fitsSha512crypt } from '@zpine/core/text/sha512crypt';
import { type DeviceOptions, type Particulars, LabDevice } from '../device.ts';
import type { DoorOptions } from '../ssh.ts';
import { Memory } from './memory.ts';
import { Shell } from './shell.ts';
import { tellBeside, tellFaces, tellKin, tellMacs, tellPairs } from './tell.ts';

type SwitchOptions = DeviceOptions;

/** Sockets of switches, and of cards. */
const SOCKETS: Record<string, number> = { 'LF-24': 24, 'LF-48': 48, 'C4-24T': 24, 'C4-8X': 8 };

const socketsOf = ({ model, cards }: Particulars): Record<string, number> =>
  model in SOCKETS
    ? { 1: SOCKETS[model] ?? 0 }
    : Object.fromEntries(
        cards.flatMap((card) => (card.model in SOCKETS ? [[card.slot, SOCKETS[card.model] ?? 0]] : [])),
      );
const sha512 = (bytes: Uint8Array): Uint8Array => createHash('sha512').update(bytes).digest();

export class FurrowSwitch extends LabDevice<SwitchOptions> {
  readonly memory: Memory;

  constructor(options: SwitchOptions) {
    super(options);
    this.memory = new Memory({ model: options.particulars.model, sockets: socketsOf(options.particulars) }, () =>
      this.has('own-spelling'),
    );
  }

  get address(): string | undefined {
    return this.memory
      .below(/^face lane/)
      .flatMap((face) => face.lines.map((line) => /^at (\S+)\//.exec(line)?.[1]))
      .find((a) => a !== undefined);
  }

  protected override forget(): void {
    this.memory.clear();
  }

  print(): string {
    return this.memory.print();
  }

  protected async boot(signal: AbortSignal): Promise<void> {
    await this.pause(2, signal);
    const { flash } = this.options;
    if (this.has('stored') && flash.kept === '') flash.kept = 'name left-over\nshell off\n';
    if (flash.kept !== '') {
      this.memory.load(flash.kept);
      this.note('starts with the configuration that it has kept');
      await this.openDoor();
      return;
    }
    if (this.has('deaf')) return this.note('would boot from the network, but sends nothing');
    for (;;) {
      const lease = await this.net.ask(signal);
      const text = lease && (await this.net.fetch(lease, signal));
      if (text !== undefined && (await this.hasItsImage(text, signal))) return this.apply(text, signal);
      await this.pause(8, signal);
    }
  }

  /** Whether it runs the image that its file names, or cannot; fetched first where it has to, and started with. */
  private async hasItsImage(text: string, signal: AbortSignal): Promise<boolean> {
    const [, name, url] = /^system (\S+) from (\S+)$/m.exec(text) ?? [];
    if (name === undefined || url === undefined || this.images.runs === name) return true;
    if (!this.images.list().some((one) => one.name === name)) {
      const found = await this.fetchImage(url, signal);
      if (typeof found === 'string') return false;
    } else if (this.images.next !== name) return true;
    this.images.startWith(name);
    this.note('restarts with its image');
    await this.pause(4, signal);
    this.startImage();
    this.net.lease = undefined;
    return false;
  }

  private async apply(text: string, signal: AbortSignal): Promise<void> {
    await this.pause(3, signal);
    const turnDown = (line: string) =>
      this.has('rejects-line') && /^socket /.test(line) ? 'internal fault' : undefined;
    const rejected = this.memory.load(text, turnDown);
    if (this.has('drops-line'))
      this.memory.strike(
        [],
        this.memory
          .print()
          .split('\n')
          .find((line) => line.startsWith('clock follow')) ?? '',
      );
    this.note(`applied ${text.split('\n').length} lines, ${rejected.length} turned down`);
    if (!this.has('forgets')) this.keep();
    await this.pause(2, signal);
    await this.openDoor();
    const url = this.memory.first(/^report to (\S+)$/);
    if (url !== undefined && !this.isCutOff && !this.has('silent') && !this.has('mute'))
      await this.net.home(url, text, rejected, this.ownAddress, signal);
  }

  protected isCarried(port: string): boolean {
    const lanes = this.memory
      .below(/^face lane (\d+)$/)
      .flatMap(({ head, lines }) => (lines.some((line) => line.startsWith('at ')) ? [head[1] ?? ''] : []));
    const [socket] = this.memory.below(/^socket (\S+)$/).filter(({ head }) => head[1] === port);
    if (!socket || socket.lines.includes('state still')) return false;
    const carried = socket.lines.flatMap((line) => /^lanes? (\S+)$/.exec(line)?.[1]?.split(',') ?? []);
    return lanes.some((lane) => carried.includes(lane));
  }

  protected ways(): string[] {
    return [...this.memory.all(/^way \S+ by (\S+)$/), ...this.memory.all(/^clock follow (\S+)$/)];
  }

  private keep(): string | undefined {
    return this.store(this.memory.print()) && 'no room in flash';
  }

  protected override gauged(): { word: string; name: string } | undefined {
    const word = this.memory.first(/^alert to \S+ word (\S+)$/);
    return word === undefined ? undefined : { word, name: this.memory.first(/^name (\S+)$/) ?? 'furrow' };
  }

  private about(): string {
    const { model, serial, mac, cards } = this.options.particulars;
    const { version } = this.images;
    const name = this.memory.first(/^name (\S+)$/) ?? 'furrow';
    const lines = [
      `name     ${name}`,
      `model    ${model}`,
      `serial   ${serial}`,
      `version  ${version}`,
      `mac      ${mac}`,
    ];
    for (const card of cards) lines.push(`card     ${card.slot} ${card.model} ${card.serial}`);
    return [...lines, ''].join('\n');
  }

  protected override async openDoor(): Promise<void> {
    if (this.memory.first(/^shell (\S+)$/) === 'on') await super.openDoor();
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'knowsKey' | 'shell'> {
    return {
      admits: (user, password) => this.admits(user, password),
      knowsKey: (user, key) =>
        !this.isShut &&
        this.memory
          .below(/^account (\S+)$/)
          .some(({ head, lines }) => head[1] === user && lines.includes(`key ${key}`)),
      shell: (user) =>
        new Shell({
          memory: this.memory,
          shown: (text) =>
            this.has('hides-secrets') ? text.replace(/(phrase \w+|word|climb by) \S+/g, '$1 ****') : text,
          full: this.rankOf(user) !== 'look',
          tell: (word) => this.tell(word),
          fault: (line) => this.lineFault(line),
          starting: () => this.isStarting(),
          about: () => this.about(),
          kept: () => this.options.flash.kept,
          keep: () => this.keep(),
          restart: this.restart,
          images: this.images,
          haul: (from) => this.fetchImage(from),
          erase: () => this.erase(),
          changed: () => this.lineChanged(),
          facts: this.facts,
          prompt: (name) => this.promptName(name),
        }),
    };
  }

  private admits(user: string, password: string): boolean {
    if (this.has('other-password') || this.isShut) return false;
    return this.memory.below(/^account (\S+)$/).some(({ head, lines }) => {
      if (head[1] !== user) return false;
      return lines.some((line) => {
        const [, form, phrase = ''] = /^phrase (sealed|plain) (\S+)$/.exec(line) ?? [];
        return form === 'sealed' ? fitsSha512crypt(password, phrase, sha512) : form === 'plain' && phrase === password;
      });
    });
  }

  private rankOf(user: string): string | undefined {
    const [account] = this.memory.below(/^account (\S+)$/).filter(({ head }) => head[1] === user);
    return account?.lines.map((line) => /^rank (\S+)$/.exec(line)?.[1]).find((rank) => rank !== undefined);
  }

  private lineFault(line: string): 'turn down' | 'swallow' | undefined {
    // A socket that is not set up shows at once: it is turned down, and never lost without a word.
    const fault = this.lineFaultAmong(/^(socket|clock|journal) /, line);
    return fault === 'swallow' && line.startsWith('socket ') ? undefined : fault;
  }

  private tell(word: string): string | undefined {
    const { heard } = this;
    const told: Record<string, () => string> = {
      faces: () => tellFaces(this.memory, heard, this.has('lane-nowhere')),
      kin: () => tellKin(heard),
      pairs: () => tellPairs(heard),
      macs: () => tellMacs(heard),
    };
    return told[word]?.() ?? tellBeside(word, this.memory, this.facts);
  }

  /** Says by HTTP that it lives, from its new address. */
}
