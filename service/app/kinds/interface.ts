/** Interfaces: what each form and mode may have, what sits on what, and that every VLAN is one of the site. */
import { grouped } from '@zpine/core/lists/grouped';
import { nearest } from '@zpine/core/naming/names';
import { expandSlots } from '@zpine/core/rack/portGroups';
import { portKinds, type PortKindName } from '@zpine/core/rack/ports';
import { mustParse } from '@zpine/core/fault';
import { Refusal } from '@zpine/contract/errors';
import { fieldsOfForm, notOfForm, type interfaceForms } from '@zpine/contract/kinds/interfaces';
import type { Stored } from '@zpine/contract/kinds';
import { asStored, idsOf, type Draft, type KindRules } from '../records/draft.ts';
import { byIds, find } from '../../store/records.ts';
import { insertDerived, removeDerived } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { hardwareOf } from '../hardware/sockets.ts';
import { refuseInUse } from '../hardware/use.ts';
import { checkVlans, keepTrunks, spellVlans } from '../interfaces/vlans.ts';

type Form = (typeof interfaceForms)[number];

const needed: Partial<Record<Form, string>> = { vlan: 'vlan', 'sub-interface': 'on' };

export const interfaceRules: KindRules = {
  spell: spellVlans,

  async prepare(tx, drafts) {
    const devices = await byIds(tx, 'device', idsOf(drafts, 'device'));
    const bases = await byIds(tx, 'interface', [...idsOf(drafts, 'on'), ...idsOf(drafts, 'memberOf')], true);
    for (const draft of drafts) {
      checkForm(draft);
      const device = devices.get(draft.id('device') ?? 0);
      if (!device) continue;
      checkBase(draft, device, bases.get(draft.id('on') ?? 0));
      checkMember(draft, device, bases.get(draft.id('memberOf') ?? 0));
    }
    await checkTags(tx, drafts, bases);
    await checkVlans(tx, drafts, devices);
    await checkBusyMembers(tx, drafts);
    await findPorts(tx, drafts, devices);
  },

  async adding(tx, records) {
    const without = records.filter(({ form, port }) => form === 'port' && (port ?? null) === null);
    // Of a device whose ports nobody declared, the interface says that there is one.
    const ports = await insertDerived(
      tx,
      'port',
      without.map(({ device, name }) => ({
        device: device ?? null,
        name: name ?? null,
        kind: 'ethernet',
        source: 'hand',
      })),
    );
    for (const [i, record] of without.entries()) record.port = ports[i]?.id ?? null;
  },

  async added(tx, records) {
    const interfaces = records.map((record) => asStored('interface', record));
    // Of those that came back without their port, which was there for them alone.
    const without = interfaces.filter(({ form, port }) => form === 'port' && port === null);
    await insertDerived(
      tx,
      'port',
      without.map(({ device, name }) => ({ device, name, kind: 'ethernet', source: 'hand' })),
    );
    // The port of an interface has its key.
    if (without.length > 0)
      await tx.execute(
        'UPDATE `interface` i JOIN port p ON p.natural_key = i.natural_key SET i.port_id = p.id WHERE i.id IN (?)',
        [without.map(({ id }) => id)],
      );
    await keepTrunks(tx, interfaces);
  },

  async edited(tx, pairs) {
    const changed = pairs.filter(({ before, after }) => JSON.stringify(before.tagged) !== JSON.stringify(after.tagged));
    await keepTrunks(
      tx,
      changed.map(({ after }) => asStored('interface', after)),
      true,
    );
  },

  async mayGo(tx, records) {
    const ports = await byIds(
      tx,
      'port',
      records.flatMap((record) => asStored('interface', record).port ?? []),
    );
    for (const record of records) {
      const { key, port } = asStored('interface', record);
      const on = ports.get(port ?? 0);
      if (!on) continue;
      // What came back with its device goes with it again when that is taken back.
      if (!tx.takingBack && (on.source !== 'hand' || on.version > 0))
        throw new Refusal('interface-of-port', { interface: key });
      const cabled = await tx.one('SELECT cable_id FROM cable_end WHERE port_id = ?', [on.id]);
      if (cabled) await refuseInUse(tx, [on.id], `interface ${key}`);
    }
  },

  async removed(tx, records) {
    // A port that the interface alone stood for goes with it; others are away already, or stay.
    const ports = await find(tx, 'port', { id: records.flatMap((record) => asStored('interface', record).port ?? []) });
    const alone = ports.filter((port) => port.source === 'hand' && port.version === 0).map((port) => port.id);
    const kept = await tx.select<{ port_id: number }>('SELECT port_id FROM cable_end WHERE port_id IN (?)', [
      [0, ...alone],
    ]);
    const held = new Set(kept.map((row) => Number(row.port_id)));
    await removeDerived(
      tx,
      'port',
      alone.filter((id) => !held.has(id)),
    );
  },
};

