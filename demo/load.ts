/** Loads the Brackwater scenario through the API, as any client would. */
import { readFileSync } from 'node:fs';
import { parse } from 'yaml';
import { type Client } from '@zpine/contract/client';
import { refsOf } from '@zpine/contract/kind';
import { kindNames, kindOf, type KindName } from '@zpine/contract/kinds';

type Scenario = Partial<Record<KindName, object[]>> & { management: string[]; stage: Record<string, string[]> };

/** Gives the number of records made. */
export async function loadDemo(
  client: Client,
  say: (text: string) => void,
  file = 'demo/brackwater.yaml',
): Promise<number> {
  const scenario = parse(readFileSync(file, 'utf8')) as Scenario;
  const reason = 'the Brackwater demo';
  let count = 0;
  for (const kind of kindNames) {
    const records = scenario[kind] ?? [];
    if (records.length === 0) continue;
    // A record may refer to one of its own kind only when that stands already.
    const among = refsOf(kindOf(kind)).some(([, field]) => field.to === kind);
    if (among) for (const record of records) await client.add(kind, record, { reason });
    else await client.addAll(kind, records, { reason });
    count += records.length;
  }
  for (const device of scenario.management) {
    await client.call('device.assignManagement', { params: { ref: device }, body: {}, reason });
    count += 2;
  }
  for (const [device, moves] of Object.entries(scenario.stage)) {
    for (const stage of moves) await client.call('device.stage', { params: { ref: device }, body: { stage }, reason });
  }
  say(`loaded ${file}`);
  return count;
}
