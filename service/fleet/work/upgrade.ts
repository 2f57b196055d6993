/**
 * A device that is brought to another image: fetched by itself, held against its digest, started with, and proved. What
 * does not prove good is gone back from, as long as the device can be reached.
 */
import { missedAmong, missWords } from '@zpine/core/fleet/expectations';
import {
  darkSince,
  fileAmong,
  roomIn,
  sizeWords,
  startsIn,
  type ImageWords,
  type Starts,
} from '@zpine/core/fleet/upgrading';
import { inverseLines } from '@zpine/core/fleet/errand';
import type { Dialect } from '@zpine/core/dialect/dialect';
import type { Outcome } from '@zpine/core/fleet/outcomes';
import { Masker } from '@zpine/core/secrets/masking';
import type { ShownAnswer } from '@zpine/contract/fleetShapes';
import type { UpgradeSeal } from '../../app/images/upgradeRows.ts';
import { linesOf, unkeptLines, type IntendedEdition } from '../../app/fleet/compared.ts';
import type { RunInput } from '../../app/fleet/runs.ts';
import type { Waiting } from '../../app/fleet/work.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { compareDevice } from './compare.ts';
import { restarted, type Reopen } from './restart.ts';
import { shownAnswer } from './shownAnswer.ts';

const AGAIN_MS = 1000;
const TOLD_BYTES = 16 * 1024;
/** Stands for the one-time part of a URL. */
const ONE_TIME = 'ONE-TIME';

type Rows = readonly Readonly<Record<string, string>>[];

/** A device said no: nothing of what was asked is in force. */
class Refused extends Error {}

export async function lookAtUpgrade(waiting: Waiting, input: RunInput, session: Session): Promise<Done> {
  const work = new Upgrade(waiting, session, input);
  try {
    return await work.look();
  } catch (error) {
    if (error instanceof Refused) return work.done('turned down', error.message);
    throw error;
  }
}

export async function doUpgrade(
  waiting: Waiting,
  input: RunInput,
  session: Session,
  reopen: Reopen,
  intended: IntendedEdition | undefined,
): Promise<Done> {
  const work = new Upgrade(waiting, session, input);
  try {
    return await work.go(reopen, intended);
  } catch (error) {
    const why = error instanceof Error ? error.message : String(error);
    return work.done(error instanceof Refused ? 'turned down' : work.began ? 'stopped midway' : 'no contact', why);
  } finally {
    work.close();
  }
}

class Upgrade {
  /** Something was sent that changes the device. */
  began = false;
  private readonly answers: ShownAnswer[] = [];
  private readonly dialect: Dialect;
  private readonly words: ImageWords;
  private readonly seal: UpgradeSeal;
  private readonly input: RunInput;
  private readonly target: Waiting['target'];
  private readonly own: Session;
  private session: Session;
  private readonly known: Masker;
  private version = '';

  constructor({ target, sealed }: Waiting, session: Session, input: RunInput) {
    const { dialect } = target;
    if (!dialect?.sheet.images) throw new Error('its sheet does not say any more how images are changed');
    this.dialect = dialect;
    this.words = dialect.sheet.images;
    this.seal = JSON.parse(sealed ?? '{}') as UpgradeSeal;
    this.input = input;
    this.target = target;
    this.session = session;
    this.own = session;
    this.known = new Masker(target.secrets);
  }

  close(): void {
    if (this.session !== this.own) this.session.close();
  }

  async look(): Promise<Done> {
    const { file, version, bytes } = this.seal;
    await this.readVersion();
    const starts = await this.starts();
    if (this.version === version && starts.next === file) return this.done('already right', `it runs ${version}`);
    const unkept = await this.unkept();
    if (unkept !== undefined && this.input.insist !== true) return this.done('turned down', unkept);
    const held = await this.held();
    if (held !== 'right') await this.mustHaveRoom(bytes);
    const fetches = held === 'right' ? `has ${file} already` : `would fetch ${file}, ${sizeWords(bytes)}`;
    const what = `runs ${this.version || 'a version that it does not say'}; ${fetches}, start with it, and restart`;
    return this.done(null, unkept === undefined ? what : `${what}; ${unkept}`);
  }

