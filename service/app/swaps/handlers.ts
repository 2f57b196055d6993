/** What answers the calls of this area. */
import { refOf, type VerbHandlers } from '../handler.ts';
import { emergencySheet } from './emergency.ts';
import { keepReport, listSwaps, showSwap } from './show.ts';
import { mustBeOpen, saveSwap } from './rows.ts';
import { callOff, closeSwap, fitSpare, startSwap, takeBack, tickCables } from './swap.ts';
import { turnSwaps } from './turns.ts';

export const swapHandlers = {
  'swap.list': (tx, { query }) => listSwaps(tx, query),
  'swap.show': (tx, { params }) => showSwap(tx, params.id ?? ''),
  'swap.start': async (tx, call) => {
    const id = await startSwap(tx, refOf(call), call.body, call.user);
    await turnSwaps(tx);
    return showSwap(tx, String(id));
  },
  'swap.fit': async (tx, { params, body, user }) => {
    await fitSpare(tx, params.id ?? '', body, user);
    await turnSwaps(tx);
    return showSwap(tx, params.id ?? '');
  },
  'swap.tick': async (tx, { params, body, user }) => {
    await tickCables(tx, params.id ?? '', body, user);
    return showSwap(tx, params.id ?? '');
  },
  'swap.look': async (tx, { params }) => {
    const row = await mustBeOpen(tx, params.id ?? '');
    if (row.state !== 'booting') await saveSwap(tx, Number(row.id), { look_at: (await tx.now()).date });
    return showSwap(tx, params.id ?? '');
  },
  'swap.takeBack': async (tx, { params, body, user }) => {
    await takeBack(tx, params.id ?? '', body.hours, user);
    return keepReport(tx, params.id ?? '');
  },
  'swap.callOff': async (tx, { params, user }) => {
    await callOff(tx, params.id ?? '', user);
    return keepReport(tx, params.id ?? '');
  },
  'swap.emergencySheet': (tx, { body }) => emergencySheet(tx, body),
  'swap.close': async (tx, { params, body }) => {
    await closeSwap(tx, params.id ?? '', body);
    return keepReport(tx, params.id ?? '');
  },
} satisfies Partial<VerbHandlers>;
