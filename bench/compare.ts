/** Comparing and pushing, without a network: a large switch, and edits that grow. */
import { readFileSync } from 'node:fs';
import { parse } from 'yaml';
import { applied } from '@zpine/core/config/applied';
import { compareConfig } from '@zpine/core/config/compare';
import { pushSteps } from '@zpine/core/config/push';
import { dialectFrom } from '@zpine/core/dialect/dialect';
import { dialectSheet } from '@zpine/core/dialect/sheet';
import type { Row } from './measure.ts';

const LINES = 5000;
const EDITS = 1000;
const ROUNDS = 15;
/** Aims of so many milliseconds. */
const COMPARE_MS = 100;

const sheet = dialectSheet.parse(parse(readFileSync(new URL('../dialects/furrow.yaml', import.meta.url), 'utf8')));
const furrow = dialectFrom('furrow', sheet);

/** Sockets of four lines each; every so many of them in another VLAN. */
function textOf(lines: number, edits: number): string {
  const sockets = lines / 4;
  const every = edits === 0 ? Infinity : Math.max(1, Math.floor(sockets / edits));
  return Array.from({ length: sockets }, (_, i) => {
    const vlan = i % every === every - 1 || every === 1 ? 316 : 304;
    return `socket ${1 + Math.floor(i / 48)}/${1 + (i % 48)}\n  about "desk ${i}"\n  lane ${vlan}\n  state live\n`;
  }).join('');
}

const median = (values: number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)] ?? 0;

/** The median of some rounds, in milliseconds, once it is warm. */
function timed(work: () => void): number {
  const times = Array.from({ length: ROUNDS }, () => {
    const begin = performance.now();
    work();
    return performance.now() - begin;
  });
  return median(times.slice(3));
}

function push(lines: number, edits: number): number {
  const text = textOf(lines, 0);
  const intended = { text, parts: [{ name: 'all', owned: true, from: 0, to: text.length }] };
  const running = textOf(lines, edits);
  const tree = furrow.parse(running);
  return timed(() => {
    const steps = pushSteps(compareConfig(intended, running, furrow).differences, furrow);
    applied(tree, steps);
  });
}

export function compareRows(): Promise<Row[]> {
  const text = textOf(LINES, 0);
  const intended = { text, parts: [{ name: 'all', owned: true, from: 0, to: text.length }] };
  const same = timed(() => void compareConfig(intended, text, furrow));
  const [few, many] = [push(LINES * 4, EDITS), push(LINES * 8, EDITS * 2)];
  return Promise.resolve([
    {
      what: `a configuration of ${LINES} lines compared with its edition; beside ${COMPARE_MS} ms`,
      figure: `${same.toFixed(1)} ms`,
      reference: `${COMPARE_MS} ms`,
      ratio: COMPARE_MS / same,
      aim: 1,
    },
    {
      what: `the smallest push of ${EDITS * 2} edits in ${LINES * 8} lines, an edit, beside ${EDITS} in ${LINES * 4}`,
      figure: `${((many / EDITS / 2) * 1000).toFixed(1)} µs`,
      reference: `${((few / EDITS) * 1000).toFixed(1)} µs`,
      ratio: few / EDITS / (many / EDITS / 2),
      aim: 0.67,
    },
  ]);
}
