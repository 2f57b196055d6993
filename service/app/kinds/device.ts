import { asStored, idsOf, type Draft, type KindRules } from '../records/draft.ts';
import { byIds, keyOf } from '../../store/records.ts';
import { endLeases } from '../boot/leases.ts';
import type { Tx } from '../../store/tx.ts';
import type { Stored } from '@zpine/contract/kinds';
import { extentOfDevice, freeSlots, clashingSlots, placedDevices, occupySlots, type Placed } from '../racks/slots.ts';
import { alignPorts, bringPorts } from '../hardware/align.ts';
import { leftBehind } from '../devices/offSite.ts';
import { followSite } from '../interfaces/vlans.ts';
import { disagreementOf } from '../settings/labels.ts';

const MOST_LEFT = 20;

/** A device stands where its rack is, and fits into it; its management interface is its own. */
export const deviceRules: KindRules = {
  async prepare(tx, drafts) {
    const placing = new Set(drafts.filter((draft) => placeChanges(draft) || draft.changes('site')));
    const racks = await byIds(tx, 'rack', idsOf([...placing], 'rack'));
    const rooms = await byIds(tx, 'room', racks.values(), 'room');
    const models = await byIds(tx, 'model', idsOf([...placing], 'model'));
    const changing = (field: string) =>
      idsOf(
        drafts.filter((draft) => draft.changes(field)),
        field,
      );
    const interfaces = await byIds(tx, 'interface', [...changing('management'), ...changing('main')]);
    const templates = await byIds(tx, 'template', changing('template'));
    const wanted = new Map<Placed, Draft>();
    for (const draft of drafts) {
      const rack = racks.get(draft.id('rack') ?? 0);
      if (rack) await placeInRack(tx, draft, rack.id, rooms.get(rack.room)?.site ?? 0);
      // What leaves its rack leaves its U there.
      if (draft.before?.rack && draft.id('rack') === null && !draft.given.has('positionU'))
        draft.after.positionU = null;
      const position = draft.after.positionU;
      if (typeof position === 'number' && placing.has(draft)) {
        const model = models.get(draft.id('model') ?? 0);
        const top = position + Math.max(1, model?.heightU ?? 1) - 1;
        if (!rack) draft.fault('positionU', 'position-without-rack');
        else if (top > rack.heightU) {
          draft.fault('positionU', 'position-outside', {
            from: position,
            to: top,
            rack: rack.key,
            height: rack.heightU,
          });
        } else if (placeChanges(draft)) wanted.set(placed(draft, rack, model), draft);
      }
      const model = models.get(draft.id('model') ?? 0);
      if (model && model.fits !== null) draft.fault('model', 'model-is-card', { model: model.key });
      await checkVirtual(tx, draft);
      const template = templates.get(draft.id('template') ?? 0);
      if (template?.fragment) draft.fault('template', 'template-fragment', { template: template.key });
      for (const field of ['management', 'main']) {
        const on = interfaces.get(draft.id(field) ?? 0);
        if (on && on.device !== draft.before?.id)
          draft.fault(field, 'not-on-device', { what: on.key, device: draft.text('name') ?? '' });
      }
      const labels = draft.after.labels;
      if (!Array.isArray(labels) || JSON.stringify(draft.before?.labels) === JSON.stringify(labels)) continue;
      const found = await disagreementOf(tx, [{ name: draft.text('name') ?? '', labels: labels.map(String) }]);
      if (found) draft.fault('labels', 'labels-disagree', found.params);
    }
    for (const [one, { u, by }] of await clashingSlots(tx, [...wanted.keys()]))
      wanted.get(one)?.fault('positionU', 'position-taken', { u, rack: one.rack.key, by });
  },

  async added(tx, records) {
    const devices = records.map((record) => asStored('device', record));
    await occupySlots(tx, await placedDevices(tx, devices));
    if (!tx.takingBack) await bringPorts(tx, devices);
  },

  async removed(tx, records) {
    const ids = records.map((record) => record.id);
    await freeSlots(tx, 'device', ids);
    await endLeases(tx, 'device_id IN (?)', [ids]);
    await tx.execute(
      'UPDATE arrival SET ended_at = ?, limit_at = NULL, probe_at = NULL WHERE device_id IN (?) AND ended_at IS NULL',
      [await tx.now(), ids],
    );
  },

  async edited(tx, pairs) {
    const moved = pairs.filter(({ before, after }) => placeFields.some((field) => before[field] !== after[field]));
    await freeSlots(
      tx,
      'device',
      moved.map(({ after }) => after.id),
    );
    await occupySlots(
      tx,
      await placedDevices(
        tx,
        moved.map(({ after }) => asStored('device', after)),
      ),
    );
    if (tx.takingBack) return;
    const differing = (field: string) =>
      pairs.filter(({ before, after }) => before[field] !== after[field]).map(({ after }) => asStored('device', after));
    await alignPorts(tx, differing('model'));
    await followSite(tx, differing('site'));
    const gone = pairs.filter(({ before, after }) => before.site !== null && before.site !== after.site);
    await remarkLeft(
      tx,
      gone.map(({ after }) => after.id),
    );
  },
};

/** Says what devices that went to another site have left at the old one. */
async function remarkLeft(tx: Tx, ids: number[]): Promise<void> {
  if (ids.length === 0) return;
  for (const { kind, key, detail, remedy } of await leftBehind(tx, ids, MOST_LEFT))
    tx.remark({ kind, key, detail, remedy });
}

/** What is virtual has no place and no hardware. */
async function checkVirtual(tx: Tx, draft: Draft): Promise<void> {
  if (draft.after.virtual !== true) return;
  const device = draft.text('name') ?? '';
  if (draft.id('rack') !== null) draft.fault('rack', 'virtual-place', { device, what: 'rack' });
  if (!draft.before || !draft.changes('virtual')) return;
  const box = await tx.one('SELECT id FROM box WHERE device_id = ?', [draft.before.id]);
  if (box) draft.fault('virtual', 'virtual-place', { device, what: 'box: take it out first' });
}

const placeFields = ['rack', 'positionU', 'face', 'side', 'model'];
const placeChanges = (draft: Draft): boolean => placeFields.some((field) => draft.changes(field));

const placed = (draft: Draft, rack: Stored<'rack'>, model: Stored<'model'> | undefined): Placed => ({
  kind: 'device',
  id: draft.before?.id ?? 0,
  name: `device ${draft.text('name') ?? ''}`,
  rack,
  extent: extentOfDevice(draft.after as Stored<'device'>, model),
});

async function placeInRack(tx: Tx, draft: Draft, rack: number, site: number): Promise<void> {
  if (draft.id('site') === site) return;
  if (draft.given.has('site') && draft.id('site') !== null) {
    draft.fault('site', 'site-differs', {
      what: `rack ${await keyOf(tx, 'rack', rack)}`,
      there: (await keyOf(tx, 'site', site)) ?? '',
      here: (await keyOf(tx, 'site', draft.id('site'))) ?? '',
    });
  } else if (draft.changes('rack') || draft.id('site') === null) {
    draft.after.site = site;
  } else {
    draft.fault('site', 'site-differs', {
      what: `rack ${await keyOf(tx, 'rack', rack)}`,
      there: (await keyOf(tx, 'site', site)) ?? '',
      here: (await keyOf(tx, 'site', draft.id('site'))) ?? '',
    });
  }
}
