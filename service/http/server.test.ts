/** What the server does besides refusing: pages, versions, idempotency, sessions, events, health. */
import { expect } from 'chai';
import { routes } from '@zpine/contract/routes';
import { PASSWORD } from '../../ops/stack.ts';
import { actor, refusal, testService, type TestBench } from '../../test/service.ts';
import { readOnly } from '../store/transact.ts';

describe('the server', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService();
  });
  after(() => bench.stop());

  const get = (path: string, headers: Record<string, string> = {}) =>
    fetch(`${bench.url}${path}`, { headers: { Authorization: `Bearer ${bench.tokens.engineer}`, ...headers } });

  it('is alive and ready', async () => {
    expect((await get('/health/live')).status).to.equal(200);
    expect((await get('/health/ready')).status).to.equal(200);
  });

  it('describes every route in OpenAPI, and no other', async () => {
    const document = (await (await get('/api/openapi.json')).json()) as {
      openapi: string;
      paths: Record<string, Record<string, { operationId: string; responses: object }>>;
    };
    expect(document.openapi).to.equal('3.1.0');
    const described = Object.values(document.paths).flatMap((path) => Object.values(path).map((o) => o.operationId));
    expect(described).to.have.members(Object.keys(routes));
    for (const [id, route] of Object.entries(routes)) {
      const operation = document.paths[`/api/v1${route.path}`]?.[route.method.toLowerCase()];
      expect(operation?.operationId).to.equal(id);
      expect(operation?.responses).to.have.property(String(route.status ?? 200));
    }
    expect(JSON.stringify(document)).to.not.include('"$schema"');
  });

  it('lists page by page, in natural order, both ways', async () => {
    const { engineer } = bench.clients;
    await engineer.addAll(
      'owner',
      Array.from({ length: 25 }, (_, i) => ({ name: `o-${i + 1}`, ...(i % 3 === 0 ? { title: `T${i % 2}` } : {}) })),
    );
    for (const sort of ['key', '-key', 'updatedAt', '-updatedAt']) {
      const seen: string[] = [];
      for (let after: string | undefined; ;) {
        const page = await engineer.list('owner', { limit: 7, sort, after });
        seen.push(...page.items.map((o) => o.key));
        if (page.next === null) break;
        after = page.next;
      }
      expect(new Set(seen).size, sort).to.equal(25);
      if (sort === 'key')
        expect(seen.slice(0, 3).concat(seen.slice(9, 11))).to.deep.equal(['o-1', 'o-2', 'o-3', 'o-10', 'o-11']);
      if (sort === '-key') expect(seen.slice(0, 2)).to.deep.equal(['o-25', 'o-24']);
    }
  });

  it('pages through empty values without losing or repeating any', async () => {
    const { engineer } = bench.clients;
    await engineer.addAll(
      'site',
      Array.from({ length: 20 }, (_, i) => ({ code: `s${i}`, ...(i % 2 ? { title: `Title ${i % 3}` } : {}) })),
    );
    for (const sort of ['title', '-title']) {
      const seen: string[] = [];
      let after: string | undefined;
      do {
        const page = await engineer.list('site', { limit: 3, sort, after });
        seen.push(...page.items.map((o) => o.key));
        after = page.next ?? undefined;
      } while (after !== undefined);
      expect(seen).to.have.length(20);
      expect(new Set(seen).size, sort).to.equal(20);
    }
  });

  it('narrows lists, counts them, and links to the next page', async () => {
    const { engineer } = bench.clients;
    await engineer.addAll('room', [
      { site: 's1', name: 'a' },
      { site: 's1', name: 'b' },
      { site: 's2', name: 'c' },
    ]);
    expect((await engineer.list('room', { site: 'S1', count: 'true' })).count).to.equal(2);
    expect((await engineer.list('room', { site: 's1,s2' })).items).to.have.length(3);
    expect((await engineer.list('site', { area: 'none', q: 's1' })).items.map((s) => s.key)).to.include('s1');
    const response = await get('/api/v1/rooms?limit=2');
    const link = /<([^>]+)>; rel="next"/.exec(response.headers.get('link') ?? '')?.[1] ?? '';
    const next = (await (await get(link)).json()) as { items: { key: string }[] };
    expect(next.items.map((r) => r.key)).to.deep.equal(['s2/c']);
  });

  it('answers a list in CSV', async () => {
    const response = await get('/api/v1/rooms?limit=2', { Accept: 'text/csv' });
    expect(response.headers.get('content-type')).to.include('text/csv');
    expect(await response.text()).to.equal('site,name,title,note,labels\r\ns1,a,,,\r\ns1,b,,,\r\n');
  });

  it('tells the version, and takes it back in If-Match', async () => {
    const response = await get('/api/v1/sites/s1');
    const etag = response.headers.get('etag') ?? '';
    expect(etag).to.match(/^(W\/)?"1"$/);
    const edit = () =>
      fetch(`${bench.url}/api/v1/sites/s1`, {
        method: 'PATCH',
        headers: {
          Authorization: `Bearer ${bench.tokens.engineer}`,
          'Content-Type': 'application/json',
          'If-Match': etag,
        },
        body: '{"title":"First"}',
      });
    expect(await (await edit()).json()).to.include({ version: 2 });
    expect((await edit()).status).to.equal(412);
  });

  it('leaves a record alone that an edit does not change', async () => {
    const saved = await bench.clients.engineer.edit('site', 's1', { title: 'First' });
    expect(saved.version).to.equal(2);
    expect(
      (await bench.clients.engineer.call('history.list', { query: { kind: 'site', record: 's1' } })).items,
    ).to.have.length(2);
  });

  it('does a thing once per idempotency key, also for many at once', async () => {
    const { engineer } = bench.clients;
    const made = await Promise.all(
      Array.from({ length: 8 }, () => engineer.add('vendor', { name: 'hazel' }, { idempotencyKey: 'k-1' })),
    );
    expect(new Set(made.map((v) => v.id)).size).to.equal(1);
    const other = await refusal(engineer.add('vendor', { name: 'tarnwick' }, { idempotencyKey: 'k-1' }));
    expect(other.code).to.equal('idempotency-other');
    expect((await bench.clients.admin.add('vendor', { name: 'tarnwick' }, { idempotencyKey: 'k-1' })).key).to.equal(
      'tarnwick',
    );
  });

  it('keeps no key of a request that was refused', async () => {
    const { engineer } = bench.clients;
    expect(
      (await refusal(engineer.add('model', { vendor: 'copperbell', name: 'cb-7' }, { idempotencyKey: 'k-2' }))).code,
    ).to.equal('ref-unknown');
    await engineer.add('vendor', { name: 'copperbell' });
    expect(
      (await engineer.add('model', { vendor: 'copperbell', name: 'cb-7' }, { idempotencyKey: 'k-2' })).key,
    ).to.equal('copperbell/cb-7');
  });

  it('signs in with a cookie that scripts cannot read, and out again', async () => {
    const signIn = (password: string) =>
      fetch(`${bench.url}/api/v1/session`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ name: 'viewer', password }),
      });
    expect((await signIn('wrong')).status).to.equal(401);
    const response = await signIn(PASSWORD);
    const header = response.headers.get('set-cookie') ?? '';
    expect(header).to.include('HttpOnly').and.to.include('SameSite=Strict');
    const Cookie = header.split(';')[0] ?? '';
    const show = () => fetch(`${bench.url}/api/v1/session`, { headers: { Cookie } });
    expect(await (await show()).json()).to.include({ name: 'viewer', role: 'viewer' });
    await fetch(`${bench.url}/api/v1/session`, { method: 'DELETE', headers: { Cookie } });
    expect((await show()).status).to.equal(401);
  });

  it('pauses after many wrong passwords, even for the right one', async () => {
    const { admin } = bench.clients;
    await admin.call('user.add', { body: { name: 'target', role: 'viewer', password: 'a long enough word' } });
    const signIn = (password: string) =>
      fetch(`${bench.url}/api/v1/session`, {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ name: 'target', password }),
      });
    for (let i = 0; i < 8; i += 1) expect((await signIn(`wrong ${i}`)).status).to.equal(401);
    const response = await signIn('a long enough word');
    expect(response.status).to.equal(429);
    expect(Number(response.headers.get('retry-after'))).to.be.within(1, 60);
  });

  it('gives tokens no more than their maker may, and takes them back', async () => {
    const { engineer, viewer } = bench.clients;
    expect((await refusal(viewer.call('token.add', { body: { title: 'x', role: 'engineer' } }))).code).to.equal(
      'role-insufficient',
    );
    const token = await engineer.call('token.add', { body: { title: 'reader', role: 'viewer' } });
    const use = () => fetch(`${bench.url}/api/v1/session`, { headers: { Authorization: `Bearer ${token.secret}` } });
    expect(await (await use()).json()).to.include({ name: 'engineer', role: 'viewer' });
    expect((await refusal(viewer.call('token.remove', { params: { id: String(token.id) } }))).code).to.equal(
      'not-found',
    );
    await engineer.call('token.remove', { params: { id: String(token.id) } });
    expect((await use()).status).to.equal(401);
  });

  it('keeps neither passwords nor tokens in readable form', async () => {
    const rows = await readOnly(bench.store, actor, (tx) =>
      tx.select('SELECT password FROM user UNION ALL SELECT HEX(digest) FROM token'),
    );
    const text = JSON.stringify(rows);
    expect(text).to.include('$argon2id$');
    for (const secret of [PASSWORD, ...Object.values(bench.tokens)]) expect(text).to.not.include(secret);
  });

  it('never leaves itself without an administrator', async () => {
    const { admin } = bench.clients;
    expect(
      (await refusal(admin.call('user.edit', { params: { name: 'admin' }, body: { role: 'viewer' } }))).code,
    ).to.equal('last-admin');
    expect(
      (await refusal(admin.call('user.edit', { params: { name: 'admin' }, body: { disabled: true } }))).code,
    ).to.equal('last-admin');
    expect(
      (await refusal(admin.call('user.add', { body: { name: 'short', role: 'viewer', password: 'short' } }))).code,
    ).to.equal('password-weak');
  });

  it('shuts a disabled user out at once', async () => {
    const { admin, installer } = bench.clients;
    await admin.call('user.edit', { params: { name: 'installer' }, body: { disabled: true } });
    expect((await refusal(installer.list('site'))).code).to.equal('signed-out');
    await admin.call('user.edit', { params: { name: 'installer' }, body: { disabled: false } });
    // Let in again, they sign in again: what they had before is gone.
    expect((await refusal(installer.list('site'))).code).to.equal('signed-out');
  });

  it('streams hints of what changed', async () => {
    const gone = new AbortController();
    const response = await fetch(`${bench.url}/api/v1/events`, {
      headers: { Authorization: `Bearer ${bench.tokens.viewer}` },
      signal: gone.signal,
    });
    const reader = (response.body as ReadableStream<Uint8Array>).getReader();
    let heard = '';
    const hear = async (wanted: RegExp) => {
      while (!wanted.test(heard)) {
        const { value, done } = await reader.read();
        if (done) throw new Error(`the stream ended with: ${heard}`);
        heard += Buffer.from(value).toString();
      }
    };
    await hear(/event: hello/);
    // The feed begins at the newest event; give it its first look.
    await new Promise((resolve) => setTimeout(resolve, 400));
    const site = await bench.clients.engineer.add('site', { code: 'heard' });
    await hear(new RegExp(`event: change\\ndata: .*"kind":"site","record":${site.id},"version":1`));
    await bench.clients.engineer.remove('site', 'heard');
    await hear(new RegExp(`"record":${site.id},"version":null`));
    gone.abort();
  });

  it('takes a reason with any write, into the history', async () => {
    await bench.clients.engineer.add('purpose', { name: 'quayside' }, { reason: 'a rack by the water, № 2' });
    const [set] = (await bench.clients.viewer.call('history.list', { query: { kind: 'purpose', record: 'quayside' } }))
      .items;
    expect(set).to.deep.include({
      actor: 'engineer',
      via: 'api',
      action: 'purpose.add',
      reason: 'a rack by the water, № 2',
      count: 1,
    });
    expect(set?.changes[0]).to.deep.include({ kind: 'purpose', key: 'quayside', before: null });
  });
});
