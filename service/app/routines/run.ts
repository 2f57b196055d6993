/** A routine is run: its blanks filled in, its text worked out for each device. */
import { asksIn } from '@zpine/core/fleet/routines';
import { Refusal } from '@zpine/contract/errors';
import type { RunHead } from '@zpine/contract/fleetShapes';
import type { BodyOf } from '@zpine/contract/routes';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { askDevices, withTable } from '../fleet/asks.ts';
import { errandOf, filledTexts, sealsOf } from '../fleet/errands.ts';
import { filledFor } from '../fleet/filled.ts';
import type { RunInput } from '../fleet/runs.ts';
import { mustBeMeant, selected, type Selected } from '../fleet/selection.ts';
import { mustFind } from '../records/refs.ts';
import { filledBlanks, readBlanks } from './blanks.ts';
import { expectsIn, questionsIn } from './texts.ts';

export type RoutineBody = BodyOf<'routine.run'>;

export const runRoutine = async (tx: Tx, body: RoutineBody, ref = ''): Promise<RunHead> =>
  carryOut(tx, await mustFind(tx, 'routine', ref), body);

/** A named device that it is not for is told; of a selection only those that it is for are taken. */
async function devicesOf(tx: Tx, routine: Stored<'routine'>, found: Selected, named: boolean): Promise<Selected> {
  if (routine.devices === null) return found;
  const own = new Set((await selected(tx, { where: routine.devices })).devices.map(({ id }) => id));
  const outside = found.devices.find(({ id }) => !own.has(id));
  if (named && outside)
    throw new Refusal('routine-outside', { device: outside.key, routine: routine.key, where: routine.devices });
  const devices = found.devices.filter(({ id }) => own.has(id));
  if (devices.length === 0) throw new Refusal('selection-empty', { where: `${found.words} among ${routine.devices}` });
  return { ...found, devices };
}

/** `planned`: by nobody's word, at its hour. */
export async function carryOut(
  tx: Tx,
  routine: Stored<'routine'>,
  body: RoutineBody,
  planned: Partial<RunInput> = {},
): Promise<RunHead> {
  const whole = body.devices === undefined && body.where === undefined && body.perDevice === undefined;
  const where = whole && routine.devices !== null ? { where: routine.devices } : {};
  const found = await withTable(tx, { ...body, ...where });
  const chosen = await devicesOf(tx, routine, found.selected, body.devices !== undefined || found.wide !== undefined);
  const { devices } = chosen;
  await mustBeMeant(tx, { ...body, where: body.where }, devices.length);
  const { blanks } = readBlanks(routine.blanks);
  const names = Object.keys(body.blanks);
  const texts = await Promise.all(
    names.map((name) => filledTexts(tx, devices, body.blanks[name] ?? '', ['blanks', name])),
  );
  const values = filledBlanks(routine, blanks, {
    devices,
    heads: found.wide?.heads ?? [],
    rows: found.wide?.rows,
    said: ({ id }) => Object.fromEntries(names.map((name, i) => [name, texts[i]?.get(id) ?? ''])),
  });
  const filling = {
    textOf: () => routine.source,
    blanksOf: ({ id }: Stored<'device'>) => values.get(id) ?? [],
    blanks,
    path: ['blanks'],
  };
  const title = `${routine.key}: ${routine.title}`;
  if (routine.does === 'ask') {
    const filled = await filledFor(tx, devices, filling);
    const asks = new Map(devices.map(({ id }) => [id, asksIn(filled.get(id)?.lines ?? routine.source)]));
    return askDevices(tx, chosen, asks, { title, expect: expectsIn(routine) });
  }
  const seals = await sealsOf(tx, devices, filling);
  const { keep, insist, perSite } = body;
  return errandOf(
    tx,
    {
      away: false,
      questions: questionsIn(routine),
      expect: expectsIn(routine),
      keep,
      insist,
      ...(perSite === undefined ? {} : { perSite }),
    },
    chosen,
    seals,
    { title, input: planned },
  );
}
