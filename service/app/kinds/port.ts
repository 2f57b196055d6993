/** Ports come with models and cards; one that is added by hand has an interface like the others. */
import { isEthernet, type PortKindName } from '@zpine/core/rack/ports';
import { Refusal } from '@zpine/contract/errors';
import { asStored, type KindRules } from '../records/draft.ts';
import { insertInterfaces } from '../hardware/align.ts';
import { refuseInUse } from '../hardware/use.ts';

export const portRules: KindRules = {
  async added(tx, records) {
    // While changes are taken back its own interface comes back, too.
    if (tx.takingBack) return;
    const ports = records.map((record) => asStored('port', record));
    await insertInterfaces(
      tx,
      ports.flatMap(({ id, device, name, kind }) => (isEthernet(kind as PortKindName) ? [{ id, device, name }] : [])),
    );
  },
  async mayGo(tx, records) {
    for (const record of records) {
      const port = asStored('port', record);
      // What came back with its device goes with it again when that is taken back.
      if (port.source !== 'hand' && !tx.takingBack)
        throw new Refusal('port-brought', { port: port.key, source: port.source === 'card' ? 'a card' : 'the model' });
      await refuseInUse(tx, [port.id], `port ${port.key}`);
    }
  },
};
