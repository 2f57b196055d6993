/**
 * The program of the service. Started plainly it tends its parts, each a process of its own: `part api`, `part boot`;
 * `apart` is one of those that the API gives large work to. `user` makes a user.
 */
import { existsSync } from 'node:fs';
import { ConfigFault, readConfig } from './config.ts';
import { logFor } from './log.ts';
import { NotStarted, partNames, Tender, type PartName } from './processes/tender.ts';

/** For so long requests under way may go on when the service is told to stop. */
const STOP_MS = 12_000;

async function tend(): Promise<void> {
  const config = readConfig(process.env);
  const names = config.bootAddress === '' ? (['api'] as const) : partNames;
  const tender = new Tender(names, logFor(config));
  whenTold(() => tender.stop());
  // The first start of all is where the key is made and the database comes into being: by one of them.
  const url = await tender.start(!existsSync(config.keyFile));
  process.send?.({ url });
}

/** What the operating system says to a program that is to end. A part hears it from whoever tends it. */
function whenTold(stop: () => Promise<void>, signals: NodeJS.Signals[] = ['SIGTERM', 'SIGINT', 'SIGHUP']): void {
  let stopping = false;
  for (const signal of signals)
    process.on(signal, () => {
      if (stopping) return;
      stopping = true;
      void stop().then(() => process.exit(0));
    });
}

async function part(name: PartName): Promise<void> {
  // Ctrl-C in a terminal reaches all processes of a program at once.
  for (const signal of ['SIGINT', 'SIGHUP'] as const) process.on(signal, () => undefined);
  const { runPart } = await import('./processes/part.ts');
  const stop = await runPart(name, readConfig(process.env));
  whenTold(async () => {
    // A unit of work that takes longer is broken off: the database takes it back.
    setTimeout(() => process.exit(0), STOP_MS).unref();
    await stop();
  }, ['SIGTERM']);
}

const commands: Record<string, (args: string[]) => Promise<void>> = {
  '': tend,
  part: ([name = '']) => part(name as PartName),
  apart: async () => {
    for (const signal of ['SIGINT', 'SIGHUP', 'SIGTERM'] as const) process.on(signal, () => undefined);
    const { serveApart } = await import('./apart/child.ts');
    serveApart(readConfig(process.env));
  },
  user: async (args) => (await import('./makeUser.ts')).makeUser(args),
};

const [command = '', ...args] = process.argv.slice(2);
await commands[command]?.(args).catch(async (error: unknown) => {
  if (!(error instanceof NotStarted)) {
    const words = error instanceof ConfigFault ? error.message : (await import('./words.ts')).wordsOf(error);
    process.stderr.write(`zealous-pine: ${words}\n`);
  }
  process.exit(1);
});
