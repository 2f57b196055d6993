/** All simulated devices of a lab, and what can be done to them. */
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse } from 'yaml';
import { z } from 'zod';
import { parseDialRow } from '@zpine/core/addressing/dial';
import { mustParse } from '@zpine/core/fault';
import { Relay } from './boot/relay.ts';
import { isFault } from './faults.ts';
import type { Flash, LabDevice } from './device.ts';
import { FurrowSwitch } from './furrow/switch.ts';
import { hearsSchema } from './hears.ts';
import { QuillRouter } from './quill/router.ts';
import { ShaleHost } from './shale/host.ts';
import { newHostKey } from './ssh.ts';
import { Wire } from './wire.ts';

const deviceSchema = z.strictObject({
  /** How the lab calls it: a box, wherever it is plugged. */
  name: z.string().regex(/^[a-z0-9._-]+$/),
  model: z.enum(['LF-24', 'LF-48', 'LF-C4', 'CB-7', 'TW-8']),
  serial: z.string().max(60),
  mac: z.string().regex(/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/),
  version: z.string().default('2.4.1'),
  /** The relay of the wire that it is plugged into; what starts from its own configuration needs none. */
  relay: z.ipv4().optional(),
  /** What it has stored from the beginning. */
  kept: z.string().max(200_000).optional(),
  /** What hangs on its ports. */
  hears: z.array(hearsSchema).default([]),
  circuit: z.string().max(200).optional(),
  /** The port by which its packets go and come: where its lines keep its address off it, nobody reaches it. */
  uplink: z.string().max(40).optional(),
  power: z.enum(['on', 'off']).default('off'),
  faults: z.array(z.string().refine(isFault)).default([]),
  /** Of a chassis: what is in its slots. */
  cards: z
    .array(
      z.strictObject({
        slot: z.string().regex(/^\d{1,2}(\/\d{1,2})?$/),
        model: z.enum(['C4-24T', 'C4-BAY', 'C4-8X']),
        serial: z.string().max(60),
      }),
    )
    .default([]),
});
export type DeviceInput = z.input<typeof deviceSchema>;
type DeviceEntry = z.output<typeof deviceSchema>;

const labSchema = z.strictObject({
  dialMap: z.array(z.string()),
  /** The address that relays forward to. */
  server: z.ipv4(),
  paceMs: z.number().int().min(0).max(60_000).default(250),
  devices: z.array(deviceSchema),
});
export type LabInput = z.input<typeof labSchema>;

export interface DeviceState {
  name: string;
  model: string;
  serial: string;
  mac: string;
  relay: string | null;
  circuit: string | null;
  on: boolean;
  faults: string[];
  leased: string | null;
  address: string | null;
  kept: boolean;
  log: { at: string; text: string }[];
}

export class LabFault extends Error {}

/** Where nothing is said, a box is plugged in here. */
const NOWHERE = '127.0.0.1';

export class Lab {
  private readonly wire: Wire;
  private readonly server: string;
  private readonly paceMs: number;
  private readonly folder: string;
  private readonly relays = new Map<string, Relay>();
  private readonly devices = new Map<string, { entry: DeviceEntry; device: LabDevice; made: boolean }>();

  /** Memories of the devices are kept in `folder`. */
  constructor(input: LabInput, folder: string) {
    const lab = labSchema.parse(input);
    this.wire = new Wire(lab.dialMap.map((row) => mustParse(parseDialRow(row))));
    this.server = lab.server;
    this.paceMs = lab.paceMs;
    this.folder = folder;
    mkdirSync(folder, { recursive: true });
    for (const entry of lab.devices) this.add(entry);
    for (const entry of this.keptBoxes()) if (!this.devices.has(entry.name)) this.add(entry, true);
  }

  /** `instead` takes the place of what the file says. */
  static fromFile(path: string, folder: string, instead: Partial<LabInput> = {}): Lab {
    return new Lab({ ...(parse(readFileSync(path, 'utf8')) as LabInput), ...instead }, folder);
  }

  /** Switches on what the lab's file has on. */
  start(): void {
    for (const { entry, device } of this.devices.values()) if (entry.power === 'on') device.on();
  }

