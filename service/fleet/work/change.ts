/** What changes one device, be it an errand or a push: looked at first; then sent, verified, kept and captured. */
import { structuredPatch } from 'diff';
import { applied } from '@zpine/core/config/applied';
import type { Dialect } from '@zpine/core/dialect/dialect';
import { MASK, Masker } from '@zpine/core/secrets/masking';
import { inverseLines, type Step } from '@zpine/core/fleet/errand';
import { stepsOf } from '@zpine/core/fleet/errandSteps';
import { missedAmong, missWords, type Expectation } from '@zpine/core/fleet/expectations';
import type { Outcome } from '@zpine/core/fleet/outcomes';
import type { ErrandDone, RunRow } from '@zpine/contract/fleetShapes';
import type { RunKind } from '@zpine/contract/runKinds';
import type { Target } from '../../app/fleet/access.ts';
import { capturedText } from '../../app/fleet/capturedText.ts';
import { driftOf, type IntendedEdition } from '../../app/fleet/compared.ts';
import type { FoundFiles } from '../../app/fleet/filing.ts';
import type { RunInput } from '../../app/fleet/runs.ts';
import type { Waiting } from '../../app/fleet/work.ts';
import type { Done } from '../reachable.ts';
import type { Session } from '../session.ts';
import { capturedFiles, secretsOf } from './capture.ts';
import { answersOf, settledEffects, touchesPorts } from './effects.ts';
import { FileChange } from './fileChange.ts';
import { placedFiles, type Say } from './filing.ts';
import { lostTo, unlessInsisted } from './lockout.ts';
import { errandPlan, pushPlan, restorePlan, type ChangePlan } from './plans.ts';
import { pathOf, Talk } from './talk.ts';

/** So often it is looked whether what is expected has come. */
const AGAIN_MS = 1000;

export async function lookAtChange(
  kind: RunKind,
  { target, sealed }: Waiting,
  input: RunInput,
  session: Session,
): Promise<Done> {
  const work = new Change(kind, target, sealed, session);
  const running = await work.running();
  const steps = work.stepsOn(running, true);
  work.lookForOddities(running);
  const unread = await work.files.look();
  const result = { errand: work.shown(steps), ...work.ofEdition };
  if (unread !== undefined) return { outcome: 'turned down', detail: unread, result };
  const { deeds } = work.files;
  if (kind === 'errand' && steps.length === 0 && deeds.length === 0)
    return { outcome: 'left out', detail: 'there is no line for it', result };
  const near = work.nearWords();
  if (near !== undefined) return { outcome: 'turned down', detail: near, result };
  const left = steps.filter((step) => !step.right);
  if (left.length === 0 && deeds.length === 0) {
    const unkept = input.keep === false ? undefined : await work.unkept();
    return unkept === undefined
      ? { outcome: 'already right', detail: work.rightWords(steps), result }
      : { outcome: null, detail: `all of it runs, and is not stored: ${unkept}`, result };
  }
  const stars = work.impossibleIn(left);
  if (stars !== undefined) return { outcome: 'turned down', detail: stars, result };
  const lost = work.lostBy(running, left);
  if (lost !== undefined && input.insist !== true)
    return { outcome: 'turned down', detail: unlessInsisted(lost), result };
  return { outcome: null, detail: [countWords(left), work.files.words, lost].filter(Boolean).join('; '), result };
}

/** As much of a difference is kept. */
const MOST_CHANGES = 400;

/** Lines that are others afterwards, with `-` or `+` before them. */
function changedLines(before: string, after: string | null): string[] {
  if (after === null || before === after) return [];
  return structuredPatch('', '', `${before}\n`, `${after}\n`, '', '', { context: 0 })
    .hunks.flatMap(({ lines }) => lines.filter((line) => !line.startsWith('\\')))
    .slice(0, MOST_CHANGES);
}

