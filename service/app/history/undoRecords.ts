/** Changes of records taken back one behind the other, the newest first, and together where they are alike. */
import { Refusal } from '@zpine/contract/errors';
import { fieldsOf } from '@zpine/contract/kind';
import { isKind, kindOf, type KindName } from '@zpine/contract/kinds';
import { type AnyStored, byIds, byKeys, find } from '../../store/records.ts';
import { derivable, insert, plannedKeys } from '../../store/recordWrites.ts';
import type { Tx } from '../../store/tx.ts';
import { alignPorts } from '../hardware/align.ts';
import { keepTrunks } from '../interfaces/vlans.ts';
import { rulesOf } from '../kinds/rules.ts';
import { Draft } from '../records/draft.ts';
import { saveEdits } from '../records/edit.ts';
import { checkDrafts } from '../records/prepare.ts';
import { takeAway, withParts, type Going } from '../records/parts.ts';
import { removeAll, removeOne } from '../records/remove.ts';
import { fieldsFrom, imageOf, recalled, sortOf, type ChangeRow, type Image, type TookBack } from './changes.ts';
import { takeBackValue } from './undoValues.ts';

export class Undoing {
  private readonly tx: Tx;
  /** Which version of before this undo a record is like now. */
  private readonly like = new Map<string, number | null>();
  /** Records that will come back, but are not there yet. */
  private readonly coming: Set<string>;
  /** References to those, set when all are there. */
  private readonly open: { kind: KindName; id: number; field: string; to: number }[] = [];

  /** Devices that changed, or whose cards did. */
  private readonly touched = new Set<number>();

  constructor(tx: Tx, coming: Iterable<Pick<ChangeRow, 'kind' | 'record_id'>>) {
    this.tx = tx;
    this.coming = new Set([...coming].map((c) => `${c.kind} ${Number(c.record_id)}`));
  }

  /** Additions of one kind that stand in a row are taken back together, and so are edits. */
  async takeSlice(slice: ChangeRow[]): Promise<[ChangeRow, TookBack][]> {
    const done: [ChangeRow, TookBack][] = [];
    for (let at = 0; at < slice.length;) {
      const [first] = slice.slice(at, at + 1);
      if (!first) break;
      const sort = sortOf(first);
      const end = slice.findIndex((c, i) => i > at && !(c.kind === first.kind && sortOf(c) === sort));
      const alike = sort !== 'removed' && isKind(first.kind);
      const run = alike ? slice.slice(at, end < 0 ? slice.length : end) : [first];
      const kind = first.kind as KindName;
      const together =
        run.length < 2
          ? 0
          : sort === 'added'
            ? await this.removeTogether(kind, run)
            : await this.editTogether(kind, run);
      for (const change of run.slice(0, together)) done.push([change, sort === 'added' ? 'removed' : 'edited']);
      // What could not go with the others is looked at for itself, so that the refusal names it.
      if (together === 0) done.push([first, await this.takeBack(first)]);
      at += Math.max(1, together);
    }
    return done;
  }

  /** Records that are still as they were added, and that nothing newer hangs on; gives how many of the first went. */
  private async removeTogether(kind: KindName, run: ChangeRow[]): Promise<number> {
    const ids = run.map((change) => Number(change.record_id));
    const found = await byIds(this.tx, kind, ids, true);
    const odd = run.findIndex((c) => {
      const id = Number(c.record_id);
      return found.get(id)?.version !== c.version_to || this.like.has(`${kind} ${id}`);
    });
    const records = (odd < 0 ? run : run.slice(0, odd)).flatMap((c) => found.get(Number(c.record_id)) ?? []);
    if (records.length < 2) return 0;
    for (const part of await withParts(this.tx, kind, records))
      if ((await this.newerIn(kind, records, part)) !== undefined) return 0;
    await removeAll(this.tx, kind, records);
    return records.length;
  }

