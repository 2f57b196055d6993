/** Letters beyond ASCII in every place where a request can have a text: an answer, never a fault of ours. */
import { expect } from 'chai';
import { kindNames, kindOf } from '@zpine/contract/kinds';
import { fieldsOf } from '@zpine/contract/kind';
import { routes } from '@zpine/contract/routes';
import { refusal, testService, type TestBench } from '../../test/service.ts';

const WORDS = ['bodø', 'ål/ø', 'ø:1', '10.77.0.ø', '北', '\u202e', '\ud83d\udea2', 'a\u0000b'];

describe('letters beyond ASCII', function () {
  this.timeout(150_000);
  let bench: TestBench;
  before(async () => {
    bench = await testService();
    const api = bench.clients.engineer;
    await api.add('site', { code: 'bodo', title: 'Bodø havn' });
    await api.add('site', { code: 'ard', title: 'Ærøskøbing' });
  });
  after(() => bench.stop());

  const ask = async (method: string, path: string, body?: unknown): Promise<number> => {
    const gone = new AbortController();
    const response = await fetch(`${bench.url}/api/v1${path}`, {
      method,
      headers: { Authorization: `Bearer ${bench.tokens.admin}`, 'Content-Type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      signal: gone.signal,
    });
    gone.abort();
    return response.status;
  };

  const all = Object.entries(routes).filter(([id]) => id !== 'session.close');

  it('in paths and queries of every route', async () => {
    const bad: string[] = [];
    for (const [id, route] of all) {
      const names = Object.keys((route.query as { shape?: object } | undefined)?.shape ?? {});
      for (const word of WORDS.slice(0, 2)) {
        const at = encodeURIComponent(word);
        const path = route.path.replace(/\{\w+\}/g, at);
        const body = ['POST', 'PATCH', 'PUT'].includes(route.method) ? {} : undefined;
        // In every place one of them; in paths each.
        const one = word === WORDS[0] && route.method === 'GET';
        const queries = ['', ...(one ? names.map((name) => `?${name}=${at}`) : [])];
        for (const query of queries) {
          const status = await ask(route.method, `${path}${query}`, body);
          if (status >= 500) bad.push(`${id} ${route.method} ${path}${query}: ${status}`);
        }
      }
    }
    expect(bad).to.deep.equal([]);
  });

  it('in selections, filters and references of every kind', async () => {
    const bad: string[] = [];
    for (const kind of kindNames) {
      const k = kindOf(kind);
      const tries = WORDS.filter((_, i) => i % 2 === 0).flatMap((word) => [
        ['GET', `/${k.path}?q=${encodeURIComponent(word)}`],
        ['GET', `/${k.path}/${encodeURIComponent(word)}`],
        ['GET', `/${k.path}?where=${encodeURIComponent(`key="${word}" or key=*${word}* or key!="${word}"`)}`],
      ]);
      for (const [method = '', path = ''] of tries) {
        const status = await ask(method, path);
        if (status >= 500) bad.push(`${method} ${path}: ${status}`);
      }
      for (const [name, field] of fieldsOf(k)) {
        const test = encodeURIComponent(`${name}="bodø" or ${name}=*ø*`);
        const list = await ask('GET', `/${k.path}?where=${test}`);
        const filter = await ask('GET', `/${k.path}?${name}=${encodeURIComponent('bodø')}`);
        const added = field.derived ? 422 : await ask('POST', `/${k.path}`, { [name]: 'bodø' });
        if ([list, filter, added].some((status) => status >= 500))
          bad.push(`${kind}.${name}: ${list}, ${filter}, ${added}`);
      }
    }
    expect(bad).to.deep.equal([]);
  });

  it('when somebody signs in: as for any name that nobody has', async () => {
    for (const name of WORDS)
      expect([name, await ask('POST', '/session', { name, password: 'x' })]).to.deep.equal([name, 401]);
  });

  it('in searches: found however the word is written', async () => {
    const found = async (q: string) =>
      (await bench.clients.viewer.call('search', { query: { q } })).items.map((one) => one.key);
    for (const q of ['bodø', 'bodo', 'BODØ HAVN', 'Bodö']) expect(await found(q), q).to.include('bodo');
    for (const q of ['ærø', 'aero', 'Ærøskøbing']) expect(await found(q), q).to.deep.equal(['ard']);
    expect(await found('北')).to.deep.equal([]);
  });

  it('in a reference that leads nowhere: with what may have been meant', async () => {
    const { detail, remedy } = await refusal(bench.clients.viewer.show('site', 'bodø'));
    expect([detail, remedy]).to.deep.equal(['there is no site "bodø"', 'did you mean bodo?']);
  });
});
