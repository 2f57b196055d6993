import { fork } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect } from 'chai';
import { Refusal } from '@zpine/contract/errors';
import type { Asked } from '../http/asked.ts';
import { ApartPool } from './pool.ts';

/** What stands in for the work: each does what a request that somebody made on purpose would. */
const script = `
const grow = [];
const doings = {
  answers: () => process.send({ answered: { status: 200, headers: { a: 'b' }, body: String(process.pid) } }),
  refuses: () => process.send({ refused: { code: 'taken', params: { value: 'x' }, faults: [], beyond: 3, extra: {} } }),
  breaks: () => process.send({ broken: { error: { message: 'cracked', stack: 'at there' } } }),
  loops: () => { for (;;); },
  objects: () => { for (;;) grow.push({ n: grow.length }); },
  doubles: () => { let s = 'x'; for (;;) { s += s; grow.push(Buffer.from(s).toString('latin1')); } },
  buffers: () => setInterval(() => grow.push(Buffer.alloc(20e6, 1)), 5),
  ends: () => process.exit(7),
  pieces: () => { process.send({ begun: { status: 200, headers: {} } }); let n = 0; const on = () => process.send(n < 3 ? { piece: String(n++) } : { done: true }); process.on('message', (m) => m.next && on()); on(); },
  halts: () => { process.send({ begun: { status: 200, headers: {} } }); process.send({ piece: 'a' }); },
};
process.on('message', (m) => m.asked && doings[m.asked.id]());
process.on('disconnect', () => process.exit(0));
`;

describe('work that is done apart', () => {
  const folder = mkdtempSync(join(tmpdir(), 'zpine-apart-'));
  const path = join(folder, 'work.cjs');
  writeFileSync(path, script);
  const said: { how: string }[] = [];
  let started = 0;
  const pool = new ApartPool(
    {
      most: 2,
      heapMb: 40,
      importHeapMb: 40,
      residentBytes: 220 * 1024 * 1024,
      seconds: () => 5,
      start: (heapMb) => {
        started += 1;
        const execArgv = [`--max-old-space-size=${heapMb}`];
        return fork(path, [], { execArgv, stdio: ['ignore', 'inherit', 'pipe', 'ipc'] });
      },
    },
    { warn: (what) => said.push(what as { how: string }) },
  );
  after(async () => {
    await pool.stop();
    rmSync(folder, { recursive: true, force: true });
  });

  const never = new AbortController().signal;
  const ask = (id: string, { user = 1, signal = never } = {}) =>
    pool.carryOut({ id, query: {}, user: { id: user } } as unknown as Asked, signal);
  const codeOf = async (work: Promise<unknown>): Promise<string> => {
    try {
      await work;
    } catch (error) {
      if (error instanceof Refusal) return error.code;
      throw error;
    }
    return 'answered';
  };

  it('is answered, by the same process again and again', async () => {
    const first = await ask('answers');
    expect(first).to.deep.include({ status: 200, headers: { a: 'b' } });
    expect((await ask('answers')).body).to.equal(first.body);
    expect(started).to.equal(1);
  });

  it('refuses, with how many faults there were', async () => {
    const refusal = await ask('refuses').catch((error: unknown) => error);
    expect(refusal).to.be.instanceOf(Refusal).and.to.deep.include({ code: 'taken', beyond: 3 });
  });

  it('tells of a fault of the service with its stack, and goes on', async () => {
    const error = (await ask('breaks').catch((thrown: unknown) => thrown)) as Error;
    expect([error.message, error.stack]).to.deep.equal(['cracked', 'at there']);
    expect(await codeOf(ask('answers'))).to.equal('answered');
    expect(started).to.equal(1);
  });

  for (const [what, code] of [
    ['loops', 'too-slow'],
    ['objects', 'too-large'],
    ['doubles', 'too-large'],
    ['buffers', 'too-large'],
  ] as const)
    it(`that ${what} is ended, and another process takes its place`, async function () {
      this.timeout(20_000);
      const before = started;
      const others = codeOf(ask('answers', { user: 2 }));
      expect(await codeOf(ask(what))).to.equal(code);
      expect(await others).to.equal('answered');
      expect(await codeOf(ask('answers'))).to.equal('answered');
      expect(started).to.be.at.most(before + 2);
      expect(said.at(-1)?.how).to.be.a('string');
    });

  it('that ends by itself is a fault of the service, and not said to be too large', async () => {
    const error = await ask('ends').catch((thrown: unknown) => thrown);
    expect(error).to.be.instanceOf(Error).and.not.instanceOf(Refusal);
    expect((error as Error).message).to.equal('a process apart ended with status 7');
    expect(await codeOf(ask('answers'))).to.equal('answered');
  });

  it('is ended at once when nobody waits for it any more', async () => {
    const leaving = new AbortController();
    const work = codeOf(ask('loops', { signal: leaving.signal }));
    setTimeout(() => leaving.abort(), 100);
    const begun = Date.now();
    expect(await work).to.equal('client-left');
    expect(Date.now() - begun).to.be.lessThan(1500);
  });

  it('leaves a process to others, however much one user asks for', async function () {
    this.timeout(20_000);
    const busy = [ask('loops'), ask('loops'), ask('loops')].map(codeOf);
    const begun = Date.now();
    expect(await codeOf(ask('answers', { user: 2 }))).to.equal('answered');
    expect(Date.now() - begun).to.be.lessThan(1800);
    expect(await Promise.all(busy)).to.deep.equal(['too-slow', 'too-slow', 'too-slow']);
  });

  it('answers piece by piece', async () => {
    const { body } = await ask('pieces');
    const heard: string[] = [];
    for await (const piece of body as AsyncIterable<string>) heard.push(piece);
    expect(heard).to.deep.equal(['0', '1', '2']);
  });

  it('is ended when whoever hears the pieces stops listening', async () => {
    const { body } = await ask('halts');
    for await (const piece of body as AsyncIterable<string>) {
      expect(piece).to.equal('a');
      break;
    }
    expect(await codeOf(ask('answers'))).to.equal('answered');
  });

  it('breaks an answer off that takes too long', async function () {
    this.timeout(10_000);
    const { body } = await ask('halts');
    const read = async () => {
      for await (const _ of body as AsyncIterable<string>);
    };
    let failed = false;
    await read().catch(() => (failed = true));
    expect(failed).to.equal(true);
  });
});
