/** Runs test files that it is handed, one after the other, each in one piece: what it prints goes along with the result. */
import Mocha from 'mocha';

/** One file, or undefined for the end. */
export type Task = { file: string } | { end: true };

export interface Done {
  file: string;
  passed: number;
  failed: number;
  /** What failed, and how: said again at the end of the whole run. */
  failures: string[];
  text: string;
  seconds: number;
}

/** With what led to it: a property that failed keeps there what was not as expected. */
function wordsOf(error: Error): string {
  const cause = error.cause instanceof Error ? `\nbecause: ${wordsOf(error.cause)}` : '';
  return `${error.stack ?? error.message}${cause}`;
}

async function runFile(file: string): Promise<Done> {
  const begin = Date.now();
  let text = '';
  const write = process.stdout.write.bind(process.stdout);
  process.stdout.write = (chunk: string | Uint8Array) => {
    text += chunk.toString();
    return true;
  };
  try {
    const mocha = new Mocha({ reporter: 'spec', timeout: 30_000, color: false });
    mocha.addFile(file);
    await mocha.loadFilesAsync();
    let passed = 0;
    const failures: string[] = [];
    await new Promise<void>((done) => {
      const runner = mocha.run(() => done());
      runner.on('pass', () => (passed += 1));
      runner.on('fail', (test, error: Error) => failures.push(`${test.fullTitle()}\n${wordsOf(error)}`));
    });
    mocha.dispose();
    return { file, passed, failed: failures.length, failures, text, seconds: (Date.now() - begin) / 1000 };
  } catch (error) {
    const why = error instanceof Error ? (error.stack ?? error.message) : String(error);
    const failure = `${file} could not be run: ${why}`;
    return { file, passed: 0, failed: 1, failures: [failure], text: `${text}\n${failure}\n`, seconds: 0 };
  } finally {
    process.stdout.write = write;
  }
}

process.on('message', (task: Task) => {
  if ('end' in task) process.exit(0);
  void runFile(task.file).then((done) => process.send?.(done));
});
process.send?.('ready');
