/** What a simulated device knows and can be told to do beside its configuration. */
import type { Fault } from './faults.ts';
import type { Hears } from './hears.ts';

/** What is in a slot, or should be. */
export interface Part {
  slot: string;
  model: string;
  serial: string;
  state: 'absent' | 'undeclared' | 'starting' | 'up' | 'failed';
}

export interface Guest {
  user: string;
  from: string;
  since: Date;
}

export interface StoredFile {
  name: string;
  bytes: number;
  sha256: string;
}

interface FactsOptions {
  has: (fault: Fault) => boolean;
  /** What hangs on its ports, whatever is wrong with them. */
  hears: () => readonly Hears[];
  /** Addresses that it has a way to beside those it hears. */
  ways: () => readonly string[];
  parts: () => readonly Part[];
  guests: () => readonly Guest[];
  log: () => readonly { at: string; text: string }[];
  /** Files in its store. */
  files: () => readonly StoredFile[];
  fingerprint: () => string;
  /** Another host key from now on; sessions that stand are left alone. */
  mint: () => void;
}

/** A port that was bounced is dark for so long. */
const BOUNCE_MS = 600;
/** And one that flaps turns over so often. */
const FLAP_MS = 700;
const ASTRAY_MS = 3 * 3600_000;

export interface Counts {
  in: number;
  out: number;
  errors: number;
}

const PER_SECOND = { in: 811, out: 397 };

export class Facts {
  private readonly options: FactsOptions;
  private readonly born = Date.now();
  private readonly bounced = new Map<string, number>();
  private readonly cleared = new Map<string, number>();
  private offset: number | undefined;

  constructor(options: FactsOptions) {
    this.options = options;
  }

  /** Without power, nothing of it is remembered. */
  forget(): void {
    this.bounced.clear();
    this.cleared.clear();
    this.offset = undefined;
  }

  heard(): readonly Hears[] {
    const { has, hears } = this.options;
    const flaps = has('flapping') && Math.floor(Date.now() / FLAP_MS) % 2 === 1;
    return hears()
      .filter((one, i) => !this.isBounced(one.on) && !(flaps && i === 0))
      .map((one, i) =>
        has('wrong-neighbour') && i === 0 && one.neighbour ? { ...one, neighbour: 'a-stranger' } : one,
      );
  }

  parts(): readonly Part[] {
    return this.options.parts();
  }

  guests(): readonly Guest[] {
    return this.options.guests();
  }

  log(): readonly { at: string; text: string }[] {
    return this.options.log();
  }

  files(): readonly StoredFile[] {
    return this.options.files();
  }

  /** `2026-11-27 10:02:11`, in UTC. */
  clock(): string {
    const off = this.offset ?? (this.options.has('clock-astray') ? -ASTRAY_MS : 0);
    return new Date(Date.now() + off).toISOString().slice(0, 19).replace('T', ' ');
  }

  /** Gives why it did not take it. */
  setClock(text: string): string | undefined {
    const at = Date.parse(`${text.replace(' ', 'T')}Z`);
    if (!/^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d$/.test(text) || Number.isNaN(at)) return 'that is no time';
    if (!this.options.has('drops-line')) this.offset = at - Date.now();
    return undefined;
  }

  isInStep(): boolean {
    return !this.options.has('clock-astray') || this.offset !== undefined;
  }

  counts(port: string): Counts {
    const { has, hears } = this.options;
    const since = this.cleared.get(port) ?? this.cleared.get('') ?? this.born - 3600_000;
    const seconds = Math.floor((Date.now() - since) / 1000);
    const carries = hears().some((one) => one.on === port);
    return {
      in: carries ? seconds * PER_SECOND.in : 0,
      out: carries ? seconds * PER_SECOND.out : 0,
      errors: carries && has('flapping') ? seconds : 0,
    };
  }

  /** Of a port, or of all. */
  clear(port = ''): void {
    if (this.options.has('drops-line')) return;
    if (port === '') this.cleared.clear();
    this.cleared.set(port, Date.now());
  }

  bounce(port: string): void {
    this.bounced.set(port, Date.now() + (this.options.has('stays-dark') ? 3600_000 : BOUNCE_MS));
  }

  private isBounced(port: string): boolean {
    return (this.bounced.get(port) ?? 0) > Date.now();
  }

  get fingerprint(): string {
    return this.options.fingerprint();
  }

  mint(): void {
    if (!this.options.has('drops-line')) this.options.mint();
  }

  /** Three packets to an address: how many come back. */
  probe(address: string): number {
    const near = this.heard().some((one) => one.address === address);
    const far = this.heard().length > 0 && this.options.ways().includes(address);
    return near || far ? 3 : 0;
  }
}

/** Of what stands in no device: for shells without a switch around them. */
export const bareFacts = (): Facts =>
  new Facts({
    has: () => false,
    hears: () => [],
    ways: () => [],
    parts: () => [],
    guests: () => [],
    log: () => [],
    files: () => [],
    fingerprint: () => '',
    mint: () => undefined,
  });
