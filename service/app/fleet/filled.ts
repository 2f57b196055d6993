/** Texts with names of templates in them, filled in for each device out of its records. */
import { checkTemplate } from '@zpine/core/template/check';
import { faultText, TemplateStop } from '@zpine/core/template/faults';
import type { Val } from '@zpine/core/template/values';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { withBlanks, type BlankValues } from './blankNames.ts';
import { contextIn, deviceRecords, type DeviceContext } from '../editions/context.ts';
import { renderInputs } from '../editions/content.ts';
import { fragmentsOf, insertedBy, settingsCatalogue } from '../editions/templates.ts';

export interface Filled {
  lines: string;
  /** Secrets among them. */
  secrets: string[];
}

export interface Filling {
  textOf: (device: Stored<'device'>) => string;
  /** Where its faults are. */
  path?: (string | number)[];
  /** Once for each of these; left out: once, without blanks. */
  blanksOf?: (device: Stored<'device'>) => readonly BlankValues[];
  /** The blanks that there are. */
  blanks?: Readonly<Record<string, { is: string }>>;
}

const NAME = 'errand';
/** So many devices are put together at a time. */
const SLICE = 500;

export async function filledFor(
  tx: Tx,
  devices: readonly Stored<'device'>[],
  { textOf, path = ['lines'], blanksOf, blanks = {} }: Filling,
): Promise<Map<number, Filled>> {
  const out = new Map(devices.map((device): [number, Filled] => [device.id, { lines: textOf(device), secrets: [] }]));
  const named = devices.filter((device) => out.get(device.id)?.lines.includes('@'));
  if (named.length === 0) return out;
  const catalogue = withBlanks(await settingsCatalogue(tx), blanks);
  const fragments = await fragmentsOf(tx);
  const inserts = new Map<string, Record<string, string>>();
  for (let at = 0; at < named.length; at += SLICE) {
    const slice = named.slice(at, at + SLICE);
    const known = await deviceRecords(tx, slice);
    for (const device of slice) {
      const source = textOf(device);
      let inserted = inserts.get(source);
      if (!inserted) {
        const [fault] = checkTemplate(NAME, source, (name) => fragments.get(name), catalogue);
        if (fault) throw Refusal.at(path, 'errand-template', { device: device.key, first: faultText(fault) });
        inserted = insertedBy({ key: NAME, source }, fragments);
        inserts.set(source, inserted);
      }
      const context = contextIn(tx, known, device);
      const parts = (blanksOf?.(device) ?? [{}]).map((values) => rendered(tx, context, source, inserted, values, path));
      out.set(device.id, {
        lines: parts.map(({ lines }) => lines).join(''),
        secrets: parts.flatMap(({ secrets }) => secrets),
      });
    }
  }
  return out;
}

function rendered(
  tx: Tx,
  { device, data, secrets }: DeviceContext,
  source: string,
  fragments: Record<string, string>,
  values: BlankValues,
  path: (string | number)[],
): Filled {
  try {
    const blank: Record<string, Val> = { ...values };
    const [file] = renderInputs(
      { template: NAME, source, fragments, data: { ...data, blank }, secrets },
      tx.sealer,
      String(device.id),
    );
    if (!file) return { lines: '', secrets: [] };
    return { lines: file.text, secrets: file.secrets.map(([from, to]) => file.text.slice(from, to)) };
  } catch (error) {
    if (!(error instanceof TemplateStop)) throw error;
    throw Refusal.at(path, 'errand-template', { device: device.key, first: faultText(error.fault) });
  }
}
