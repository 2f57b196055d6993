import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { pages } from './docs.ts';

describe('the generated pages of the documentation', () => {
  for (const [path, page] of Object.entries(pages)) {
    it(`${path} is what ./run docs would write`, () => expect(readFileSync(path, 'utf8')).to.equal(page()));
  }
});
