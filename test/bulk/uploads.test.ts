/** Files that are too large for one request. */
import { expect } from 'chai';
import type { Upload } from '@zpine/contract/importRoutes';
import { readOnly } from '../../service/store/transact.ts';
import { actor, refusal, testService, type TestBench } from '../service.ts';
import { eventually } from '../../trials/eventually.ts';

describe('uploads', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService({ ZPINE_UPLOAD_BYTES: String(8 << 20) });
    await bench.clients.engineer.add('vendor', { name: 'larkfield' });
  });
  after(() => bench.stop());
  const client = () => bench.clients.engineer;
  const params = (upload: Upload) => ({ id: String(upload.id) });

  async function until(upload: Upload, ...states: Upload['state'][]): Promise<Upload> {
    const look = async () => {
      const now = await client().call('import.show', { params: params(upload) });
      return [...states, 'failed'].includes(now.state) && now;
    };
    const now = await eventually('the upload comes to an end', look, { limitMs: 30_000 });
    expect(now.failure).to.equal(null);
    return now;
  }

  /** Pieces that do not end where lines end. */
  const inPieces = (text: string | Uint8Array): ReadableStream => {
    const bytes = typeof text === 'string' ? new TextEncoder().encode(text) : text;
    let at = 0;
    return new ReadableStream({
      pull(to) {
        to.enqueue(bytes.slice(at, (at += 70_001)));
        if (at >= bytes.length) to.close();
      },
    });
  };
  const rows = (n: number, prefix: string) =>
    `name,note\n${Array.from({ length: n }, (_, i) => `${prefix}-${i},"Grünau, ""pier"" ${i}"`).join('\n')}\n`;
  const count = async (begin: string) => (await client().list('owner', { q: begin, limit: 1, count: 'true' })).count;

  it('are looked at first, and saved in one change set when told to', async function () {
    this.timeout(60_000);
    const sent = await client().upload({ name: 'owners.csv', kind: 'owner' }, inPieces(rows(6000, 'up')));
    const seen = await until(sent, 'read', 'refused');
    expect(seen).to.deep.include({ state: 'read', encoding: 'utf-8', name: 'owners.csv' });
    expect(seen.outcome?.counts).to.deep.equal({ add: 6000, edit: 0, same: 0 });
    expect(seen.outcome?.items).to.have.length(500);
    expect(await count('up-')).to.equal(0);
    await client().call('import.apply', { params: params(sent), reason: 'all of them' });
    const saved = await until(sent, 'saved');
    expect(saved.outcome?.applied).to.equal(true);
    expect(await count('up-')).to.equal(6000);
    expect((await client().show('owner', 'up-5999')).note).to.equal('Grünau, "pier" 5999');
    const { items } = await client().call('history.list', { query: { limit: '1' } });
    expect(items[0]).to.include({ count: 6000, reason: 'all of them', actor: 'engineer' });
    const undone = await client().call('history.undo', { params: { id: String(items[0]?.id) }, body: {} });
    expect(undone.count).to.equal(6000);
    expect(await count('up-')).to.equal(0);
    expect((await refusal(client().call('import.apply', { params: params(sent) }))).code).to.equal('upload-state');
  });

  it('in the encoding of an old desk are read as what they are', async () => {
    const latin = Uint8Array.from(rows(10, 'old'), (sign) => sign.charCodeAt(0));
    const sent = await client().upload({ name: 'old.csv', kind: 'owner', apply: 'true' }, inPieces(latin));
    expect(sent.encoding).to.equal('windows-1252');
    await until(sent, 'saved');
    expect((await client().show('owner', 'old-3')).note).to.equal('Grünau, "pier" 3');
  });

  it('with faults are refused whole, with rows and values', async () => {
    const text = `${rows(1500, 'bad')}bad-7,again\n??,x\nbad-x,y,z\n`;
    const sent = await client().upload({ kind: 'owner', apply: 'true' }, inPieces(text));
    const seen = await until(sent, 'refused', 'saved');
    expect(seen.outcome?.faults.map((f) => `${f.row} ${f.column ?? '-'} ${f.code}`)).to.deep.equal([
      '1502 name import-twice',
      '1503 name name-syntax',
      '1504 - import-ragged',
    ]);
    expect(await count('bad-')).to.equal(0);
  });

  it('with nothing but faults stop being read', async () => {
    const text = `name,note\n${'??,x\n'.repeat(5000)}`;
    const seen = await until(await client().upload({ kind: 'owner' }, inPieces(text)), 'refused');
    expect(seen.outcome?.faults[0]?.code).to.equal('import-stopped');
    expect(seen.outcome?.faults).to.have.length(500);
    expect(seen.rowsDone).to.be.lessThan(5000);
  });

  it('with a quote that is never closed do not fill the memory', async () => {
    const text = `name,note\na,"${'x'.repeat(3 << 20)}\n`;
    const seen = await until(await client().upload({ kind: 'owner' }, inPieces(text)), 'refused');
    expect(seen.outcome?.faults[0]).to.deep.include({ code: 'import-format' });
    expect(seen.outcome?.faults[0]?.detail).to.contain('never closed');
  });

  it('that may hold secrets lie sealed, and no longer than they are needed', async () => {
    const text = 'setting,layer,of,mode,value\ntrap.word,everywhere,,set,bell-buoy-77\n';
    const held = async () =>
      readOnly(bench.store, actor, async (tx) =>
        (await tx.select<{ data: Buffer }>('SELECT data FROM upload_chunk')).map((row) => row.data.toString('latin1')),
      );
    const sent = await client().upload({ kind: 'value' }, inPieces(text));
    expect((await held()).join()).not.to.contain('bell-buoy-77');
    await until(sent, 'read');
    expect(await held()).to.have.length(1);
    await client().call('import.apply', { params: params(sent) });
    expect((await until(sent, 'saved')).outcome?.counts.add).to.equal(1);
    await eventually('nothing is held of it', async () => (await held()).length === 0);
  });

  it('are stopped when somebody says so, and nothing is saved', async function () {
    this.timeout(60_000);
    const sent = await client().upload({ kind: 'owner', apply: 'true' }, inPieces(rows(60_000, 'stop')));
    for (let i = 0; i < 400; i += 1) {
      if ((await client().call('import.show', { params: params(sent) })).rowsDone > 0) break;
      await new Promise((done) => setTimeout(done, 20));
    }
    await client().call('import.cancel', { params: params(sent) });
    expect((await until(sent, 'cancelled', 'saved')).state).to.equal('cancelled');
    expect(await count('stop-')).to.equal(0);
    expect((await refusal(client().call('import.cancel', { params: params(sent) }))).code).to.equal('upload-state');
  });

  it('that are too large, empty, of no kind or of nobody are refused at once', async () => {
    expect((await refusal(client().upload({ kind: 'owner' }, inPieces('x'.repeat(9 << 20))))).code).to.equal(
      'body-large',
    );
    expect((await refusal(client().upload({ kind: 'owner' }, new Blob([])))).code).to.equal('import-empty');
    expect((await refusal(client().upload({ kind: 'ownr' }, inPieces('x')))).remedy).to.equal('did you mean owner?');
    expect((await refusal(bench.clients.installer.upload({ kind: 'owner' }, inPieces('x')))).code).to.equal(
      'role-insufficient',
    );
    const list = await until(
      await client().upload({ name: 'x.yaml' }, inPieces('owner:\n  - { name: from-yaml }\n')),
      'read',
    );
    expect(list.outcome?.counts.add).to.equal(1);
  });
});
