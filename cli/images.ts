/** Contents of images, who wants them, and bringing devices to another version. */
import { createReadStream, createWriteStream, statSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { basename } from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import type { ReadableStream as NodeReadable } from 'node:stream/web';
import type { Command } from 'commander';
import { sizeWords } from '@zpine/core/fleet/upgrading';
import { confirmed } from './changing.ts';
import { careOf, withCare, type CareOptions } from './careful.ts';
import { clientOf, outputOf } from './context.ts';
import { ago, out, table } from './print.ts';
import { UsageError } from './refusals.ts';
import { follow, selectionOf } from './runs.ts';

export function addImageVerbs(noun: Command): void {
  noun
    .command('put')
    .description('send the content of an image: kept by its digest, and given to devices that want it')
    .argument('<image>')
    .argument('<file>')
    .option('--digest <hex>', 'the SHA-256 or SHA-512 that it has to have')
    .option('--replace', 'even where the image has another content already')
    .option('--reason <text>', 'why, for the history')
    .addHelpText('after', '\nExamples:\n  zpine image put furrow-4.2.0 ./furrow-4.2.0.img --digest 9f86d081…')
    .action(put);
  noun
    .command('get')
    .description('save the content of an image as a file')
    .argument('<image>')
    .argument('<file>')
    .action(get);
  noun
    .command('held')
    .description('which contents the service that answers has in its folder')
    .option('--verify', 'read all of them, and work out their digests')
    .action(held);
  noun
    .command('devices')
    .description('which devices want an image, and which version each of them said last that it runs')
    .argument('<image>')
    .action(devices);
}

interface PutOptions {
  digest?: string;
  replace?: boolean;
  reason?: string;
}

async function put(ref: string, file: string, options: PutOptions, command: Command): Promise<void> {
  const bytes = sizeOf(file);
  const live = Boolean(process.stderr.isTTY) && !outputOf(command).json;
  let sent = 0;
  let told = -1;
  const counting = new Transform({
    transform(piece: Buffer, _encoding, done) {
      sent += piece.length;
      const percent = bytes === 0 ? 100 : Math.floor((100 * sent) / bytes);
      if (live && percent !== told)
        process.stderr.write(`\r${basename(file)}: ${(told = percent)} % of ${sizeWords(bytes)}`);
      done(null, piece);
    },
  });
  const source = createReadStream(file);
  source.once('error', (error) => counting.destroy(error));
  const body = Readable.toWeb(source.pipe(counting)) as unknown as ReadableStream;
  const query = {
    ...(options.digest === undefined ? {} : { digest: options.digest }),
    ...(options.replace ? { replace: 'true' as const } : {}),
  };
  const kept = await clientOf()
    .putImage(ref, query, body, { length: bytes, reason: options.reason })
    .finally(() => void (live && process.stderr.write('\n')));
  if (outputOf(command).json) return out(JSON.stringify(kept, null, 2));
  out(`${kept.image}: ${sizeWords(kept.bytes)}, SHA-256 ${kept.sha256}${kept.changed ? '' : '; it had it already'}`);
}

function sizeOf(file: string): number {
  try {
    return statSync(file).size;
  } catch (error) {
    throw new UsageError(`${file}: ${error instanceof Error ? error.message : String(error)}`);
  }
}

async function get(ref: string, file: string): Promise<void> {
  const answer = await clientOf().getImage(ref);
  try {
    await pipeline(Readable.fromWeb(answer as unknown as NodeReadable), createWriteStream(file, { flags: 'wx' }));
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'EEXIST') throw new UsageError(`${file} is there already`);
    await rm(file, { force: true });
    throw error;
  }
  out(`${file}: ${sizeWords(statSync(file).size)}`);
}

async function held(options: { verify?: boolean }, command: Command): Promise<void> {
  const found = await clientOf().call('image.held', { query: options.verify ? { verify: 'true' } : {} });
  if (outputOf(command).json) return out(JSON.stringify(found, null, 2));
  const words = { here: '● here', sound: '● sound', absent: '✕ not here', damaged: '✕ damaged', empty: '– no content' };
  out(
    table(
      ['image', 'state', 'size', 'sha-256'],
      found.items.map(({ image, bytes, sha256, state }) => [
        image,
        words[state],
        bytes === null ? '' : sizeWords(bytes),
        sha256 === null ? '' : `${sha256.slice(0, 16)}…`,
      ]),
    ),
  );
  out(`\nin ${found.folder}, ${sizeWords(found.room)} free`);
}

async function devices(ref: string, _options: object, command: Command): Promise<void> {
  const found = await clientOf().call('image.devices', { params: { ref } });
  if (outputOf(command).json) return out(JSON.stringify(found, null, 2));
  if (found.named.length === 0)
    return out(`no layer names ${ref}: zpine setting set image.wanted ${ref} --on model:MODEL`);
  out(`named by ${found.named.join(', ')}; wanted by ${found.count}, of which ${found.running} run it`);
  if (found.count === 0) return;
  out(
    table(
      ['device', 'runs', 'said'],
      found.devices.map(({ device, version, at, runs }) => [
        device,
        version === null ? '○ not known' : `${runs ? '●' : '◐'} ${version}`,
        at === null ? '' : ago(at),
      ]),
    ),
  );
  if (found.count > found.devices.length) out(`and ${found.count - found.devices.length} more`);
}

interface UpgradeOptions extends CareOptions {
  image?: string;
}

export function addUpgrading(program: Command): void {
  withCare(
    program
      .command('upgrade')
      .description('bring devices to the image that they want: fetched, held against its digest, started with, proved')
      .argument('[device...]')
      .option('--image <image>', 'this one, whatever their layers say'),
    { keep: false, insist: 'although lines that run are not stored, and go with the restart; needs --reason' },
  )
    .addHelpText(
      'after',
      `
One device goes first, then five, then the others; the first that does not go well ends it. A device that comes up and is
not what it was goes back to the image that ran before.

Examples:
  zpine upgrade har-acc-7
  zpine upgrade --where 'duty=access site=har' --ask neighbours --expect har-core-1 --per-site 1`,
    )
    .action(async (names: string[], options: UpgradeOptions, command: Command) => {
      const { keep: _keep, ...care } = careOf(options);
      const body = {
        ...selectionOf(names, options),
        ...care,
        ...(options.image === undefined ? {} : { image: options.image }),
      };
      const run = await follow(await clientOf().call('run.upgrade', { body, reason: options.reason }));
      await confirmed(run, options.go, command);
    });
}
