import { expect } from 'chai';
import { faultsIn, readGraph } from './arrows.ts';

const graph = (edges: Record<string, string[]>) => new Map(Object.entries(edges));

describe('the lint of arrows', () => {
  it('finds an edge that must not be', () => {
    expect(faultsIn(graph({ 'core/a.ts': ['contract/b.ts'], 'contract/b.ts': [] }))).to.deep.equal([
      'core/a.ts: core must not import contract (contract/b.ts)',
    ]);
    expect(faultsIn(graph({ 'service/http/a.ts': ['service/boot/b.ts'], 'service/boot/b.ts': [] }))).to.have.length(1);
  });
  it('finds what would not run in a browser', () => {
    expect(faultsIn(graph({ 'core/a.ts': ['node:fs'] }))[0]).to.match(/must run anywhere/);
  });
  it('finds rings', () => {
    expect(faultsIn(graph({ 'core/a.ts': ['core/b.ts'], 'core/b.ts': ['core/a.ts'] }))).to.deep.equal([
      'a ring: core/a.ts -> core/b.ts -> core/a.ts',
    ]);
  });
  it('finds no ring where one is asked for later', () => {
    const all = graph({ 'core/a.ts': ['core/b.ts'], 'core/b.ts': ['core/a.ts'] });
    expect(faultsIn(all, graph({ 'core/a.ts': ['core/b.ts'], 'core/b.ts': [] }))).to.deep.equal([]);
  });
  it('knows where every file belongs', () => {
    expect(faultsIn(graph({ 'elsewhere/a.ts': [] }))).to.deep.equal(['elsewhere/a.ts: belongs to no part']);
  });
  it('reads this repository whole', () => {
    const { graph: files, atOnce } = readGraph('.');
    expect(files.size).to.be.greaterThan(100);
    expect(files.get('service/service.ts')).to.include('service/http/server.ts');
    expect(files.get('contract/kind.ts')).to.include('core/naming/names.ts');
    expect(files.get('console/src/main.tsx')).to.include('console/src/pages/Fleet.tsx');
    expect(atOnce.get('console/src/main.tsx')).to.not.include('console/src/pages/Fleet.tsx');
  });
});