  async go(reopen: Reopen, intended: IntendedEdition | undefined): Promise<Done> {
    const first = await this.look();
    if (first.outcome !== null) return first;
    const { file, version, name } = this.seal;
    const was = { version: this.version, starts: await this.starts(), ...(await this.state()) };
    await this.fetch();
    await this.startWith(file);
    const back = await restarted(this.dialect, this.session, reopen);
    if (typeof back === 'string') {
      // One that refused to restart still stands there, and must not do so with it at the next power cut.
      if (!this.session.isOver()) await this.startWith(was.starts.now ?? '').catch(() => undefined);
      const from = was.starts.now ?? 'another file';
      return this.done(
        'stopped midway',
        `${back}; it was to start with ${file}, and ran ${from} before: at its console it can be started with that`,
      );
    }
    this.session = back.session;
    await this.readVersion();
    if (this.version !== version) {
      await this.startWith(was.starts.now ?? '').catch(() => undefined);
      const why = `it was started with ${file}, and came back with version ${this.version || '(none)'} after ${back.seconds} s`;
      return this.done('not as expected', `${why}; it starts with ${was.starts.now ?? 'what it had'} again`);
    }
    const wrong = await this.wrongSince(was);
    if (wrong.length > 0) return this.goBack(reopen, was, wrong);
    const { drift, captured } = await compareDevice(this.target, this.session, intended);
    const differs = drift?.comparison && !drift.comparison.matches ? linesOf(drift.comparison.differences) : 0;
    return {
      ...this.done(
        'brought over',
        [
          `runs ${version} (${name}), ran ${was.version || 'another'}; away for ${back.seconds} s`,
          differs > 0 ? `it differs from its edition in ${differs} lines, as before` : '',
        ]
          .filter(Boolean)
          .join('; '),
      ),
      ...(drift ? { drift } : {}),
      ...(captured ? { captured } : {}),
    };
  }

  /** It came up, and is not what it was: the image that ran before is started once more. */
  private async goBack(reopen: Reopen, was: { version: string; starts: Starts }, wrong: string[]): Promise<Done> {
    const why = `with ${this.seal.version}: ${wrong.slice(0, 5).join('; ')}`;
    const { now } = was.starts;
    if (now === undefined) return this.done('not as expected', why);
    await this.startWith(now);
    const back = await restarted(this.dialect, this.session, reopen);
    if (typeof back === 'string') return this.done('stopped midway', `${why}; going back to ${now}: ${back}`);
    if (this.session !== this.own) this.session.close();
    this.session = back.session;
    await this.readVersion();
    return this.version === was.version
      ? this.done('turned down', `${why}; it was brought back to ${was.version}`)
      : this.done(
          'stopped midway',
          `${why}; it was to go back to ${was.version}, and runs ${this.version || '(none)'}`,
        );
  }

  private async readVersion(): Promise<void> {
    const { version } = this.dialect.sheet.questions;
    if (!version) throw new Refused('its sheet has no question for its version');
    const answer = await this.session.run(version.command);
    const rows = this.dialect.rowsOf('version', answer.text);
    this.version = rows[0]?.version ?? '';
    const shown = shownAnswer(version.command, this.hide(answer.text.slice(0, TOLD_BYTES)).trimEnd(), answer);
    // Under its name it is remembered which version the device runs.
    this.answers.push({ ...shown, ask: 'version', rows: this.known.maskAll(rows) });
  }

  private async starts(): Promise<Starts> {
    const { text, refused } = await this.session.run(this.words.starts.command);
    if (refused !== undefined) throw new Refused(`"${this.words.starts.command}": ${refused}`);
    return startsIn(this.words, text);
  }

  private async held(): Promise<'right' | 'other' | 'none'> {
    return fileAmong(await this.rows(this.words.holds), this.seal.file, this.seal);
  }

  private async rows(question: string): Promise<Rows> {
    const command = this.dialect.askedBy(question);
    return command === undefined ? [] : this.dialect.rowsOf(question, (await this.session.run(command)).text);
  }

  private async mustHaveRoom(bytes: number): Promise<void> {
    const { room } = this.words;
    if (!room) return;
    const free = roomIn(this.words, (await this.session.run(room.command)).text);
    if (free === undefined || free >= bytes) return;
    const files = (await this.rows(this.words.holds)).map((row) => row.file ?? '').filter(Boolean);
    const holds = files.length > 0 ? `; it holds ${files.slice(0, 6).join(', ')}` : '';
    throw new Refused(`no room: ${sizeWords(free)} are free, ${sizeWords(bytes)} are needed${holds}`);
  }

