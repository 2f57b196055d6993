import { Button } from 'antd';
import { useState } from 'react';
import type { ReplyOf } from '@zpine/contract/routes';
import type { ShownRun } from '@zpine/contract/fleetShapes';
import { client } from '../api.ts';
import { Outcome } from '../imports/Outcome.tsx';
import { useAttempt } from '../look/attempt.tsx';

type Taken = ReplyOf<'run.takeNetwork'>;

/** What of a network's answers the records lack: VLANs, interfaces, addresses, cables; looked at, and taken in at a word. */
export function NetworkTake({ run }: { run: ShownRun }) {
  const attempt = useAttempt();
  const [seen, setSeen] = useState<Taken>();
  if (run.state !== 'ended' || !run.asks.some((ask) => ['interfaces', 'vlans', 'neighbours'].includes(ask)))
    return null;
  const send = (apply: boolean) =>
    void attempt(async () => {
      const outcome = await client.call('run.takeNetwork', { params: { id: String(run.id) }, body: { apply } });
      setSeen(outcome);
      if (outcome.applied) return `${outcome.counts.add} added, ${outcome.counts.edit} edited`;
      return outcome.faults.length > 0 ? 'it does not fit as it is' : 'nothing is saved yet';
    });
  const changes = seen ? seen.counts.add + seen.counts.edit : 0;
  return (
    <section aria-label="Take in the network">
      <h2 className="section-title">
        Beside the records
        <span className="second">VLANs with their ports, interfaces, addresses, cables, clocks</span>
        <Button size="small" onClick={() => send(false)} style={{ marginLeft: 12 }}>
          See what the records lack
        </Button>
        {seen && !seen.applied && changes > 0 && seen.faults.length === 0 && (
          <Button size="small" type="primary" onClick={() => send(true)} style={{ marginLeft: 8 }}>
            Take in {changes}
          </Button>
        )}
      </h2>
      {seen && <Outcome outcome={seen} saved={seen.applied} />}
      {seen && seen.left.length > 0 && (
        <>
          <h2 className="section-title">Left as it is</h2>
          <ul>
            {seen.left.map((line) => (
              <li key={line}>{line}</li>
            ))}
          </ul>
        </>
      )}
    </section>
  );
}
