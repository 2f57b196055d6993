/** Labels as a layer: two labels of one device that disagree are refused until somebody ranks them. */
import { labelTerm } from '@zpine/core/naming/terms';
import { disagree, type Said } from '@zpine/core/settings/labels';
import { Refusal } from '@zpine/contract/errors';
import type { Stored } from '@zpine/contract/kinds';
import { byIds } from '../../store/records.ts';
import type { Tx } from '../../store/tx.ts';
import { labelsOf, openValue, type ValueRow, settingValues } from './layers.ts';

interface LabelValue extends Said {
  label: Stored<'label'>;
  setting: number;
}

async function labelValues(tx: Tx, labels: Stored<'label'>[]): Promise<LabelValue[]> {
  if (labels.length === 0) return [];
  const rows = await tx.select<ValueRow>(
    `SELECT ${settingValues.all} FROM setting_value WHERE layer_kind = 'label' AND layer_id IN (?)`,
    [labels.map((label) => label.id)],
  );
  return rows.flatMap((row) => {
    const label = labels.find((one) => one.id === Number(row.layer_id));
    if (!label) return [];
    return [{ label, rank: label.rank, mode: row.mode, value: openValue(tx, row), setting: Number(row.setting_id) }];
  });
}

/** The first two that disagree. */
function firstConflict(voices: LabelValue[]): [LabelValue, LabelValue] | undefined {
  for (const [i, one] of voices.entries())
    for (const other of voices.slice(i + 1))
      if (one.setting === other.setting && one.label.id !== other.label.id && disagree(one, other)) return [one, other];
  return undefined;
}

/** Which labels of which device disagree about what: the params of the error, if there is any. */
export async function disagreementOf(
  tx: Tx,
  devices: { name: string; labels: string[] }[],
): Promise<{ device: string; params: Record<string, string> } | undefined> {
  const several = devices.filter((device) => device.labels.length > 1);
  if (several.length === 0) return undefined;
  const voices = await labelValues(tx, await labelsOf(tx, [...new Set(several.flatMap((device) => device.labels))]));
  for (const { name, labels } of several) {
    const found = firstConflict(voices.filter(({ label }) => labels.includes(label.name)));
    if (!found) continue;
    const [one, other] = found;
    const setting = (await byIds(tx, 'setting', [one.setting])).get(one.setting);
    const params = { device: name, one: one.label.name, other: other.label.name, setting: setting?.name ?? '' };
    return { device: name, params };
  }
  return undefined;
}

/** The labels that stand on one device beside this one, with such a device each. */
async function companionsOf(tx: Tx, word: string): Promise<{ other: string; device: string }[]> {
  return tx.select(
    `SELECT SUBSTRING(b.term, 2) AS other, MIN(d.natural_key) AS device FROM search_term a
     JOIN search_term b ON b.kind = a.kind AND b.record_id = a.record_id AND b.field = 'labels' AND b.term <> a.term AND b.term LIKE '#%'
     JOIN device d ON d.id = a.record_id WHERE a.term = ? AND a.kind = 'device' AND a.field = 'labels' GROUP BY b.term`,
    [labelTerm(word)],
  );
}

/** After a label got another rank, or says something else about a setting. */
export async function refuseDisagreeing(tx: Tx, word: string): Promise<void> {
  const devices = (await companionsOf(tx, word)).map(({ other, device }) => ({ name: device, labels: [word, other] }));
  const found = await disagreementOf(tx, devices);
  if (found) throw new Refusal('labels-disagree', found.params);
}
