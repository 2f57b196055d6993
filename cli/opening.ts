/** A terminal on a device, and the recordings of those that were opened. */
import type { Command } from 'commander';
import { RefusedError, UnreachedError } from '@zpine/contract/client';
import type { Problem } from '@zpine/contract/errors';
import type { WebSocket } from 'ws';
import { readAccount } from './account.ts';
import { clientOf, outputOf } from './context.ts';
import { ago, clock, err, out, raw, table } from './print.ts';
import { status, UsageError } from './refusals.ts';

/** Ctrl-] leaves, as long as whoever types has a keyboard. */
const LEAVE = 0x1d;
/** What was piped in is at its end, and nothing more is shown for so long: that was it. */
const QUIET_MS = 1500;

export function addOpening(program: Command): void {
  program
    .command('open')
    .description('a terminal on a device, by its access set and jump host; what it shows is recorded')
    .argument('<device>')
    .option('--reason <text>', 'why, kept with the recording')
    .addHelpText(
      'after',
      '\nCtrl-] leaves.\n\nExamples:\n  zpine open har-acc-1\n  zpine terminal list --device har-acc-1',
    )
    .action((device: string, { reason }: { reason?: string }) => open(device, reason));
  const terminal = program.command('terminal').description('terminals that were opened, and what they showed');
  terminal
    .command('list')
    .description('the newest first')
    .option('--device <device>', 'on this device')
    .action(async ({ device }: { device?: string }, command: Command) => {
      const { items } = await clientOf().call('terminal.list', { query: device === undefined ? {} : { device } });
      if (outputOf(command).json) return out(JSON.stringify(items, null, 2));
      out(
        table(
          ['terminal', 'device', 'by', 'opened', 'until', 'ended', 'reason'],
          items.map((one) => [
            `#${one.id}`,
            one.device,
            one.by,
            ago(one.openedAt),
            one.endedAt === null ? '' : clock(one.endedAt),
            one.ended ?? 'open',
            one.reason ?? '',
          ]),
        ),
      );
    });
  terminal
    .command('show')
    .description('what it showed, known secrets masked')
    .argument('<number>')
    .action(async (number: string, _options: unknown, command: Command) => {
      const shown = await clientOf().call('terminal.show', { params: { id: number } });
      if (outputOf(command).json) return out(JSON.stringify(shown, null, 2));
      raw(shown.text.endsWith('\n') ? shown.text : `${shown.text}\n`);
      if (shown.cut) err('only the beginning was kept');
    });
}

async function open(device: string, reason: string | undefined): Promise<void> {
  const account = readAccount();
  if (!account) throw new UsageError('nobody is signed in: zpine sign-in URL --user NAME');
  const { stdin, stdout } = process;
  // Where nobody looks, a terminal has the size that it always had.
  const [cols, rows] = stdout.isTTY ? [stdout.columns, stdout.rows] : [80, 24];
  const query = new URLSearchParams({ cols: String(cols), rows: String(rows), ...(reason ? { reason } : {}) });
  const url = `${account.url.replace(/^http/, 'ws')}/api/v1/devices/${encodeURIComponent(device)}/terminal?${query.toString()}`;
  const ws = await import('ws');
  const socket = new ws.WebSocket(url, { headers: { Authorization: `Bearer ${account.token}`, 'Zpine-Via': 'cli' } });
  const why = await new Promise<string>((ended, failed) => {
    // What is refused before anything is opened comes without a body: by the status alone.
    socket.on('unexpected-response', (_request, response) => failed(refusalBy(response.statusCode ?? 0)));
    socket.on('error', (error) => failed(new UnreachedError(error.message)));
    socket.on('open', () => {
      if (stdin.isTTY) {
        stdin.setRawMode(true);
        process.stderr.write(`${device}: Ctrl-] leaves\r\n`);
      }
      if (!stdin.isTTY) stdin.on('end', () => leaveWhenQuiet(socket));
      stdin.on('data', (bytes: Buffer) => {
        const at = stdin.isTTY ? bytes.indexOf(LEAVE) : -1;
        if (at !== 0) socket.send(at < 0 ? bytes : bytes.subarray(0, at));
        if (at >= 0) socket.close(1000);
      });
      stdout.on('resize', () => socket.send(JSON.stringify({ cols: stdout.columns, rows: stdout.rows })));
    });
    socket.on('message', (data: Buffer, binary) => {
      if (binary) stdout.write(data);
      else failed(new RefusedError((JSON.parse(data.toString()) as { problem: Problem }).problem));
    });
    socket.on('close', (_code, said) => ended(said.toString()));
  }).finally(() => {
    if (stdin.isTTY) stdin.setRawMode(false);
    stdin.pause();
  });
  err(`\n${device}: ${why === '' ? 'left' : why}`);
  if (why === '') return;
  if (why !== 'the device ended it') process.exitCode = status.refused;
}

function leaveWhenQuiet(socket: WebSocket): void {
  let timer = setTimeout(() => socket.close(1000), QUIET_MS);
  socket.on('message', () => {
    clearTimeout(timer);
    timer = setTimeout(() => socket.close(1000), QUIET_MS);
  });
}

function refusalBy(code: number): Error {
  if (code === 401) return new UsageError('nobody is signed in any more: zpine sign-in URL --user NAME');
  if (code === 403) return new UsageError('terminals are opened by engineers, and you are none');
  return new UnreachedError(`it answered with ${code}`);
}
