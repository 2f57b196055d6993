/** What a browser loads before it shows anything: on a slow line from a landing that is what people wait for. */
import { readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';
import { expect } from 'chai';

const LARGEST = 230_000;

describe('the first page of the console', () => {
  const page = readFileSync('dist/console/index.html', 'utf8');
  const scripts = Array.from(page.matchAll(/(?:src|href)="\/(assets\/[^"]+\.js)"/g), ([, path]) => path ?? '');
  const texts = scripts.map((path) => readFileSync(`dist/console/${path}`));

  it('is small, compressed as it is sent', () => {
    const size = texts.reduce((sum, text) => sum + gzipSync(text).length, 0);
    expect(size).to.be.within(100_000, LARGEST);
  });

  it('has no shapes of calls and no words of errors in it: the service checks and says them', () => {
    const all = texts.map((text) => text.toString('utf8')).join('\n');
    expect(all).to.not.include('safeParse');
    expect(all).to.not.include('already has a window');
    expect(all).to.include('/api/v1');
  });
});
