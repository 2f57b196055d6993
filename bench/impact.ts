/** What a setting would do that reaches a fifth of a hundred thousand devices: how soon the first result comes, and what it costs. */
import type { Client } from '@zpine/contract/client';
import { clientFor } from '../ops/stack.ts';
import { inEstate, LARGE, peakOf, SMALL } from './lists.ts';
import type { Row } from './measure.ts';

const FIRST_MS = 1000;
const SECONDS = 600;

interface Told {
  firstMs: number;
  looked: number;
  devices: number;
  seconds: number;
  /** How long other calls took meanwhile, at the most. */
  slowestMs: number;
}

export async function impactRows(): Promise<Row[]> {
  return inEstate(LARGE, async (_estate, start) => {
    const service = await start();
    const api = await clientFor(service.url, 'engineer');
    await look(api, 'north-line-1');
    const before = peakOf(service.pid);
    const told = await look(api, 'north');
    const grown = peakOf(service.pid) - before;
    const of = `of ${told.devices.toLocaleString('en')} devices`;
    return [
      {
        what: `impact of a setting that reaches ${told.devices.toLocaleString('en')} devices: the first result, beside a second`,
        figure: `${told.firstMs.toFixed(0)} ms`,
        reference: `${FIRST_MS} ms`,
        ratio: FIRST_MS / told.firstMs,
        aim: 1,
      },
      {
        what: `the same, all ${of} looked at; beside ${SMALL.toLocaleString('en')} devices a second`,
        figure: `${(told.looked / told.seconds).toFixed(0)}/s`,
        reference: `${SMALL}/s`,
        ratio: told.looked / told.seconds / SMALL,
        aim: 0.5,
      },
      {
        what: 'memory of the service that it took more, beside 150 MB',
        figure: `${grown.toFixed(0)} MB (${peakOf(service.pid).toFixed(0)} MB in all)`,
        reference: '150 MB',
        ratio: 150 / Math.max(1, grown),
        aim: 1,
      },
      {
        what: 'a page of devices while it runs, the slowest; beside 250 ms',
        figure: `${told.slowestMs.toFixed(0)} ms`,
        reference: '250 ms',
        ratio: 250 / told.slowestMs,
        aim: 1,
      },
    ];
  });
}

async function look(api: Client, area: string): Promise<Told> {
  const start = performance.now();
  let firstMs = 0;
  let over = false;
  let slowestMs = 0;
  const beside = (async () => {
    while (!over) {
      const asked = performance.now();
      await api.list('device', { limit: 50 });
      slowestMs = Math.max(slowestMs, performance.now() - asked);
      await new Promise((done) => setTimeout(done, 50));
    }
  })();
  const impact = await api.impactOf(
    (c) =>
      c.call('value.put', {
        body: { setting: 'time.servers', layer: 'area', of: area, mode: 'set', value: ['10.77.0.9'] },
      }),
    {
      seconds: SECONDS,
      hear: (heard) => {
        if (firstMs === 0 && heard.groups.length > 0) firstMs = performance.now() - start;
      },
    },
  );
  over = true;
  await beside;
  return {
    firstMs,
    looked: impact.looked,
    devices: impact.devices,
    seconds: (performance.now() - start) / 1000,
    slowestMs,
  };
}
