/** Many clients that boot at once, as after a power failure: each asks for its address, and goes. */
import { DhcpClient, type Identity } from './dhcpClient.ts';
import type { Relay } from './relay.ts';

export interface Load {
  /** Exchanges that ended with an acknowledged address: DISCOVER, OFFER, REQUEST, ACK. */
  leased: number;
  failed: number;
  seconds: number;
}

/** `parallel` of them at any time, until all have had their turn. */
export async function dhcpLoad(
  relay: Relay,
  clients: readonly Identity[],
  {
    parallel,
    firstWaitMs = 4000,
    got,
  }: { parallel: number; firstWaitMs?: number; got?: (mac: string, address: string) => void },
  signal: AbortSignal = new AbortController().signal,
): Promise<Load> {
  const load: Load = { leased: 0, failed: 0, seconds: 0 };
  const waiting = [...clients];
  const start = performance.now();
  const worker = async (): Promise<void> => {
    for (let next = waiting.pop(); next && !signal.aborted; next = waiting.pop()) {
      const lease = await new DhcpClient(next, relay, undefined, firstWaitMs).lease(AbortSignal.any([signal]));
      if (lease) got?.(next.mac, lease.address);
      load[lease ? 'leased' : 'failed'] += 1;
    }
  };
  await Promise.all(Array.from({ length: Math.min(parallel, clients.length) }, worker));
  load.seconds = (performance.now() - start) / 1000;
  return load;
}
