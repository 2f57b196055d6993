/** Who may do what, and how somebody gets in: the ways in that were found, tried one after the other. */
import { expect } from 'chai';
import { Client } from '@zpine/contract/client';
import { PASSWORD } from '../../ops/stack.ts';
import { weaknessOf } from '../../service/app/access/weakness.ts';
import { refusal, testService, type TestBench } from '../service.ts';

describe('who gets in, and what they may do there', function () {
  this.timeout(60_000);
  let bench: TestBench;
  const admin = () => bench.clients.admin;
  before(async () => {
    bench = await testService();
    await admin().add('site', { code: 'ard' });
    await admin().add('site', { code: 'cob' });
    await admin().add('vendor', { name: 'larkfield' });
    await admin().add('model', { name: 'lf-24', vendor: 'larkfield', ports: '1/1..4 1000base-t' });
    for (const name of ['ard-1', 'cob-1'])
      await admin().add('device', { name, site: name.slice(0, 3), model: 'larkfield/lf-24' });
  });
  after(() => bench.stop());

  const open = (body: object, headers: Record<string, string> = {}) =>
    fetch(`${bench.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json', ...headers },
      body: JSON.stringify(body),
    });
  const cookieOf = async (name: string, password = PASSWORD): Promise<string> => {
    const response = await open({ name, password });
    expect(response.status).to.equal(200);
    return response.headers.get('set-cookie')?.split(';')[0] ?? '';
  };
  const withCookie = (cookie: string, path: string, init: RequestInit & { headers?: Record<string, string> } = {}) =>
    fetch(`${bench.url}/api/v1${path}`, { ...init, headers: { Cookie: cookie, ...init.headers } });

  describe('signing in', () => {
    it('says the same of names that nobody has, as long and as often', async () => {
      const codes = async (name: string): Promise<number[]> => {
        const out: number[] = [];
        for (let i = 0; i < 9; i += 1) out.push((await open({ name, password: `wrong password ${i}` })).status);
        return out;
      };
      const known = await codes('viewer');
      expect(known).to.deep.equal([...Array.from({ length: 8 }, () => 401), 429]);
      expect(await codes('nobody.at.all')).to.deep.equal(known);
      expect(await codes('jø')).to.deep.equal(known);
    });

    it('takes as long for names that nobody has', async () => {
      const time = async (name: string): Promise<number> => {
        const begun = performance.now();
        await open({ name, password: 'wrong' });
        return performance.now() - begun;
      };
      let [known, unknown] = [0, 0];
      for (let i = 0; i < 4; i += 1) {
        known += await time('installer');
        unknown += await time(`nobody-${i}`);
      }
      expect(unknown / known).to.be.within(0.4, 2.5);
    });

    it('looks at no more guesses when they come at the same moment', async () => {
      const guesses = await Promise.all(
        Array.from({ length: 40 }, (_, i) => open({ name: 'engineer', password: `guess ${i}` })),
      );
      expect(guesses.filter(({ status }) => status === 401).length).to.be.at.most(8);
      expect(guesses.map(({ status }) => status).filter((status) => status !== 401 && status !== 429)).to.deep.equal(
        [],
      );
    });

    it('keeps everything in the history, refused ones too, for administrators alone', async () => {
      const { items } = await admin().call('history.list', { query: { kind: 'user', limit: '100' } });
      const words = items.flatMap(({ changes }) => changes.map(({ key, after }) => `${key} ${JSON.stringify(after)}`));
      expect(words.join('\n')).to.match(/viewer .*refused/);
      expect(words.join('\n')).to.match(/a name that nobody has.*refused/);
      expect(words.join('\n')).not.to.match(/nobody\.at\.all|wrong password|guess/);
      const refused = bench.clients.engineer.call('history.list', { query: { kind: 'user' } });
      expect((await refusal(refused)).code).to.equal('role-insufficient');
      const { items: all } = await bench.clients.engineer.call('history.list', { query: { limit: '200' } });
      expect(all.filter(({ action }) => action.startsWith('sign-in'))).to.deep.equal([]);
    });
  });

  it('refuses passwords that are tried first', async () => {
    for (const password of [
      'aaaaaaaaaa',
      '          ',
      '1234567890',
      'Password123',
      'qwertyuiop',
      'P@ssw0rd2024',
      't.berg12345',
    ]) {
      const problem = await refusal(admin().call('user.add', { body: { name: 't.berg', role: 'viewer', password } }));
      expect(problem.code, password).to.equal('password-common');
    }
    for (const password of ['the first of the harbour', 'ferry-8d1e0c3a', 'kelp lantern 7 oar', 'v9#mQz!t2Lw'])
      expect(weaknessOf(password, 'm.lind'), password).to.equal(undefined);
  });

  describe('pages of others', () => {
    let cookie: string;
    before(async () => {
      cookie = await cookieOf('admin');
    });
    const site = (headers: Record<string, string>, body: string | null = '{"code":"zz"}') =>
      withCookie(cookie, '/sites', { method: 'POST', headers, body });

    it('do nothing in the name of who is signed in, not from another port either', async () => {
      const { port } = new URL(bench.url);
      const foreign: Record<string, string>[] = [
        { 'Content-Type': 'application/json', Origin: `http://127.0.0.1:${Number(port) + 1}` },
        { 'Content-Type': 'application/json', Origin: 'null' },
        { 'Content-Type': 'application/json', 'Sec-Fetch-Site': 'same-site' },
        { 'Content-Type': 'application/json', 'Sec-Fetch-Site': 'cross-site' },
      ];
      for (const headers of foreign) expect((await site(headers)).status, JSON.stringify(headers)).to.equal(403);
      expect((await site({ 'Content-Type': 'text/plain' })).status).to.equal(415);
      const undo = await withCookie(cookie, '/history/1/undo', {
        method: 'POST',
        headers: { Origin: 'http://127.0.0.1:9999', 'Content-Type': 'text/plain' },
      });
      expect(undo.status).to.equal(403);
      const upload = await withCookie(cookie, '/uploads?kind=site&apply=true', {
        method: 'POST',
        headers: { 'Content-Type': 'text/plain' },
        body: 'code\nzz\n',
      });
      expect(upload.status).to.equal(415);
      expect(
        (await open({ name: 'admin', password: PASSWORD }, { Origin: 'http://elsewhere.example' })).status,
      ).to.equal(403);
    });

    it('are not mistaken for the console, nor programs for pages', async () => {
      const headers = { 'Content-Type': 'application/json', Origin: bench.url, 'Sec-Fetch-Site': 'same-origin' };
      expect((await site(headers, '{"code":"yy"}')).status).to.equal(201);
      await admin().remove('site', 'yy');
    });
  });

  it('lets no answer be kept by anybody, and names who may show its pages', async () => {
    const answer = await fetch(`${bench.url}/api/v1/sites`, {
      headers: { Authorization: `bearer ${bench.tokens.viewer}` },
    });
    expect(answer.status).to.equal(200);
    expect(answer.headers.get('cache-control')).to.equal('no-store');
    const policy = answer.headers.get('content-security-policy') ?? '';
    for (const word of ["base-uri 'none'", "form-action 'self'", "frame-ancestors 'none'"])
      expect(policy).to.contain(word);
  });

  describe('tokens', () => {
    const signedIn = async (name: string, password: string): Promise<Client> => {
      const cookie = await cookieOf(name, password);
      const fetching: typeof fetch = (input, init) =>
        fetch(input, { ...init, headers: { ...(init?.headers as Record<string, string>), Cookie: cookie } });
      return new Client({ url: bench.url, via: 'api', fetch: fetching });
    };
    const by = (token: string) => new Client({ url: bench.url, token, via: 'api' });
    const FIRST = 'kelp lantern 7 oar';

    before(() => admin().call('user.add', { body: { name: 'j.moe', role: 'engineer', password: FIRST } }));

    it('neither outlive nor outrank what made them, and take nothing away that stands for more', async () => {
      const moe = await signedIn('j.moe', FIRST);
      const high = await moe.call('token.add', { body: { title: 'high', days: 400 } });
      const low = await moe.call('token.add', { body: { title: 'low', role: 'viewer', days: 1 } });
      const made = await by(low.secret).call('token.add', { body: { title: 'child', days: 1000 } });
      expect(made.role).to.equal('viewer');
      expect(made.expiresAt <= low.expiresAt).to.equal(true);
      const wanted = by(low.secret).call('token.add', { body: { title: 'more', role: 'engineer' } });
      expect((await refusal(wanted)).code).to.equal('role-insufficient');
      const taken = by(low.secret).call('token.remove', { params: { id: String(high.id) } });
      expect((await refusal(taken)).code).to.equal('role-insufficient');
      await moe.call('token.remove', { params: { id: String(low.id) } });
      expect((await refusal(by(made.secret).list('site'))).status).to.equal(401);
      expect((await by(high.secret).list('site')).items.length).to.be.greaterThan(1);
    });

    it('are as many as somebody keeps apart', async () => {
      const moe = await signedIn('j.moe', FIRST);
      let code = '';
      for (let i = 0; i < 60 && code === ''; i += 1)
        await moe.call('token.add', { body: { title: `t${i}` } }).catch((error: { problem: { code: string } }) => {
          code = error.problem.code;
        });
      expect(code).to.equal('tokens-many');
    });

    it('end with a changed password, and do not come back', async () => {
      const moe = await signedIn('j.moe', FIRST);
      const { items } = await moe.call('token.list');
      for (const { id } of items.slice(0, 5)) await moe.call('token.remove', { params: { id: String(id) } });
      const token = await moe.call('token.add', { body: { title: 'nightly' } });
      await admin().call('user.edit', { params: { name: 'j.moe' }, body: { password: 'oar 7 lantern kelp' } });
      expect((await refusal(by(token.secret).list('site'))).status).to.equal(401);
      const again = await signedIn('j.moe', 'oar 7 lantern kelp');
      const fresh = await again.call('token.add', { body: { title: 'again' } });
      for (const disabled of [true, false])
        await admin().call('user.edit', { params: { name: 'j.moe' }, body: { disabled } });
      expect((await refusal(by(fresh.secret).list('site'))).status).to.equal(401);
    });

    it('and sessions are seen and taken back by administrators, and by who has them', async () => {
      const [here, there] = [
        await signedIn('j.moe', 'oar 7 lantern kelp'),
        await signedIn('j.moe', 'oar 7 lantern kelp'),
      ];
      await here.call('token.add', { body: { title: 'one' } });
      const { items } = await here.call('session.list');
      expect(items.map(({ current }) => current).sort((a, b) => Number(a) - Number(b))).to.deep.equal([false, true]);
      expect(items[0]?.address).to.equal('127.0.0.1');
      expect(await here.call('session.end', { body: {} })).to.deep.equal({ ended: 1 });
      expect((await refusal(there.list('site'))).status).to.equal(401);
      const seen = await admin().call('user.access', { params: { name: 'j.moe' } });
      expect([seen.sessions.length, seen.tokens.length]).to.deep.equal([1, 1]);
      expect(await admin().call('user.revoke', { params: { name: 'j.moe' }, body: {} })).to.deep.equal({
        sessions: 1,
        tokens: 1,
      });
      expect((await refusal(here.list('site'))).status).to.equal(401);
      const { items: sets } = await admin().call('history.list', { query: { kind: 'user', limit: '100' } });
      const said = JSON.stringify(sets);
      for (const word of ['tokenMade', 'tokenTakenBack', 'tokensTakenBack', '"password":"set"', '"added":true'])
        expect(said).to.contain(word);
      for (const word of [FIRST, 'oar 7 lantern kelp']) expect(said).not.to.contain(word);
    });
  });

  it('ends an event stream with its session, and bounds how many one user has', async () => {
    const cookie = await cookieOf('admin');
    const stream = await withCookie(cookie, '/events');
    const reader = stream.body?.getReader();
    expect((await reader?.read())?.done).to.equal(false);
    await withCookie(cookie, '/session', { method: 'DELETE' });
    const ended = async () => {
      for (let piece = await reader?.read(); piece && !piece.done; piece = await reader?.read());
      return true;
    };
    expect(await ended()).to.equal(true);
    const controllers: AbortController[] = [];
    const statuses: number[] = [];
    for (let i = 0; i < 42; i += 1) {
      const controller = new AbortController();
      controllers.push(controller);
      const response = await fetch(`${bench.url}/api/v1/events`, {
        headers: { Authorization: `Bearer ${bench.tokens.viewer}` },
        signal: controller.signal,
      });
      statuses.push(response.status);
    }
    for (const controller of controllers) controller.abort();
    expect(statuses.filter((status) => status === 200).length).to.equal(40);
    expect(statuses.at(-1)).to.equal(429);
  });

  describe('installers', () => {
    const installer = () => bench.clients.installer;
    const found = (device: string) =>
      installer().call('device.found', { params: { ref: device }, body: { cards: [] } });
    const sites = (list: string[] | 'all', sitesUntil: string | null = null) =>
      admin().call('user.edit', { params: { name: 'installer' }, body: { sites: list, sitesUntil } });

    it('act at sites of their list, until its end; an empty list is no site', async () => {
      await sites(['ard']);
      await found('ard-1');
      expect((await refusal(found('cob-1'))).code).to.equal('site-not-yours');
      await sites([]);
      expect((await refusal(found('ard-1'))).code).to.equal('site-not-yours');
      await sites(['ard'], new Date(Date.now() - 1000).toISOString());
      expect((await refusal(found('ard-1'))).detail).to.contain('which is over');
      await sites('all', new Date(Date.now() + 60_000).toISOString());
      await found('cob-1');
      const { items } = await admin().call('user.list');
      expect(items.find(({ name }) => name === 'installer')?.sites).to.equal('all');
      await sites('all');
    });

    it('and a new one acts nowhere', async () => {
      const made = await admin().call('user.add', {
        body: { name: 'fresh', role: 'installer', password: 'kelp lantern 8 oar' },
      });
      expect(made.sites).to.deep.equal([]);
    });
  });

  describe('other hardware', () => {
    it('takes the place of a healthy box only by an engineer who says why, and the box before is faulty then', async () => {
      await admin().add('box', { serial: 'LF-1', model: 'larkfield/lf-24', device: 'ard-1' });
      const fit = (reason?: string) =>
        bench.clients.engineer.call('device.fit', { params: { ref: 'ard-1' }, body: { box: 'LF-2' }, reason });
      expect((await refusal(fit())).code).to.equal('box-healthy');
      await fit('water in it');
      expect((await admin().show('box', 'LF-1')).condition).to.equal('faulty');
      expect((await admin().show('box', 'LF-2')).device).to.equal('ard-1');
      const { items } = await admin().call('history.list', { query: { kind: 'box', record: 'LF-1' } });
      expect(items[0]?.changes.map(({ key }) => key).sort()).to.deep.equal(['lf-1', 'lf-2']);
    });
  });
});
