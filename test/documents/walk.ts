/** One document, typed line by line: every command ends with the status that it should, and says what is shown. */
import { expect } from 'chai';
import { commandsIn, missingIn, walkThrough, type Walk } from './bench.ts';

export interface Notes {
  /** Files that the document speaks of as the reader's own. */
  files?: Record<string, string>;
  /** What the reader does beforehand, by the beginning of the command. */
  before?: Record<string, string>;
  /** Those that ask before they save. */
  asks?: string[];
  /** What is answered where neither a number nor a yes is asked for. */
  answers?: Record<string, string[]>;
  /** Those that shall be refused, which is what they are there for. */
  refused?: string[];
  notTyped?: string[];
}

export function walkDocument(document: string, notes: Notes): void {
  describe(`what ${document} says to type`, function () {
    this.timeout(600_000);
    let walk: Walk;
    before(async () => {
      walk = await walkThrough(notes.files ?? {});
    });
    after(() => walk.end());
    const of = <T>(rows: Record<string, T> | undefined, command: string): T | undefined =>
      Object.entries(rows ?? {}).find(([begin]) => command.startsWith(begin))?.[1];
    const isOne = (begins: string[] | undefined, command: string) =>
      (begins ?? []).some((begin) => command.startsWith(begin));

    it('works on a fresh demo, in its order, and says what is shown', async () => {
      const wrong: string[] = [];
      let last = '';
      for (const { line, command, shown } of commandsIn(document)) {
        if (command.startsWith('export ') || isOne(notes.notTyped, command)) continue;
        const first = of(notes.before, command);
        if (first !== undefined) expect((await walk.type(first)).status, first).to.equal(0);
        const number = /^#?(\d+)/m.exec(last)?.[1] ?? '';
        const typed = command.replace('NUMBER', number);
        const answers = of(notes.answers, command);
        const there = answers !== undefined || isOne(notes.asks, command) ? { answers: answers ?? [] } : undefined;
        const { said, status } = await walk.type(typed, there);
        last = said;
        const wanted = isOne(notes.refused, command) ? 1 : 0;
        if (status !== wanted)
          wrong.push(`line ${line}: ${typed}\n  ends with ${status}, not ${wanted}: ${said.slice(-400)}`);
        else
          for (const missing of missingIn(shown, said))
            wrong.push(`line ${line}: ${typed}\n  does not say: ${missing}\n  it says: ${said.slice(0, 1500)}`);
      }
      expect(wrong.join('\n\n')).to.equal('');
    });
  });
}