function countWords(steps: readonly Step[], done = false): string {
  const away = steps.filter((step) => step.away).length;
  const come = steps.length - away;
  const lines = (n: number) => `${n} line${n === 1 ? '' : 's'}`;
  return [
    come > 0 && `${lines(come)} ${done ? 'there now' : 'to be there'}`,
    away > 0 && `${lines(away)} ${done ? 'gone' : 'to go'}`,
  ]
    .filter(Boolean)
    .join(', ');
}

/** `again`: signs in a second time, beside the session that changes; gives why that failed. */
export async function doChange(
  kind: RunKind,
  { target, sealed }: Waiting,
  input: RunInput,
  session: Session,
  again: () => Promise<string | undefined>,
  intended: IntendedEdition | undefined,
): Promise<Done> {
  const work = new Change(kind, target, sealed, session, intended);
  try {
    return await work.go(input, again);
  } catch (error) {
    return work.broken(error instanceof Error ? error.message : String(error));
  }
}

class Change {
  private readonly target: Target;
  private readonly dialect: Dialect;
  private readonly session: Session;
  private readonly plan: ChangePlan;
  private readonly intended: IntendedEdition | undefined;
  readonly files: FileChange;
  private readonly known: Masker;
  private readonly talk: Talk;
  private readonly questions: ErrandDone['questions'] = [];
  private kept: ErrandDone['kept'] = null;
  private steps: Step[] = [];
  private warnings: string[] = [];
  private missed: Expectation[] = [];
  private before: string | undefined;
  private after: string | undefined;
  private storedText: string | undefined;
  /** Files that the edition brings, as they are at the end. */
  private placed: FoundFiles | undefined;

  constructor(kind: RunKind, target: Target, sealed: string | undefined, session: Session, intended?: IntendedEdition) {
    const { dialect } = target;
    if (!dialect) throw new Error('it has no dialect');
    this.target = target;
    this.dialect = dialect;
    this.session = session;
    this.intended = intended;
    this.plan =
      kind === 'push'
        ? pushPlan(target, dialect, sealed)
        : kind === 'restore'
          ? restorePlan(target, dialect, sealed)
          : errandPlan(dialect, sealed);
    this.known = new Masker([...target.secrets, ...this.plan.secrets]);
    this.talk = new Talk(dialect, session, this.plan.onTheWire, {
      mask: (text) => this.mask(text),
      hide: (text) => this.hide(text),
    });
    this.files = new FileChange(dialect, session, this.plan.files, (lines) =>
      lines.length === 0 ? [] : this.mask(lines.join('\n')).split('\n'),
    );
  }

  get ofEdition(): Pick<RunRow, 'edition'> {
    return this.plan.edition === undefined ? {} : { edition: this.plan.edition };
  }

  async running(): Promise<string> {
    return this.read(this.dialect.sheet.running);
  }

  /** `sending`: with what is sent whatever the device shows. */
  stepsOn(running: string, sending = false): Step[] {
    return this.plan.stepsOn(running, sending);
  }

  rightWords(steps: readonly Step[]): string {
    if (this.plan.of === undefined) return countWords(steps, true);
    const unsure = this.plan.notComparable();
    const but = unsure === 0 ? '' : `, as far as it shows: ${unsure} line${unsure === 1 ? '' : 's'} not comparable`;
    return `it runs ${this.plan.of}${but}`;
  }

  /** What is not as it should be in what is stored: a restart would bring it back. */
  async unkept(): Promise<string | undefined> {
    const { keep, stored } = this.dialect.sheet;
    if (keep === undefined || stored === undefined) return undefined;
    const [first] = this.stepsOn(await this.read(stored)).filter((step) => !step.right);
    return first && `"${this.mask(pathOf(first))}" ${first.away ? 'is' : 'is not'} there`;
  }