  /** What a restart would take: lines that run, and are not stored. */
  private async unkept(): Promise<string | undefined> {
    const { running, stored } = this.dialect.sheet;
    if (stored === undefined) return undefined;
    const text = (await this.session.run(running)).text;
    const count = linesOf(unkeptLines(this.dialect, text, (await this.session.run(stored)).text));
    if (count === 0) return undefined;
    return `${count} line${count === 1 ? '' : 's'} of what runs ${count === 1 ? 'is' : 'are'} not stored so, and would go with the restart`;
  }

  private async fetch(): Promise<void> {
    if ((await this.held()) === 'right') return;
    const { file, url, server, word } = this.seal;
    const { fetch, fetchSeconds, remove } = this.words;
    const command = this.filled(fetch, { url, server, file });
    this.began = true;
    await this.say(command, command.replaceAll(word, ONE_TIME), fetchSeconds);
    const now = await this.held();
    if (now === 'right') return;
    if (now === 'other' && remove !== undefined) await this.say(this.filled(remove, { file })).catch(() => undefined);
    throw new Refused(
      now === 'none'
        ? `it fetched ${file}, and its store does not have it`
        : `what it stored as ${file} has another digest or size than the image${remove === undefined ? '' : '; it was removed'}`,
    );
  }

  private async startWith(file: string): Promise<void> {
    if (file === '' || (await this.starts()).next === file) return;
    this.began = true;
    await this.say(this.filled(this.words.next, { file }));
    const { next } = await this.starts();
    if (next !== file)
      throw new Refused(`it was told to start with ${file}, and would start with ${next ?? 'nothing'}`);
  }

  /** What is the same before and after, where all is well. */
  private async state(): Promise<{ running: string; interfaces: Rows }> {
    const running = (await this.session.run(this.dialect.sheet.running)).text;
    return { running, interfaces: await this.rows('interfaces') };
  }

  /** Ports take their time to come up: asked until all is as it was, or the sheet's time for it is over. */
  private async wrongSince(was: { running: string; interfaces: Rows }): Promise<string[]> {
    const until = Date.now() + (this.dialect.sheet.ports?.settleSeconds ?? 0) * 1000;
    for (;;) {
      const { running, interfaces } = await this.state();
      const lines = inverseLines(this.dialect, was.running, running).split('\n').filter(Boolean);
      const wrong = [
        ...(lines.length > 0 ? [`its configuration is not what it was: ${this.hide(lines[0] ?? '')}`] : []),
        ...darkSince(this.dialect, was.interfaces, interfaces),
        ...(await this.missed()),
      ];
      if (wrong.length === 0 || lines.length > 0 || Date.now() >= until) return wrong;
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
  }

  private async missed(): Promise<string[]> {
    const { expect } = this.seal;
    if (expect.length === 0) return [];
    const answers = [];
    for (const { question = '' } of this.input.asks) {
      const command = this.dialect.askedBy(question);
      const text = command === undefined ? '' : (await this.session.run(command)).text;
      answers.push({ text, rows: this.dialect.rowsOf(question, text) });
    }
    return missedAmong(expect, answers).map((one) => this.hide(missWords(one)));
  }

  private filled(command: string, values: Record<string, string>): string {
    return command.replace(/\{(url|server|file)\}/g, (whole, name: string) => values[name] ?? whole);
  }

  private async say(command: string, shownAs = command, seconds?: number): Promise<void> {
    const answer = await this.session.ask(command, [], seconds);
    this.answers.push(shownAnswer(this.hide(shownAs), this.hide(answer.text.slice(0, TOLD_BYTES)).trimEnd(), answer));
    if (answer.refused !== undefined) throw new Refused(this.hide(`"${shownAs}": ${answer.refused}`));
  }

  private hide(text: string): string {
    return this.known.mask(this.dialect.masked(text)).replaceAll(this.seal.word, ONE_TIME);
  }

  done(outcome: Outcome | null, detail: string): Done {
    return { outcome, detail: this.hide(detail), result: { answers: this.answers } };
  }
}
