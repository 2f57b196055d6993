/** A simulated Quill router: it has run for years, starts from what it has stored and opens SSH. */
import { createHash } from 'node:crypto';
import { fitsSha512crypt } from '@zpine/core/text/sha512crypt';
import type { Rejected } from '../boot/netBoot.ts';
import { LabDevice } from '../device.ts';
import type { DoorOptions } from '../ssh.ts';
import { Script } from './script.ts';
import { QuillShell } from './shell.ts';

/** The last word of a leg. */
const AGAIN = /^begin anew$/m;
const sha512 = (bytes: Uint8Array): Uint8Array => createHash('sha512').update(bytes).digest();

export class QuillRouter extends LabDevice {
  private script = new Script();

  protected async boot(signal: AbortSignal): Promise<void> {
    await this.pause(2, signal);
    const { flash } = this.options;
    if (this.has('stored') && flash.kept === '') flash.kept = 'host [\n  name left-over\n]\n';
    if (flash.kept !== '') {
      this.script = Script.from(flash.kept);
      return this.openDoor();
    }
    if (this.has('deaf')) return this.note('would boot from the network, but sends nothing');
    for (;;) {
      const lease = await this.net.ask(signal);
      const text = lease && (await this.net.fetch(lease, signal));
      if (text === undefined) await this.pause(8, signal);
      else if (AGAIN.test(text)) await this.anew(text, signal);
      else return this.apply(text, signal);
    }
  }

  /** A file that ends with the word to begin anew is one leg: it is taken, and the router boots once more. */
  private async anew(text: string, signal: AbortSignal): Promise<void> {
    this.note(`took ${text.split('\n').length - 1} lines of its first leg, and begins anew`);
    this.net.lease = undefined;
    await this.pause(4, signal);
  }

  private async apply(text: string, signal: AbortSignal): Promise<void> {
    await this.pause(3, signal);
    this.script = new Script();
    const rejected: Rejected[] = [];
    for (const path of Script.from(text).paths()) {
      const why =
        this.has('rejects-line') && /^port /.test(path) ? 'internal fault' : this.script.write(path.split(' / '));
      if (why !== undefined) rejected.push({ line: path, why });
    }
    this.note(`applied ${text.split('\n').length} lines, ${rejected.length} turned down`);
    if (!this.has('forgets')) this.store(this.script.print());
    await this.pause(2, signal);
    if (this.script.paths().includes('door / ssh on')) await this.openDoor();
    const url = this.script.first(/^report \/ to (\S+)$/);
    if (url !== undefined && !this.isCutOff && !this.has('silent') && !this.has('mute'))
      await this.net.home(url, text, rejected, this.ownAddress, signal);
  }

  private admits(user: string, password: string): boolean {
    const [form, word = ''] = this.script.first(new RegExp(`^account ${user} / word (.+)$`))?.split(' ') ?? [];
    return form === 'sealed' ? fitsSha512crypt(password, word, sha512) : form === 'plain' && word === password;
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

  protected isCarried(port: string): boolean {
    const paths = this.script.paths();
    return paths.some((path) => path.startsWith(`port ${port} /`)) && !paths.includes(`port ${port} / link off`);
  }

  protected ways(): string[] {
    return this.script.paths().flatMap((path) => /^(?:route \S+ \/ by|clock \/ server) (\S+)$/.exec(path)?.[1] ?? []);
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'knowsKey' | 'shell'> {
    const { particulars, flash } = this.options;
    return {
      knowsKey: (user, key) =>
        !this.isShut && this.script.paths().some((path) => path === `account ${user} / key ${key}`),
      admits: (user, password) =>
        !this.has('other-password') && !this.isShut && /^[a-z][a-z0-9._-]*$/.test(user) && this.admits(user, password),
      shell: () =>
        new QuillShell({
          script: () => this.script,
          putInForce: (script) => (this.script = script),
          about: () =>
            `name: ${this.script.first(/^host \/ name (\S+)$/) ?? 'quill'}\nmodel: ${particulars.model}\nserial: ${particulars.serial}\nrelease: ${this.images.version}\n`,
          hears: () => this.heard,
          facts: this.facts,
          changed: () => this.lineChanged(),
          prompt: (name) => this.promptName(name),
          shelf: () => flash.kept,
          fill: (text) => this.store(text),
          shelve: () => this.store(this.script.print()),
          restart: this.restart,
          images: this.images,
          bring: (url) => this.fetchImage(url),
          fault: (line) => this.lineFaultAmong(/(clock|log|ntp)/, line),
        }),
    };
  }
}
