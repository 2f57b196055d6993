import { expect } from 'chai';
import type { RunRow, ShownRun } from '@zpine/contract/fleetShapes';
import { upToDate } from './following.ts';

const row = (device: string, state: RunRow['state'], detail = ''): RunRow => ({
  device,
  state,
  outcome: state === 'done' ? 'reached' : null,
  detail,
  startedAt: null,
  ms: null,
});
const run = (version: number, rows: RunRow[]): ShownRun => ({
  id: 7,
  kind: 'reach',
  state: 'working',
  title: '',
  selection: '',
  expected: 3,
  done: rows.filter((one) => one.state === 'done').length,
  counts: {},
  toDo: 0,
  madeAt: '2026-05-04T10:00:00.000Z',
  startedAt: null,
  endedAt: null,
  by: 'tester',
  reason: null,
  stopping: false,
  paused: false,
  takesBack: null,
  ended: null,
  version,
  rows,
  asks: [],
  expect: [],
});

describe('a run that is followed', () => {
  it('has its new head, and its rows in their order with those that changed', () => {
    const shown = run(3, [row('a', 'waiting'), row('b', 'working'), row('c', 'waiting')]);
    const now = upToDate(shown, run(5, [row('b', 'done', 'well'), row('c', 'working')]));
    expect(now.version).to.equal(5);
    expect(now.rows.map(({ device, state, detail }) => `${device} ${state} ${detail}`.trim())).to.deep.equal([
      'a waiting',
      'b done well',
      'c working',
    ]);
  });
});