  /** Records that are still as these edits left them; one refusal, and each is looked at for itself. */
  private async editTogether(kind: KindName, run: ChangeRow[]): Promise<number> {
    const ids = new Set<number>();
    // The same record twice has an order.
    const again = run.findIndex((change) => ids.size === ids.add(Number(change.record_id)).size);
    const some = again < 0 ? run : run.slice(0, again);
    const found = await byIds(this.tx, kind, [...ids], true);
    const odd = some.findIndex((c) => {
      const id = Number(c.record_id);
      return found.get(id)?.version !== c.version_to || this.like.has(`${kind} ${id}`);
    });
    const edits = (odd < 0 ? some : some.slice(0, odd)).flatMap((change) => {
      const before = found.get(Number(change.record_id));
      return before ? [{ change, draft: this.draftBack(before, recalled(kind, change.before) ?? {}) }] : [];
    });
    if (edits.length < 2) return 0;
    try {
      await checkDrafts(
        this.tx,
        kind,
        edits.map(({ draft }) => draft),
      );
    } catch (error) {
      if (error instanceof Refusal) return 0;
      throw error;
    }
    await saveEdits(
      this.tx,
      kind,
      edits.map(({ draft }) => ({ before: draft.before as AnyStored, after: draft.after })),
    );
    for (const { change } of edits) this.took(change);
    return edits.length;
  }

  private async takeBack(change: ChangeRow): Promise<TookBack> {
    const { kind, record_key: key } = change;
    if (kind === 'value') return takeBackValue(this.tx, change);
    if (!isKind(kind)) throw new Refusal('undo-kind', { kind, key });
    const before = recalled(kind, change.before);
    const action =
      before === null
        ? await this.removeAgain(kind, change)
        : change.after === null
          ? await this.addAgain(kind, change, before)
          : await this.editBack(kind, change, before);
    this.took(change);
    return action;
  }

  private took({ kind, record_id, version_from, before, after }: ChangeRow): void {
    this.like.set(`${kind} ${Number(record_id)}`, version_from);
    if (kind === 'device') this.touched.add(Number(record_id));
    if (kind === 'card') this.touched.add(Number((imageOf(before) ?? imageOf(after))?.device));
  }

  /** References among records that came back together. */
  async later(): Promise<void> {
    for (const { kind, id, field, to } of this.open) {
      const record = (await byIds(this.tx, kind, [id], true)).get(id) as AnyStored;
      await saveEdits(this.tx, kind, [{ before: record, after: { ...record, [field]: to } }]);
    }
  }

  /** The record as the change left it: at its version, or at one that is like it since newer changes were taken back. */
  private async asLeft(kind: KindName, change: ChangeRow): Promise<AnyStored> {
    const id = Number(change.record_id);
    const record = (await byIds(this.tx, kind, [id], true)).get(id) as AnyStored | undefined;
    const params = { kind, key: record?.key ?? change.record_key };
    if (!record) throw new Refusal('undo-gone', params);
    const known = this.like.get(`${kind} ${id}`);
    const is = known === undefined ? await this.original(kind, id, record.version) : known;
    if (is !== (await this.original(kind, id, change.version_to ?? 0)))
      throw new Refusal('undo-newer', { ...params, current: record.version, version: change.version_to ?? 0 });
    return record;
  }

  /** A version that an undo made is like the one before what it took back. */
  private async original(kind: KindName, id: number, version: number): Promise<number> {
    let here = version;
    for (;;) {
      const row = await this.tx.one<{ version_from: number | null }>(
        `SELECT (SELECT o.version_from FROM \`change\` o FORCE INDEX (ix_change_record) WHERE o.change_set_id = s.undoes AND o.kind = c.kind AND o.record_id = c.record_id
                 ORDER BY o.seq LIMIT 1) AS version_from
         FROM \`change\` c FORCE INDEX (ix_change_record) STRAIGHT_JOIN change_set s ON s.id = c.change_set_id
         WHERE c.kind = ? AND c.record_id = ? AND c.version_to = ? AND s.undoes IS NOT NULL ORDER BY s.id DESC LIMIT 1`,
        [kind, id, here],
      );
      if (!row || row.version_from === null || row.version_from >= here) return here;
      here = row.version_from;
    }
  }

