/** The inside of a part of the service: waits for the database, starts, and says that it is ready. */
import { existsSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { setTimeout as pause } from 'node:timers/promises';
import type { Logger } from 'pino';
import type { BootState, ShownProcess } from '@zpine/contract/processes';
import type { Config } from '../config.ts';
import { logFor } from '../log.ts';
import { prepareStore } from '../stores.ts';
import { isAway } from '../store/database.ts';
import type { TellBoot } from '../bootPart.ts';
import { residentBytes } from './shown.ts';
import type { FromPart, PartName, ToPart } from './tender.ts';

const FIRST_PAUSE_MS = 500;
const LONGEST_PAUSE_MS = 5000;
const MB = 1024 * 1024;
const FORGET_MS = 30_000;
/** Of objects, for one request; what an estate of 100,000 devices needs is a fifth of it. */
const HEAP_MB = 512;
/** Some imports are read as a whole. */
const IMPORT_HEAP_MB = 1536;

/** Gives what stops it. */
export async function runPart(name: PartName, config: Config): Promise<() => Promise<void>> {
  const log = logFor(config);
  const say = (message: FromPart): void => void process.send?.(message);
  if (name === 'boot') {
    const { startBoot } = await import('../bootPart.ts');
    const boot = await onceReached(log, () => startBoot(config, log));
    process.on('message', ({ committed }: ToPart) => {
      if (!committed) return;
      const known = () => say({ known: { id: committed.id, boot: boot?.state() } });
      void boot?.refresh(committed.hints).then(known, known);
    });
    say({ ready: {} });
    return () => boot?.stop() ?? Promise.resolve();
  }
  const [{ startApi }, { ApartPool }, { secondsFor }] = await Promise.all([
    import('../service.ts'),
    import('../apart/pool.ts'),
    import('../apart/seconds.ts'),
  ]);
  await onceReached(log, () => prepareStore(config, log));
  const pool = new ApartPool(
    {
      most: 3,
      heapMb: HEAP_MB,
      importHeapMb: IMPORT_HEAP_MB,
      residentBytes: (HEAP_MB + 256) * MB,
      seconds: secondsFor,
    },
    log,
  );
  const told = heardOfParts();
  const here = dirname(fileURLToPath(import.meta.url));
  const [console] = [join(here, 'console'), join(here, '..', '..', 'dist', 'console')].filter((path) =>
    existsSync(path),
  );
  const api = await startApi(config, log, {
    version: versionIn(here),
    consoleFolder: console,
    apart: pool,
    importInProcess: (job, ...endings) => pool.importUpload(job, ...endings),
    processes: () => [...told(), ...pool.shown()],
    refresh: config.bootAddress === '' ? undefined : bootProcess(say),
  });
  say({ ready: { url: api.url } });
  return api.stop;
}

/** The package stands beside the folder of what was built, or further up in the sources. */
function versionIn(here: string): string {
  const path = [join(here, '..', 'package.json'), join(here, '..', '..', 'package.json')].find((one) =>
    existsSync(one),
  );
  return path === undefined ? '' : (JSON.parse(readFileSync(path, 'utf8')) as { version: string }).version;
}

/** A database that is started at the same time, or later, is waited for. */
async function onceReached<T>(log: Logger, work: () => Promise<T>): Promise<T> {
  for (let ms = FIRST_PAUSE_MS, said = false; ; ms = Math.min(LONGEST_PAUSE_MS, ms * 2)) {
    try {
      return await work();
    } catch (error) {
      if (!isAway(error)) throw error;
      if (!said) log.warn({ why: (error as Error).message }, 'the database is not reached; waiting for it');
      said = true;
      await pause(ms);
    }
  }
}

/** What whoever tends the parts tells of them; how much memory they hold is looked up when somebody asks. */
function heardOfParts(): () => ShownProcess[] {
  let heard: ShownProcess[] = [];
  process.on('message', (message: ToPart) => (heard = message.processes ?? heard));
  return () => heard.map((one) => ({ ...one, memoryBytes: residentBytes(one.pid) }));
}

/** Tells the process that answers booting devices what was committed here; resolves when it is known there. */
function bootProcess(say: (message: FromPart) => void): TellBoot {
  const waiting = new Map<number, (state: BootState | undefined) => void>();
  let last = 0;
  process.on('message', ({ known }: ToPart) => {
    if (!known) return;
    waiting.get(known.id)?.(known.boot);
    waiting.delete(known.id);
  });
  return (hints) =>
    new Promise((resolve) => {
      const id = (last += 1);
      waiting.set(id, resolve);
      // Of one that ended in between nobody hears any more.
      setTimeout(() => waiting.delete(id), FORGET_MS).unref();
      say({ committed: { id, hints } });
    });
}