  shown(steps: readonly Step[]): ErrandDone {
    return {
      steps: steps.map((step) => ({
        ...step,
        above: step.above.map((line) => this.mask(line)),
        line: this.mask(step.line),
        instead: step.instead === null ? null : this.mask(step.instead),
      })),
      sent: this.talk.sent,
      kept: this.kept,
      questions: this.questions.map((one) => ({ ...one, changes: changedLines(one.before, one.after) })),
      ...(this.missed.length > 0 ? { missed: this.missed } : {}),
      ...(this.warnings.length > 0 ? { warnings: this.warnings } : {}),
      ...(this.files.deeds.length > 0 ? { files: this.files.deeds } : {}),
    };
  }

  /** Before anything is sent: what is odd about the lines. */
  lookForOddities(running: string): void {
    this.warnings = this.plan.warnings(running).map((words) => this.mask(words));
  }

  /** A line that shall go is not there, and another is that may be meant. */
  nearWords(): string | undefined {
    const missed = this.plan.missed().find(({ near }) => near.length > 0);
    if (!missed) return undefined;
    const path = [...missed.above, missed.line].join(' > ');
    const near = missed.near.map((line) => `"${this.mask(line)}"`).join(', ');
    const begins = missed.near.some((line) => line.startsWith(`${missed.line} `));
    return `there is no line "${this.mask(path)}"; there is ${near}${begins ? `: "- ${this.mask(missed.line)} ..." takes away what begins so` : ''}`;
  }

  /** Why lines are not sent at all. */
  impossibleIn(steps: readonly Step[]): string | undefined {
    const { change, title } = this.dialect.sheet;
    if (steps.length > 0 && !change) return `the sheet of ${title} does not say how lines are changed`;
    return this.starsIn(steps);
  }

  /** A line that would bring what a device shows in place of a secret: it would become the secret. */
  private starsIn(steps: readonly Step[]): string | undefined {
    const { dialect } = this;
    const found = steps.find(
      ({ above, line, away }) => !away && dialect.hides(dialect.secretOf(above, line)?.secret ?? ''),
    );
    return found && `"${pathOf(found)}" holds what was shown in place of a secret, and would make it the secret`;
  }

  /** What of the service's way in would be lost by these steps, in words; worked out before anything is sent. */
  lostBy(running: string, steps: readonly Step[]): string | undefined {
    const { dialect } = this;
    return lostTo(this.target, dialect, running, dialect.wayInOf(applied(dialect.parse(running), steps)));
  }