  private async removeAgain(kind: KindName, change: ChangeRow): Promise<TookBack> {
    const record = await this.asLeft(kind, change);
    // Its parts of that time have gone before it; what is left came later, and would go unasked.
    for (const part of await withParts(this.tx, kind, [record])) {
      const newer = await this.newerIn(kind, [record], part);
      if (!newer) continue;
      const users = `${kindOf(part.kind).title.toLowerCase()} ${newer.key}, which came later`;
      throw new Refusal('in-use', { kind, key: record.key, users });
    }
    await removeOne(this.tx, kind, `#${record.id}`, record.version);
    return 'removed';
  }

  /** Of what would go along, something that somebody gave; what came by itself, and is like it was, may go. */
  private async newerIn(kind: KindName, named: AnyStored[], part: Going): Promise<AnyStored | undefined> {
    const ids = new Set(part.kind === kind ? named.map((one) => one.id) : []);
    for (const record of part.records) {
      if (ids.has(record.id)) continue;
      if (!derivable.includes(part.kind)) return record;
      const is = this.like.get(`${part.kind} ${record.id}`) ?? record.version;
      if (is !== 0 && (await this.original(part.kind, record.id, record.version)) !== 0) return record;
    }
    return undefined;
  }

  /** What models and cards bring to devices that were touched, where it has not come back by itself. */
  async align(): Promise<void> {
    const devices = await byIds(this.tx, 'device', [...this.touched]);
    await alignPorts(this.tx, [...devices.values()]);
    await keepTrunks(this.tx, await find(this.tx, 'interface', { device_id: [...devices.keys()] }), true);
  }

  private async addAgain(kind: KindName, change: ChangeRow, image: Image): Promise<TookBack> {
    const id = Number(change.record_id);
    const fields = fieldsFrom(kind, image);
    this.coming.delete(`${kind} ${id}`);
    for (const [name, field] of fieldsOf(kindOf(kind))) {
      const to = fields[name];
      if (field.type !== 'ref' || typeof to !== 'number' || !this.coming.has(`${field.to} ${to}`)) continue;
      this.open.push({ kind, id, field: name, to });
      fields[name] = null;
    }
    const [key = ''] = await plannedKeys(this.tx, kind, [fields]);
    await this.makeRoom(kind, key);
    const draft = new Draft(null, fields, new Set(Object.keys(image)), []);
    await checkDrafts(this.tx, kind, [draft]);
    const again = [{ id, version: (change.version_from ?? 0) + 1 }];
    const records = await insert(this.tx, kind, [draft.after], again);
    await rulesOf(kind).added?.(this.tx, records);
    return 'added';
  }

  /** What came along by itself meanwhile, and nobody uses, gives its name back. */
  private async makeRoom(kind: KindName, key: string): Promise<void> {
    const standing = (await byKeys(this.tx, kind, [key])).get(key) as AnyStored | undefined;
    if (!standing) return;
    const going = await withParts(this.tx, kind, [standing]);
    const plain = going.every((part) => derivable.includes(part.kind) && part.records.every((r) => r.version === 0));
    if (!plain) throw new Refusal('undo-back', { kind, key });
    await takeAway(this.tx, kind, [standing], going);
  }

  private draftBack(record: AnyStored, image: Image): Draft {
    const changed = Object.keys(image).filter((name) => JSON.stringify(image[name]) !== JSON.stringify(record[name]));
    return new Draft(record, { ...record, ...image }, new Set(changed), []);
  }

  private async editBack(kind: KindName, change: ChangeRow, image: Image): Promise<TookBack> {
    const record = await this.asLeft(kind, change);
    const draft = this.draftBack(record, image);
    await checkDrafts(this.tx, kind, [draft]);
    await saveEdits(this.tx, kind, [{ before: record, after: draft.after }]);
    return 'edited';
  }
}
