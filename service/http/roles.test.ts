/** Every route, every role: who may, and who is told that they may not. */
import { expect } from 'chai';
import { atLeast, roles } from '@zpine/contract/roles';
import type { Route } from '@zpine/contract/route';
import { routes } from '@zpine/contract/routes';
import { testService, type TestBench } from '../../test/service.ts';

describe('roles', () => {
  let bench: TestBench;
  before(async () => {
    bench = await testService();
  });
  after(() => bench.stop());

  /** The status and code of a call that names records which do not exist: allowed calls get past the door and no further. */
  async function knock(route: Route, token?: string): Promise<{ status: number; code: string }> {
    const gone = new AbortController();
    const response = await fetch(`${bench.url}/api/v1${route.path.replace(/\{\w+\}/g, 'nobody')}`, {
      method: route.method,
      headers: { ...(token ? { Authorization: `Bearer ${token}` } : {}), 'Content-Type': 'application/json' },
      ...(route.method === 'POST' || route.method === 'PATCH' ? { body: '{"nonsense":1}' } : {}),
      signal: gone.signal,
    });
    if (response.ok && route.media) {
      gone.abort();
      return { status: response.status, code: '' };
    }
    const text = await response.text();
    const body = text ? (JSON.parse(text) as { code?: string }) : {};
    return { status: response.status, code: body.code ?? '' };
  }

  for (const [id, route] of Object.entries(routes)) {
    if (route.role === 'anyone') {
      it(`${id}: anybody`, async () => expect((await knock(route)).status).to.not.be.oneOf([401, 403]));
      continue;
    }
    const { role: needed } = route;
    it(`${id}: ${needed} and above`, async () => {
      expect(await knock(route)).to.deep.include({ status: 401, code: 'signed-out' });
      expect(await knock(route, 'zpt_made-up')).to.deep.include({ status: 401, code: 'signed-out' });
      for (const role of roles) {
        // The session of a token cannot be closed by it: this call has no effect but its status.
        const answer = await knock(route, bench.tokens[role]);
        if (atLeast(role, needed)) expect(answer.status, `${role} may`).to.not.be.oneOf([401, 403]);
        else expect(answer, `${role} may not`).to.deep.equal({ status: 403, code: 'role-insufficient' });
      }
    });
  }

  it('covers every kind of write with at least the role of an engineer', () => {
    for (const [id, route] of Object.entries(routes)) {
      if (/\.(add|edit|remove)$/.test(id) && !/^(token|user|view)\./.test(id))
        expect(route.role, id).to.equal('engineer');
    }
  });
});
