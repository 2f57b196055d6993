/** What checks are judged by, of many devices at once: their records, what was captured of them, and of the far ends of their cables. */
import { carriedIn } from '@zpine/core/checks/facts';
import { grouped } from '@zpine/core/lists/grouped';
import type { ValMap } from '@zpine/core/template/values';
import type { Stored } from '@zpine/contract/kinds';
import { byIds, byKeys } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { contextIn, deviceRecords, type DeviceContext } from '../editions/context.ts';
import { currentTexts } from '../fleet/captures.ts';
import { targetsOf } from '../fleet/targets.ts';

/** Texts as the device showed them, secrets included. */
export interface Texts {
  running: string | undefined;
  stored: string | undefined;
  at: string;
}

export interface Look {
  context: DeviceContext;
  texts: Texts | undefined;
  /** What the other devices at its cables carry, by device and port; null where that is not known. */
  far: Map<string, Map<string, number[]> | null>;
}

interface Needs {
  texts: boolean;
  far: boolean;
}

export async function looksAt(tx: Tx, ids: readonly number[], needs: Needs): Promise<Map<number, Look>> {
  const devices = [...(await byIds(tx, 'device', [...ids])).values()];
  const known = await deviceRecords(tx, devices);
  const contexts = devices.map((device) => contextIn(tx, known, device));
  const texts = needs.texts ? await textsOf(tx, ids) : new Map<number, Texts>();
  const far = needs.far ? await farEnds(tx, contexts) : new Map<string, Map<string, number[]> | null>();
  return new Map(contexts.map((context) => [context.device.id, { context, texts: texts.get(context.device.id), far }]));
}

async function textsOf(tx: Tx, ids: readonly number[]): Promise<Map<number, Texts>> {
  const rows = grouped(await currentTexts(tx, ids), (row) => row.device);
  return new Map(
    [...rows].map(([device, of]) => {
      const text = (file: string) => of.find((row) => row.file === file)?.content.toString('utf8');
      const at = of.reduce((latest, row) => (row.at > latest ? row.at : latest), new Date(0));
      return [device, { running: text('running'), stored: text('stored'), at: at.toISOString() }];
    }),
  );
}

export const linksIn = ({ data }: DeviceContext): { interface: string; device: string; port: string }[] =>
  (data.links as ValMap[]).flatMap((link) =>
    typeof link.device === 'string' && typeof link.interface === 'string'
      ? [{ interface: link.interface, device: link.device, port: typeof link.port === 'string' ? link.port : '' }]
      : [],
  );

/** By the last captures of those devices. */
async function farEnds(tx: Tx, contexts: readonly DeviceContext[]): Promise<Map<string, Map<string, number[]> | null>> {
  const names = [...new Set(contexts.flatMap(linksIn).map((link) => link.device))];
  const devices = [...(await byKeys(tx, 'device', names)).values()] as Stored<'device'>[];
  const texts = await textsOf(
    tx,
    devices.map((device) => device.id),
  );
  const targets = await targetsOf(tx, devices);
  return new Map(
    devices.map((device) => {
      const running = texts.get(device.id)?.running;
      const dialect = targets.get(device.id)?.dialect;
      return [device.key, running === undefined || !dialect ? null : carriedIn(dialect, running)];
    }),
  );
}
