/** A simulated Quill router: it has run for years, starts from what it has stored and opens SSH. */
import { LabDevice } from '../device.ts';
import type { DoorOptions } from '../ssh.ts';
import { Script } from './script.ts';
import { QuillShell } from './shell.ts';

export class QuillRouter extends LabDevice {
  private script = new Script();

  protected async boot(signal: AbortSignal): Promise<void> {
    await this.pause(2, signal);
    this.script = Script.from(this.options.flash.kept);
    await this.openDoor();
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

  protected ways(): string[] {
    return this.script.paths().flatMap((path) => /^(?:route \S+ \/ by|clock \/ server) (\S+)$/.exec(path)?.[1] ?? []);
  }

  protected behindTheDoor(): Pick<DoorOptions, 'admits' | 'shell'> {
    const { particulars, flash } = this.options;
    return {
      admits: (user, password) =>
        !this.has('other-password') &&
        !this.isShut &&
        this.script.paths().includes(`account ${user} / word plain ${password}`),
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
