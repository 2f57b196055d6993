/** The table of rules in docs/dhcp.md names tests that there are. */
import { readFileSync } from 'node:fs';
import { expect } from 'chai';
import { parse } from 'yaml';

const ROW = /^\| .+ \| .+ \| `(?<file>[^`]+)`: (?<title>.+) \|$/gm;

/** Titles that are made from the files of the corpus. */
function isOfCorpus(title: string): boolean {
  const [name = ''] = title.split(':');
  const { source } = parse(readFileSync(`test/corpus/packets/${name}.yaml`, 'utf8')) as { source: string };
  return title === `${name}: ${source}`;
}

describe('the table of rules', () => {
  const rows = [...readFileSync('docs/dhcp.md', 'utf8').matchAll(ROW)].map(({ groups }) => groups ?? {});

  it('has a good many', () => expect(rows.length).to.be.greaterThan(25));

  for (const { file = '', title = '' } of rows)
    it(`names a test that there is: ${title}`, () => {
      if (file.startsWith('test/corpus/')) return expect(isOfCorpus(title)).to.equal(true);
      const text = readFileSync(file, 'utf8');
      // Some titles are made for each type of value.
      const made = title.replace(/^of type \w+ /, 'of type ${type} ');
      expect(text.includes(`'${title}'`) || text.includes(`\`${made}\``), file).to.equal(true);
    });
});