  async go(input: RunInput, again: () => Promise<string | undefined>): Promise<Done> {
    const asks = input.asks.map(({ question }) => question ?? '').filter((name) => this.dialect.sheet.questions[name]);
    for (const question of asks) this.questions.push({ question, before: await this.asked(question), after: null });
    this.before = await this.running();
    this.steps = this.stepsOn(this.before, true);
    const unread = await this.files.look();
    if (unread !== undefined) return this.done('turned down', unread);
    if (this.steps.every((step) => step.right) && this.files.deeds.length === 0) return this.keptAlone(input);
    const left = this.steps.filter((step) => !step.right);
    const stars = this.impossibleIn(left);
    if (stars !== undefined) return this.done('turned down', stars);
    const lost = this.lostBy(this.before, left);
    if (lost !== undefined && input.insist !== true) return this.done('turned down', `${lost}; nothing was sent`);
    const was = touchesPorts(this.dialect, left) ? await answersOf(this.dialect, this.session) : undefined;
    const say: Say = (command, shown) => this.talk.sayShown(command, shown);
    const refused =
      (await this.files.put(say)) ??
      (left.length > 0 ? await this.talk.send(this.steps) : undefined) ??
      (await this.files.callChanged(say));
    this.after = await this.running();
    this.placed = await placedFiles(this.session, this.dialect, this.intended);
    const missing = this.stepsOn(this.after).filter((step) => !step.right);
    for (const one of this.questions) one.after = await this.asked(one.question);
    if (refused !== undefined) return await this.refused(refused);
    const [first] = missing;
    const unwritten = await this.files.missing();
    if (first === undefined && unwritten !== undefined) return this.done('never taken', unwritten);
    if (first) {
      const gone = first.away ? 'it is still there' : 'it is not there';
      const why = `"${this.mask(pathOf(first))}" was taken without a word, and ${gone}`;
      await this.talk.hold();
      return this.done(this.plan.of === undefined ? 'turned down' : 'never taken', why);
    }
    if (input.insist !== true) {
      const shut = await again();
      if (shut !== undefined) return await this.takenBack(`a second sign-in failed: ${shut}`);
    }
    const unheld = await this.talk.hold();
    if (unheld !== undefined) return this.done('stopped midway', unheld);
    const unkept = input.keep === false ? undefined : await this.keep();
    if (input.keep === false) await this.notKept();
    if (unkept !== undefined) return this.done('stopped midway', `it runs, and is not kept: ${unkept}`);
    const words = [countWords(left, true), this.files.words].filter(Boolean).join('; ');
    const { dark, remarks } = was
      ? await settledEffects(this.session, {
          dialect: this.dialect,
          steps: left,
          before: this.before,
          after: this.after,
          was,
          cabled: this.plan.cabled.map((port) => this.dialect.interfaceName(port)),
        })
      : { dark: [], remarks: [] };
    if (dark.length > 0) return this.done('dark on the device', `${words}; ${dark.join('; ')}`);
    const missed = await this.expected();
    if (missed.length > 0) return this.done('not as expected', `${words}; ${missed.map(missWords).join('; ')}`);
    return this.done('brought over', [words, ...remarks].join('; '));
  }

  /** What the answers do not say, once whatever is to come up has had its time. */
  private async expected(): Promise<Expectation[]> {
    const { expect } = this.plan;
    if (expect.length === 0) return [];
    const until = Date.now() + (this.dialect.sheet.ports?.settleSeconds ?? 0) * 1000;
    for (;;) {
      const answers = this.questions.map(({ question, after }) => ({
        text: after ?? '',
        rows: this.dialect.rowsOf(question, after ?? ''),
      }));
      this.missed = missedAmong(expect, answers);
      if (this.missed.length === 0 || Date.now() >= until) return this.missed;
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
      for (const one of this.questions) one.after = await this.asked(one.question);
    }
  }

  /** Nobody asked for it; what is stored is looked at all the same. */
  private async notKept(): Promise<void> {
    const { stored } = this.dialect.sheet;
    this.kept = 'not asked for';
    if (stored !== undefined) this.storedText = await this.read(stored);
  }

  /** All of it runs already: what is left is to store it. */
  private async keptAlone(input: RunInput): Promise<Done> {
    const unkept = input.keep === false ? undefined : await this.unkept();
    if (unkept === undefined) return this.done('already right', 'somebody was faster');
    this.after = this.before;
    this.placed = await placedFiles(this.session, this.dialect, this.intended);
    const why = await this.keep();
    return why === undefined
      ? this.done('brought over', 'it ran already, and is stored now')
      : this.done('stopped midway', `it runs, and is not kept: ${why}`);
  }

  /**
   * A line was turned down. What a push brought before it goes again: half of an edition is nothing that anybody wanted. The
   * lines of an errand stand for themselves and stay.
   */
  private async refused(why: string): Promise<Done> {
    const unchanged = inverseLines(this.dialect, this.before ?? '', this.after ?? '') === '';
    if (this.plan.of !== undefined && (!unchanged || this.files.deeds.length > 0)) return this.takenBack(why);
    await this.talk.hold();
    return this.done('turned down', why);
  }