function checkForm(draft: Draft): void {
  const form = String(draft.after.form) as Form;
  for (const field of notOfForm(form))
    if ((draft.after[field] ?? null) !== null) draft.fault(field, 'field-form', { form, field });
  const wants = needed[form];
  if (wants !== undefined && (draft.after[wants] ?? null) === null)
    draft.fault(wants, 'form-needs', { form, field: wants });
  if (!fieldsOfForm[form].includes('mode')) return;
  // What VLANs it has says which mode is meant, where nobody said it.
  if (draft.after.mode === null || draft.after.mode === undefined)
    draft.after.mode = draft.after.tagged ? 'trunk' : draft.after.vlan ? 'access' : null;
  const mode = draft.text('mode');
  if (mode === 'access' && draft.after.tagged) draft.fault('tagged', 'mode-vlans', { mode, field: 'tagged VLANs' });
  if (mode === 'routed')
    for (const field of ['vlan', 'tagged'])
      if (draft.after[field])
        draft.fault(field, 'mode-vlans', { mode, field: field === 'vlan' ? 'VLAN' : 'tagged VLANs' });
}

function checkBase(draft: Draft, device: Stored<'device'>, base: Stored<'interface'> | undefined): void {
  if (!base) {
    if (draft.after.tag && draft.after.form === 'routed')
      draft.fault('on', 'form-needs', { form: 'routed', field: 'on' });
    return;
  }
  if (base.device !== device.id) draft.fault('on', 'other-device', { what: base.key, device: device.key });
  else if (base.form !== 'port' && base.form !== 'aggregate')
    draft.fault('on', 'base-form', { what: base.key, form: base.form });
  else if (base.mode === 'access' || base.mode === 'trunk')
    draft.fault('on', 'base-switching', { what: base.key, mode: base.mode });
  else if (base.memberOf !== null) draft.fault('on', 'member-busy', { field: 'interfaces on it' });
}

function checkMember(draft: Draft, device: Stored<'device'>, whole: Stored<'interface'> | undefined): void {
  if (!whole) return;
  if (whole.device !== device.id) draft.fault('memberOf', 'other-device', { what: whole.key, device: device.key });
  else if (whole.form !== 'aggregate') draft.fault('memberOf', 'member-form', { what: whole.key, form: whole.form });
  for (const [field, words] of [
    ['mode', 'mode'],
    ['vlan', 'VLAN'],
    ['tagged', 'tagged VLANs'],
  ] as const)
    if (draft.after[field]) draft.fault(field, 'member-busy', { field: words });
}

/** On one base every tag is there once, and so is the untagged one. The base is locked by whoever looks. */
async function checkTags(tx: Tx, drafts: Draft[], bases: Map<number, Stored<'interface'>>): Promise<void> {
  const wanted = drafts.filter((d) => d.id('on') !== null && (d.changes('on') || d.changes('tag') || !d.before));
  const standing = await find(tx, 'interface', { on_id: wanted.map((d) => d.id('on') ?? 0) });
  const at = (on: number | null, tag: unknown) => `${on} ${Number(tag ?? 0)}`;
  const moving = new Set(wanted.map((d) => d.before?.id));
  const held = new Map(standing.filter((i) => !moving.has(i.id)).map((i) => [at(i.on, i.tag), i.key]));
  for (const draft of wanted) {
    const place = at(draft.id('on'), draft.after.tag);
    const by = held.get(place);
    const base = bases.get(draft.id('on') ?? 0)?.key ?? '';
    if (by !== undefined) draft.fault('tag', 'tag-taken', { tag: Number(draft.after.tag ?? 0), by, base });
    held.set(place, draft.text('name') ?? '');
  }
}

