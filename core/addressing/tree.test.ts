import { expect } from 'chai';
import fc from 'fast-check';
import { mustParse } from '../fault.ts';
import { contains, covers, formatPrefix, networkOf, parsePrefix, type Prefix } from './prefix.ts';
import { innermost, treeOf } from './tree.ts';

const block = (at: number, size: number): Prefix => networkOf({ family: 4, value: BigInt(at) }, 32 - size);
const blocks = fc
  .array(fc.tuple(fc.nat({ max: 1023 }), fc.nat({ max: 9 })), { maxLength: 40 })
  .map((list) => [...new Map(list.map(([at, size]) => [formatPrefix(block(at, size)), block(at, size)])).values()]);

describe('a tree of blocks', () => {
  it('has each inside the smallest that covers it', () => {
    fc.assert(
      fc.property(blocks, (all) => {
        for (const { block: one, parent } of treeOf(all)) {
          const around = all.filter((other) => other !== one && covers(other, one));
          const smallest = around.sort((a, b) => b.length - a.length)[0];
          expect(parent?.block).to.equal(smallest);
        }
      }),
    );
  });

  it('finds the innermost block of an address', () => {
    fc.assert(
      fc.property(blocks, fc.nat({ max: 1100 }), (all, at) => {
        const ip = { family: 4 as const, value: BigInt(at) };
        const smallest = all.filter((one) => contains(one, ip)).sort((a, b) => b.length - a.length)[0];
        expect(innermost(treeOf(all), ip.value)?.block).to.equal(smallest);
      }),
    );
  });

  it('keeps families apart, and has children in their order', () => {
    const texts = ['10.0.0.0/24', '::/0', '10.0.0.0/8', '10.0.1.0/24', '0.0.0.0/0'];
    const nodes = treeOf(texts.map((text) => mustParse(parsePrefix(text))));
    expect(nodes.map((node) => [formatPrefix(node.block), node.children.length])).to.deep.equal([
      ['0.0.0.0/0', 1],
      ['10.0.0.0/8', 2],
      ['10.0.0.0/24', 0],
      ['10.0.1.0/24', 0],
      ['::/0', 0],
    ]);
  });
});
