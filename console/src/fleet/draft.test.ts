import { expect } from 'chai';
import { Client } from '@zpine/contract/client';
import { begin, emptyDraft, isReady, type Knows, type RunDraft } from './draft.ts';

const known: Knows = {
  blanksOf: (name) => ({ route: ['address'], 'bounce-port': ['port'] })[name] ?? [],
};
const draft = (more: Partial<RunDraft>): RunDraft => ({ ...emptyDraft, ...more });

describe('a run that is being put together', () => {
  it('begins when it says which devices, and what', () => {
    expect(isReady(emptyDraft, undefined)).to.equal(false);
    expect(isReady(draft({ where: 'site=ard' }), undefined)).to.equal(true);
    expect(isReady(draft({ where: 'site=ard' }), 0)).to.equal(false);
    expect(isReady(draft({ kind: 'ask', where: 'site=ard', command: ' \n' }), 3)).to.equal(false);
    expect(isReady(draft({ kind: 'ask', where: 'site=ard', questions: ['version'] }), 3)).to.equal(true);
    expect(isReady(draft({ kind: 'errand', where: 'site=ard' }), 3)).to.equal(false);
    expect(isReady(draft({ kind: 'errand', where: 'site=ard', lines: 'zone UTC' }), 3)).to.equal(true);
  });

  it('may have its devices in a table, where it takes one', () => {
    const table = 'ard-acc-1;har-acc-1';
    expect(isReady(draft({ kind: 'errand', table }), undefined)).to.equal(true);
    expect(isReady(draft({ kind: 'capture', table }), undefined)).to.equal(false);
  });

  it('wants a reason from whoever insists', () => {
    const insisting = draft({ kind: 'errand', where: 'site=ard', lines: 'zone UTC', insist: true });
    expect(isReady(insisting, 3)).to.equal(false);
    expect(isReady({ ...insisting, reason: 'the console cable is in' }, 3)).to.equal(true);
  });

  it('asks for what was written, and for nothing else', async () => {
    const sent: unknown[] = [];
    const heard: typeof fetch = (url, init) => {
      const { pathname, search } = new URL(String(url));
      sent.push([pathname + search, JSON.parse(String(init?.body))]);
      return Promise.resolve(Response.json({ id: 1 }));
    };
    const client = new Client({ url: 'http://127.0.0.1', via: 'console', fetch: heard });
    await begin(client, draft({ where: 'site=ard' }), known);
    await begin(
      client,
      draft({
        kind: 'ask',
        where: 'a=b',
        questions: ['version'],
        command: 'tell now\n\n tell kin ',
        expect: '10.77.0.5\n',
      }),
      known,
    );
    await begin(
      client,
      draft({ kind: 'errand', table: 'x;y', insist: true, reason: ' by hand ', before: ['kin'] }),
      known,
    );
    const blanks = { address: '10.77.0.10', port: '1/2', time: '' };
    await begin(
      client,
      draft({ kind: 'ask', where: 'a=b', questions: ['version', 'route'], part: ' lane 304 ', blanks }),
      known,
    );
    await begin(client, draft({ kind: 'operation', where: 'a=b', operation: 'bounce-port', blanks }), known);
    expect(sent).to.deep.equal([
      ['/api/v1/reaches', { where: 'site=ard' }],
      [
        '/api/v1/asks',
        {
          where: 'a=b',
          asks: [{ question: 'version' }, { command: 'tell now' }, { command: 'tell kin' }],
          expect: [{ kind: 'has', text: '10.77.0.5' }],
        },
      ],
      [
        '/api/v1/errands?reason=by+hand',
        { perDevice: { text: 'x;y' }, questions: ['kin'], expect: [], keep: true, insist: true },
      ],
      [
        '/api/v1/asks',
        {
          where: 'a=b',
          asks: [
            { question: 'version' },
            { question: 'route', blanks: { address: '10.77.0.10' } },
            { part: 'lane 304' },
          ],
          expect: [],
        },
      ],
      ['/api/v1/operations', { where: 'a=b', operation: 'bounce-port', blanks: { port: '1/2' }, insist: false }],
    ]);
  });
});