  async stop(): Promise<void> {
    await Promise.all([...this.devices.values()].map(({ device }) => device.off()));
    await Promise.all([...this.relays.values()].map((relay) => relay.close()));
  }

  /** Boxes that somebody made in the running lab, as they were when it ended. */
  private keptBoxes(): DeviceInput[] {
    return existsSync(this.boxesPath) ? (JSON.parse(readFileSync(this.boxesPath, 'utf8')) as DeviceInput[]) : [];
  }

  private get boxesPath(): string {
    return join(this.folder, 'boxes.json');
  }

  /** Takes note of what is kept: where it hangs, whether it is on, what is wrong with it. */
  keepBoxes(): void {
    const kept = [...this.devices.values()].filter(({ made }) => made);
    const boxes = kept.map(({ entry, device }): DeviceInput => {
      const { plug, faults } = device.options;
      const relay = plug && plug.relay.address !== NOWHERE ? plug.relay.address : undefined;
      return { ...entry, relay, circuit: plug?.circuit, power: device.isOn ? 'on' : 'off', faults: [...faults] };
    });
    writeFileSync(this.boxesPath, JSON.stringify(boxes), { mode: 0o600 });
  }

  /** `made`: in the running lab, and so to be kept. */
  add(input: DeviceInput, made = false): void {
    const entry = deviceSchema.parse(input);
    if (this.devices.has(entry.name)) throw new LabFault(`there is a device ${entry.name} already`);
    const { name, serial, model, mac, version, cards, hears } = entry;
    const flash = this.flashOf(name, entry.kept ?? '');
    const common = {
      particulars: { serial, model, mac, version, cards },
      wire: this.wire,
      flash,
      faults: new Set(entry.faults),
      hears,
      paceMs: this.paceMs,
      saved: () => writeFileSync(this.pathOf(name), JSON.stringify(flash), { mode: 0o600 }),
      uplink: entry.uplink,
      plug: { relay: this.relay(entry.relay ?? NOWHERE), circuit: entry.circuit },
    };
    const device =
      model === 'CB-7' ? new QuillRouter(common) : model === 'TW-8' ? new ShaleHost(common) : new FurrowSwitch(common);
    this.devices.set(name, { entry, device, made });
  }

  private pathOf(name: string): string {
    return join(this.folder, `${name}.json`);
  }

  private flashOf(name: string, kept: string): Flash {
    if (existsSync(this.pathOf(name))) return JSON.parse(readFileSync(this.pathOf(name), 'utf8')) as Flash;
    const flash: Flash = { kept, hostKey: newHostKey() };
    writeFileSync(this.pathOf(name), JSON.stringify(flash), { mode: 0o600 });
    return flash;
  }

  private relay(address: string): Relay {
    let relay = this.relays.get(address);
    if (!relay) this.relays.set(address, (relay = new Relay(address, this.server, this.wire)));
    return relay;
  }

  device(name: string): LabDevice {
    const found = this.devices.get(name);
    if (!found) throw new LabFault(`there is no device ${name}; there are ${[...this.devices.keys()].join(', ')}`);
    return found.device;
  }

  /** One that is a Furrow switch. */
  furrow(name: string): FurrowSwitch {
    const device = this.device(name);
    if (!(device instanceof FurrowSwitch)) throw new LabFault(`${name} is no Furrow switch`);
    return device;
  }

  names(): string[] {
    return [...this.devices.keys()];
  }

  /** Pulls it out and plugs it in elsewhere; it must be off. */
  replug(name: string, relay: string, circuit: string | undefined): void {
    const device = this.device(name);
    if (device.isOn) throw new LabFault(`${name} is on; switch it off first`);
    device.options.plug = { relay: this.relay(relay), circuit };
  }

  state(name: string): DeviceState {
    const device = this.device(name);
    const { particulars, faults, flash } = device.options;
    const { plug } = device.options;
    return {
      name,
      model: particulars.model,
      serial: particulars.serial,
      mac: particulars.mac,
      relay: plug && plug.relay.address !== NOWHERE ? plug.relay.address : null,
      circuit: plug?.circuit ?? null,
      on: device.isOn,
      faults: [...faults],
      leased: device.net.lease?.address ?? null,
      address: device.address ?? null,
      kept: flash.kept !== '',
      log: device.log.slice(-30),
    };
  }
}