/** A port that joins an aggregate gives up what it had. */
async function checkBusyMembers(tx: Tx, drafts: Draft[]): Promise<void> {
  const joining = drafts.filter((d) => d.before && d.id('memberOf') !== null && d.changes('memberOf'));
  const ids = joining.map((d) => d.before?.id ?? 0);
  const on = new Set((await find(tx, 'interface', { on_id: ids })).map((i) => i.on));
  const addressed = new Set((await find(tx, 'address', { interface_id: ids })).map((a) => a.interface));
  for (const draft of joining) {
    const id = draft.before?.id ?? 0;
    if (on.has(id)) draft.fault('memberOf', 'member-busy', { field: 'interfaces on it' });
    if (addressed.has(id)) draft.fault('memberOf', 'member-busy', { field: 'address' });
  }
}

/** An interface of form port is that of a port of its name. */
async function findPorts(tx: Tx, drafts: Draft[], devices: Map<number, Stored<'device'>>): Promise<void> {
  const ofPorts = drafts.filter((d) => d.after.form === 'port');
  const fresh = ofPorts.filter((d) => !d.before);
  const ports = await find(tx, 'port', { device_id: [...new Set(fresh.map((d) => d.id('device') ?? 0))] });
  const known = new Map(ports.map((port) => [`${port.device} ${port.name.toLowerCase()}`, port]));
  const strange: { draft: Draft; device: Stored<'device'>; name: string }[] = [];
  for (const draft of fresh) {
    const device = devices.get(draft.id('device') ?? 0);
    const name = draft.text('name');
    if (!device || name === null) continue;
    const port = known.get(`${device.id} ${name.toLowerCase()}`);
    if (port) draft.after.port = port.id;
    else if (!tx.takingBack) strange.push({ draft, device, name });
  }
  await refuseUndeclared(tx, strange, ports);
  const standing = await byIds(tx, 'port', idsOf(ofPorts, 'port'));
  for (const draft of ofPorts) {
    const port = standing.get(draft.id('port') ?? 0);
    if (!port) continue;
    if (draft.before && draft.text('name') !== port.name) draft.fault('name', 'interface-renamed', { port: port.name });
    const most = portKinds[port.kind as PortKindName].mbps;
    const speed = draft.after.speedMbps;
    if (most !== undefined && typeof speed === 'number' && speed > most)
      draft.fault('speedMbps', 'speed-high', { port: port.key, kind: port.kind, most });
  }
}

/** Names of no port, on devices of which somebody has said what ports they have. */
async function refuseUndeclared(
  tx: Tx,
  strange: { draft: Draft; device: Stored<'device'>; name: string }[],
  all: Stored<'port'>[],
): Promise<void> {
  if (strange.length === 0) return;
  const devices = new Map(strange.map(({ device }) => [device.id, device]));
  const hardware = new Map((await hardwareOf(tx, [...devices.values()])).map((one) => [one.device.id, one]));
  const portsOf = grouped(all, (port) => port.device);
  for (const { draft, device, name } of strange) {
    const own = hardware.get(device.id);
    const ports = portsOf.get(device.id) ?? [];
    const slots = mustParse(expandSlots(own?.model?.slots ?? []));
    const declared = ports.some((port) => port.source !== 'hand');
    // Nobody has said what ports it has: then everything may be one.
    if (!declared && slots.length === 0) continue;
    const meant = nearest(
      name,
      ports.map((port) => port.name),
    );
    const filled = new Set((own?.cards ?? []).map(({ card }) => card.slot.toLowerCase()));
    const empty = slots.map((slot) => slot.name).filter((slot) => !filled.has(slot.toLowerCase()));
    const slot = empty.find((one) => name.toLowerCase().includes(`${one.toLowerCase()}/`));
    draft.fault('name', 'port-unknown', {
      device: device.key,
      port: name,
      ...(meant === undefined ? {} : { meant }),
      ...(slot === undefined ? {} : { slot }),
    });
  }
}
