/** Terminals on devices: typed by whoever may, by the access set, recorded without what is secret. */
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { WebSocket, type ClientOptions } from 'ws';
import type { Problem } from '@zpine/contract/errors';
import { eventually } from '../../trials/eventually.ts';
import { PASSWORD } from '../../ops/stack.ts';
import { zpineIn } from '../zpine.ts';
import { acquainted, fleet, PASS, type Fleet } from './bench.ts';

describe('terminals', function () {
  this.timeout(60_000);
  let f: Fleet;
  const home = mkdtempSync(join(tmpdir(), 'zpine-open-'));
  const { zpine, zpineWith } = zpineIn(home);
  before(async () => {
    f = await fleet({ furrow: 2, quill: 1, shale: 1 });
    await acquainted(f.client, 'name=har-acc-1 or name=har-xr-1 or name=har-wb-1');
    expect((await zpineWith(`${PASSWORD}\n`, {}, 'sign-in', f.url, '--user', 'engineer')).status).to.equal(0);
  });
  after(async () => {
    await f.end();
    rmSync(home, { recursive: true, force: true });
  });

  const urlOf = (device: string, query = '') =>
    `${f.url.replace('http', 'ws')}/api/v1/devices/${device}/terminal${query}`;
  const as = (role: 'viewer' | 'engineer'): ClientOptions => ({
    headers: { Authorization: `Bearer ${f.tokens[role]}` },
  });

  interface Open {
    socket: WebSocket;
    shown: () => string;
    ended: Promise<string>;
  }
  const opened = (device: string, options: ClientOptions, query = ''): Promise<Open | Problem> =>
    new Promise((done, failed) => {
      const socket = new WebSocket(urlOf(device, query), options);
      let text = '';
      socket.on('message', (data: Buffer, binary) => {
        if (binary) text += data.toString();
        else done((JSON.parse(data.toString()) as { problem: Problem }).problem);
      });
      const ended = new Promise<string>((over) => socket.on('close', (_code, why) => over(why.toString())));
      // Who is refused is told so at once; who is let in sees a prompt.
      socket.on('message', (_data, binary) => void (binary && done({ socket, shown: () => text, ended })));
      socket.on('unexpected-response', (_request, { statusCode = 0 }) =>
        done({ code: String(statusCode), detail: '' } as Problem),
      );
      socket.on('error', failed);
    });
  const refused = async (device: string, options: ClientOptions): Promise<string> => {
    const answer = await opened(device, options);
    return 'code' in answer ? answer.code : 'opened';
  };
  const recordings = async (device: string) => (await f.client.call('terminal.list', { query: { device } })).items;

  it('are opened by engineers only, on devices whose key is known, and by no page of another place', async () => {
    expect(await refused('har-acc-1', {})).to.equal('401');
    expect(await refused('har-acc-1', as('viewer'))).to.equal('403');
    expect(await refused('har-nix', as('engineer'))).to.equal('not-found');
    const stranger = await opened('har-acc-2', as('engineer'));
    expect(stranger).to.include({ code: 'terminal-unreached' });
    expect((stranger as Problem).remedy).to.equal('look at the key and accept it: zpine reach har-acc-2 --accept');
    const cookie = await signedIn();
    expect(await refused('har-acc-1', { headers: { Cookie: cookie }, origin: 'https://elsewhere.example' })).to.equal(
      '403',
    );
    expect(await recordings('har-acc-1')).to.deep.equal([]);
    const plain = await fetch(`${f.url}/api/v1/devices/har-acc-1/terminal`, {
      headers: { Authorization: `Bearer ${f.tokens.engineer}` },
    });
    expect([plain.status, ((await plain.json()) as Problem).code]).to.deep.equal([426, 'terminal-upgrade']);
  });

  async function signedIn(): Promise<string> {
    const answer = await fetch(`${f.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ name: 'engineer', password: PASSWORD }),
    });
    return answer.headers.get('set-cookie')?.split(';')[0] ?? '';
  }

  it('show what the device shows, and keep it without what is secret', async () => {
    const answer = await opened(
      'har-acc-1',
      { headers: { Cookie: await signedIn() }, origin: f.url },
      '?cols=100&rows=30&reason=a+look',
    );
    if ('code' in answer) throw new Error(answer.detail);
    const { socket, shown, ended } = answer;
    await eventually('the prompt is shown', () => /har-acc-1: $/.test(shown()));
    socket.send(JSON.stringify({ cols: 120, rows: 40 }));
    socket.send(Buffer.from('tell now\n'));
    await eventually(
      () => `the password is shown: ${shown()}`,
      () => shown().includes(PASS),
    );
    socket.send(Buffer.from('leave\n'));
    expect(await ended).to.equal('the device ended it');
    const [kept] = await recordings('har-acc-1');
    expect(kept).to.include({ device: 'har-acc-1', by: 'engineer', reason: 'a look', ended: 'the device ended it' });
    const { text, cut } = await f.client.call('terminal.show', { params: { id: String(kept?.id) } });
    expect(text).to.contain('tell now').and.to.not.contain(PASS);
    expect(cut).to.equal(false);
  });

  it('end with whoever opened them, and say so', async () => {
    const answer = await opened('har-xr-1', as('engineer'));
    if ('code' in answer) throw new Error(answer.detail);
    await eventually('the prompt is shown', () => answer.shown().includes('har-xr-1 ;'));
    answer.socket.close(1000);
    await eventually(
      'the recording ends',
      async () => (await recordings('har-xr-1'))[0]?.ended === 'whoever opened it left',
    );
  });

  it('are opened from the command line, and shown again', async () => {
    const { out, err, status } = await zpineWith(
      'tell about\nleave\n',
      {},
      'open',
      'har-acc-1',
      '--reason',
      'from a pipe',
    );
    expect([status, err.trim()]).to.deep.equal([0, 'har-acc-1: the device ended it']);
    expect(out).to.match(/har-acc-1: tell about[\s\S]*serial +LF-24-1001/);
    const list = await zpine('terminal', 'list', '--device', 'har-acc-1');
    expect(list.out).to.match(/#\d+ +har-acc-1 +engineer .*the device ended it +from a pipe/);
    const number = /#(\d+)/.exec(list.out)?.[1] ?? '';
    expect((await zpine('terminal', 'show', number)).out).to.contain('tell about');
    const unmet = await zpine('open', 'har-acc-2');
    expect([unmet.status, unmet.err]).to.deep.equal([
      1,
      `refused: no terminal on har-acc-2: ${/Host key: [^\n]*/.exec(unmet.err)?.[0] ?? ''}\n  look at the key and accept it: zpine reach har-acc-2 --accept\n`,
    ]);
  });

  it('say of a device that has none that it has none', async () => {
    const answer = await opened('har-wb-1', as('engineer'));
    if ('code' in answer) expect(answer.detail).to.match(/^no terminal on har-wb-1: Dialect: it opens no terminal/);
    else answer.socket.close();
  });
});
