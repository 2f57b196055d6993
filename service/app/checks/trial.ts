/** The text of a check tried on a device by what is known of it; nothing is saved, and nobody is asked. */
import { usesOf } from '@zpine/core/checks/judge';
import { checkTemplate } from '@zpine/core/template/check';
import { parseTemplate } from '@zpine/core/template/parse';
import { checkCatalogue } from '@zpine/contract/checkNames';
import type { BodyOf, ReplyOf } from '@zpine/contract/routes';
import type { Tx } from '../../store/tx.ts';
import { presentFault, settingsCatalogue } from '../editions/templates.ts';
import { targetsOf } from '../fleet/targets.ts';
import { mustFindField } from '../records/refs.ts';
import { judgeOne, notAsked } from './judging.ts';
import { looksAt } from './looking.ts';

const NAME = 'check';

export async function tryCheck(tx: Tx, { source, device: ref }: BodyOf<'check.try'>): Promise<ReplyOf<'check.try'>> {
  const device = await mustFindField(tx, 'device', ref, 'device');
  const faults = checkTemplate(NAME, source, () => undefined, checkCatalogue(await settingsCatalogue(tx)));
  const uses = usesOf(parseTemplate(NAME, source).template);
  const nothing = { state: null, findings: [], why: '', questions: uses.questions };
  if (faults.length > 0) return { ...nothing, faults: faults.map(presentFault) };
  const look = (await looksAt(tx, [device.id], { texts: uses.running, far: uses.carried })).get(device.id);
  const target = (await targetsOf(tx, [device])).get(device.id);
  if (!look || !target) return { ...nothing, faults: [] };
  const [one] = judgeOne(target, look, [{ id: 0, version: 0, name: NAME, source, uses }], notAsked(look), tx.sealer);
  if (!one) return { ...nothing, faults: [] };
  const { state, findings, why } = one;
  return { faults: [], state, findings, why, questions: uses.questions };
}
