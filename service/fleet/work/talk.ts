/** What is said to a device in the course of a change, and what it says to that: both are kept with the run. */
import type { Dialect } from '@zpine/core/dialect/dialect';
import { commandsOf, type Step } from '@zpine/core/fleet/errand';
import { compilePattern } from '@zpine/core/text/pattern';
import type { ErrandDone } from '@zpine/contract/fleetShapes';
import type { Session } from '../session.ts';

/** So often it is tried whether something has started. */
const AGAIN_MS = 1000;

export const pathOf = ({ above, line }: Step): string => [...above, line].join(' > ');

interface Hides {
  /** Secrets of the dialect, and all that are known. */
  mask: (text: string) => string;
  /** All that are known. */
  hide: (text: string) => string;
}

export class Talk {
  readonly sent: ErrandDone['sent'] = [];
  private readonly dialect: Dialect;
  private readonly session: Session;
  private readonly onTheWire: (command: string) => string;
  private readonly mask: Hides['mask'];
  private readonly hide: Hides['hide'];

  constructor(dialect: Dialect, session: Session, onTheWire: (command: string) => string, { mask, hide }: Hides) {
    this.dialect = dialect;
    this.session = session;
    this.onTheWire = onTheWire;
    this.mask = mask;
    this.hide = hide;
  }

  /** What the device would take back by itself stays. */
  async hold(): Promise<string | undefined> {
    const guard = this.dialect.sheet.change?.guard;
    const refused = guard && (await this.say(guard.hold));
    return refused === undefined
      ? undefined
      : `"${guard?.hold ?? ''}": ${refused}; the device takes the change back by itself within ${guard?.seconds ?? 0} s`;
  }

  /** Sends what is left to do; gives the line that was turned down, with the device's words. */
  async send(steps: readonly Step[], guarded = true): Promise<string | undefined> {
    const { change } = this.dialect.sheet;
    if (!change) return undefined;
    if (guarded && change.guard) {
      const begin = change.guard.begin.replace('{seconds}', String(change.guard.seconds));
      const refused = await this.say(begin);
      if (refused !== undefined) return `"${begin}": ${refused}`;
    }
    for (const command of change.enter) {
      const refused = await this.say(command);
      if (refused !== undefined) return `"${command}": ${refused}`;
    }
    let refused: string | undefined;
    for (const { command, step } of commandsOf(this.dialect, steps)) {
      const said = await this.sayWaiting(command, step?.line);
      if (said === undefined) continue;
      refused = `"${this.mask(step ? pathOf(step) : command)}": ${said}`;
      break;
    }
    if (refused === undefined && change.check !== undefined) refused = await this.checked(change.check);
    if (refused === undefined && change.apply !== undefined) refused = await this.checked(change.apply);
    // A draft that did not pass is thrown away: nothing of it is in force.
    if (refused !== undefined && change.discard !== undefined) await this.say(change.discard);
    for (const command of change.leave) await this.say(command);
    return refused;
  }

  /** What needs something that starts is said again until it is up, or its time is over. */
  private async sayWaiting(command: string, line?: string): Promise<string | undefined> {
    const waits = this.dialect.sheet.change?.waits;
    const begun = Date.now();
    for (;;) {
      const said = await this.say(command, line);
      if (said === undefined || !waits || !compilePattern(waits.for).test(said)) return said;
      if (Date.now() - begun >= waits.seconds * 1000) return `${said}, for ${waits.seconds} s`;
      // It is told once what was waited for, and not at every turn.
      this.sent.pop();
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
  }

  private async checked(command: string): Promise<string | undefined> {
    const said = await this.say(command);
    return said === undefined ? undefined : `"${command}": ${said}`;
  }

  /** What does not take, and why; the answer is kept with the run. */
  private say(command: string, line?: string): Promise<string | undefined> {
    return this.sayShown(command, line === undefined ? command : command.replace(line, this.mask(line)));
  }

  async sayShown(command: string, shown: string): Promise<string | undefined> {
    const entry = { command: this.hide(shown), said: '', refused: null as string | null };
    this.sent.push(entry);
    const answer = await this.session.run(this.onTheWire(command)).catch((error: unknown) => {
      // What could not be sent may be the content of a file.
      const why = error instanceof Error ? error.message : String(error);
      throw new Error(why.replaceAll(command, shown));
    });
    entry.said = this.mask(answer.text.trim()).slice(0, 500);
    entry.refused = answer.refused ?? null;
    return answer.refused;
  }
}
