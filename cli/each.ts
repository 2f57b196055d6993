/** Commands for one device, or for every device of a selection. */
import type { Command } from 'commander';
import { RefusedError } from '@zpine/contract/client';
import { clientOf } from './context.ts';
import { previewTold } from './impact.ts';
import { err, out, refusedWord } from './print.ts';
import { wanted } from './prompt.ts';
import { status, UsageError } from './refusals.ts';

export const withSelection = (command: Command): Command =>
  command
    .option('--where <tests>', "instead of a device, all of a selection: 'site=ard stage=sketched'; asks by number")
    .option('--yes', 'with a selection: do not ask');

export interface Selection {
  where?: string;
  yes?: boolean;
}

/** Does something for the device that is named, or for each of a selection; one that refuses does not stop the others. */
export async function forEach(
  ref: string | undefined,
  { where, yes }: Selection,
  work: (device: string) => Promise<unknown>,
): Promise<void> {
  if (where === undefined) {
    if (ref === undefined) throw new UsageError('name a device, or select some with --where');
    await work(ref);
    return;
  }
  if (ref !== undefined) throw new UsageError('either a device or --where, not both');
  const keys: string[] = [];
  for await (const device of clientOf().all('device', { where })) keys.push(device.key);
  if (keys.length === 0) throw new UsageError(`no device matches ${where}`);
  const words = `${keys.length} device${keys.length === 1 ? '' : 's'}`;
  if (!(await wanted(`do this for ${words}?`, keys, { yes }))) return;
  let done = 0;
  for (const key of keys) {
    try {
      await work(key);
      done += 1;
    } catch (error) {
      if (previewTold(error)) {
        done += 1;
        continue;
      }
      if (!(error instanceof RefusedError)) throw error;
      err(`${key}: ${refusedWord()}: ${error.problem.detail}`);
    }
  }
  out(`${done} of ${words}`);
  if (done < keys.length) process.exitCode = status.refused;
}
