/**
 * Starts the command line from what the build has prepared: one file, and what V8 made of it, so that a command need not
 * be compiled each time. What was prepared by another version of Node is not used; then it only takes longer.
 */
import { readFileSync, writeFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
import { Script } from 'node:vm';

const file = fileURLToPath(new URL('zpine.cjs', import.meta.url));
const prepared = fileURLToPath(new URL('zpine.cache', import.meta.url));

function cached(): Buffer | undefined {
  try {
    return readFileSync(prepared);
  } catch {
    return undefined;
  }
}

const cachedData = cached();
const script = new Script(`(function (require, module) {${readFileSync(file, 'utf8')}\n})`, {
  filename: file,
  ...(cachedData ? { cachedData } : {}),
});
const program = script.runInThisContext() as (require: NodeJS.Require, module: object) => void;
program(createRequire(file), { exports: {} });
/** The build asks for it, once a command has run and what it needs is known. */
if (process.env.ZPINE_PREPARE) process.once('exit', () => writeFileSync(prepared, script.createCachedData()));
