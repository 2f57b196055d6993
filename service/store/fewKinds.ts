/** Kinds of which there are few records, that change seldom and that nearly everything asks for. */
import type { KindName } from '@zpine/contract/kinds';

export const fewKinds = [
  'area',
  'bootprofile',
  'dialect',
  'duty',
  'image',
  'label',
  'model',
  'owner',
  'setting',
  'template',
  'use',
  'vendor',
  'vrf',
] as const satisfies KindName[];
export type FewKind = (typeof fewKinds)[number];

export const isFew = (kind: KindName): kind is FewKind => (fewKinds as readonly KindName[]).includes(kind);

/** The records of such kinds as they were under one stamp. */
export interface HeldFew {
  stamp: string;
  many: ReadonlySet<string>;
  kinds: Map<FewKind, Promise<ReadonlyMap<number, unknown>>>;
}

/** What a unit of work knows of them. */
export interface KnownFew {
  held: HeldFew;
  at: number;
}