  /** In the session that still stands; nothing is kept either way, so that a restart leads back, too. */
  private async takenBack(why: string): Promise<Done> {
    const { before = '', after = '' } = this;
    const steps = stepsOf(this.dialect, inverseLines(this.dialect, before, after), after);
    const refused =
      (steps.length > 0 ? await this.talk.send(steps, false) : undefined) ??
      (await this.files.back((command, shown) => this.talk.sayShown(command, shown)));
    this.after = await this.running();
    this.placed = await placedFiles(this.session, this.dialect, this.intended);
    this.kept = 'not kept';
    const left = inverseLines(this.dialect, before, this.after);
    if (refused === undefined && left === '') {
      await this.talk.hold();
      return this.done('turned down', `${why}; it was undone`);
    }
    return this.done(
      'stopped midway',
      `${why}; taking it back failed${refused === undefined ? '' : `: ${refused}`}; it is not kept, so a restart leads back`,
    );
  }

  broken(why: string): Done {
    const last = this.talk.sent.at(-1);
    const where = last === undefined ? '' : ` after "${last.command}"`;
    return this.done(last === undefined ? 'no contact' : 'stopped midway', `the session ended${where}: ${why}`);
  }

  /** The device stores what runs; that is read, too. */
  private async keep(): Promise<string | undefined> {
    const { keep, stored } = this.dialect.sheet;
    if (keep === undefined) {
      this.kept = 'nothing to keep';
      return undefined;
    }
    const { refused } = await this.session.run(keep);
    if (refused === undefined && stored === undefined) {
      this.kept = 'kept';
      return undefined;
    }
    if (refused === undefined && stored !== undefined) {
      this.storedText = await this.read(stored);
      const left = this.stepsOn(this.storedText).filter((step) => !step.right);
      this.kept = left.length === 0 ? 'kept' : 'not kept';
      return left[0] ? `"${this.mask(pathOf(left[0]))}" is not as it should be in what is stored` : undefined;
    }
    this.kept = 'not kept';
    if (stored !== undefined) this.storedText = await this.read(stored);
    return refused;
  }

  private async read(command: string): Promise<string> {
    const { text, refused, cut } = await this.session.run(command);
    if (refused !== undefined) throw new Error(`"${command}" was not answered: ${refused}`);
    if (cut) throw new Error(`the answer to "${command}" is too long`);
    return text;
  }

  private async asked(question: string): Promise<string> {
    const command = this.dialect.askedBy(question);
    if (command === undefined) return '';
    const { text } = await this.session.run(command);
    return this.mask(this.dialect.steady(text)).trimEnd();
  }

  private done(outcome: Outcome, detail: string): Done {
    const { before, after } = this;
    const seal = {
      ...this.plan.seal,
      ...(before === undefined ? {} : { before }),
      ...(after === undefined ? {} : { after }),
      ...(this.files.deeds.length > 0 ? { filesBefore: this.files.before } : {}),
    };
    const brought = [...this.plan.secrets, ...secretsOf(this.intended)];
    const captured = [
      ...capturedFiles(this.dialect, this.target, brought, this.placed),
      ...(after === undefined ? [] : [capturedText(this.dialect, this.target.secrets, 'running', after)]),
      ...(this.storedText === undefined
        ? []
        : [capturedText(this.dialect, this.target.secrets, 'stored', this.storedText)]),
    ];
    return {
      outcome,
      detail: this.hide(detail),
      result: { errand: this.shown(this.steps), ...this.ofEdition },
      sealed: JSON.stringify(seal),
      ...(captured.length > 0 ? { captured } : {}),
      ...(after === undefined
        ? {}
        : {
            drift: driftOf(this.target, this.dialect, this.intended, {
              running: after,
              stored: this.storedText,
              files: this.placed,
            }),
          }),
    };
  }

  private mask(text: string): string {
    return this.hide(this.dialect.masked(text));
  }

  /** Secrets that the errand itself brought, short ones too, and all that is known of the device. */
  private hide(text: string): string {
    let out = this.known.mask(text);
    for (const secret of this.plan.secrets) if (secret.length >= 3) out = out.replaceAll(secret, MASK);
    return out;
  }
}
