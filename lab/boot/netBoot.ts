/** How a device without a configuration comes by one: a lease, a file by TFTP or from a URL, and word of itself afterwards. */
import { createHash } from 'node:crypto';
import type { Fault } from '../faults.ts';
import type { Wire } from '../wire.ts';
import { DhcpClient, type Lease } from './dhcpClient.ts';
import { askHttp } from './httpClient.ts';
import type { Relay } from './relay.ts';
import { fetchFile } from './tftpClient.ts';

export interface Plug {
  relay: Relay;
  /** The port that it hangs on, as the relay names it. */
  circuit: string | undefined;
}

export interface Rejected {
  line: string;
  why: string;
}

interface NetBootHost {
  /** What it is, as somebody may change it. */
  particulars: { serial: string; model: string; mac: string };
  plug: () => Plug;
  wire: Wire;
  paceMs: number;
  /** How it calls itself (option 60). */
  vendorClass: () => string;
  version: () => string;
  has: (fault: Fault) => boolean;
  note: (text: string) => void;
  pause: (steps: number, signal: AbortSignal) => Promise<void>;
}

export class NetBoot {
  lease: Lease | undefined;
  private readonly host: NetBootHost;

  constructor(host: NetBootHost) {
    this.host = host;
  }

  async ask(signal: AbortSignal): Promise<Lease | undefined> {
    const { vendorClass, plug, paceMs, note } = this.host;
    const { mac, serial } = this.host.particulars;
    const { relay, circuit } = plug();
    const client = new DhcpClient(
      { mac, serial, vendorClass: vendorClass() },
      relay,
      circuit,
      Math.max(200, paceMs * 4),
    );
    const lease = (this.lease = await client.lease(signal));
    note(
      lease
        ? `leased ${lease.address}, boot file ${lease.script ?? lease.bootFile ?? '(none)'}`
        : 'nobody gave it an address',
    );
    return lease;
  }

  /** Its first file: from the URL of option 224 where it takes that, or by its name from the boot server. */
  async fetch(lease: Lease, signal: AbortSignal, byUrl = false): Promise<string | undefined> {
    const { has, note, wire } = this.host;
    if (has('ignores-file')) return undefined;
    const told = byUrl ? lease.script : lease.bootFile;
    if (!told || (!byUrl && !lease.bootServer)) return undefined;
    const name = has('wrong-file') ? 'startup.txt' : told;
    const cutAt = has('truncated') ? 1 : undefined;
    try {
      const bytes = byUrl
        ? await this.byHttp(name, lease.address, cutAt, signal)
        : await fetchFile({
            ...{ from: wire.at(lease.address), to: wire.to(lease.bootServer ?? '', 69) },
            ...{ name, blockSize: 1428, cutAt, signal },
          });
      note(`fetched ${name.split('/').at(-1) ?? ''}, ${bytes.length} bytes`);
      return bytes.toString('utf8');
    } catch (error) {
      note(`${name}: ${error instanceof Error ? error.message : String(error)}`);
      return undefined;
    }
  }

  private async byHttp(url: string, from: string, cutAt: number | undefined, signal: AbortSignal): Promise<Buffer> {
    const { status, body } = await askHttp({ url, wire: this.host.wire, from, cutAt, signal });
    if (status !== 200) throw new Error(`the server answers ${status}`);
    return body;
  }

  /** Calls home until somebody answers. `from`: its own address. */
  async home(
    url: string,
    applied: string,
    rejected: readonly Rejected[],
    from: string | undefined,
    signal: AbortSignal,
  ): Promise<void> {
    const { version, wire, note, pause } = this.host;
    const { serial, model } = this.host.particulars;
    const digest = createHash('sha256').update(applied, 'utf8').digest('hex');
    const body = JSON.stringify({ serial, model, version: version(), digest, rejected: rejected.slice(0, 100) });
    for (let attempt = 0; attempt < 5; attempt += 1) {
      const status = await askHttp({ url, wire, from, signal, body }).then(
        (answer) => answer.status,
        () => undefined,
      );
      note(`called home: ${status ?? 'no answer'}`);
      if (status !== undefined && status < 500) return;
      await pause(5, signal);
    }
  }
}
