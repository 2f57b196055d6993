/** What the console has of a kind beside its description. Whatever is drawn comes over the line when it is needed. */
import type { ComponentType } from 'react';
import type { Value } from '@zpine/contract/fields';
import type { AnyRecord } from '@zpine/contract/kind';

type OfRecord = ComponentType<{ record: AnyRecord }>;

export type Extras = {
  /** What matters about a record, in one sentence. */
  sentence?: (record: AnyRecord) => string;
  /** Pages of its own in place of the common ones. */
  page?: ComponentType<{ recordKey: string }>;
  listPage?: ComponentType;
  /** What a record shows beside its fields. */
  beside?: OfRecord;
  /** What can be done with a record beside editing. */
  actions?: OfRecord;
  /** What is done most with a record: it stands for Edit as the one primary button. */
  primary?: OfRecord;
  /** What can be done on its list, beside importing and adding. */
  listActions?: ComponentType;
  /** What can be done with the ticked rows of its list, beside editing and removing. */
  tickedActions?: ComponentType<{ refs: string[]; onDone: () => void }>;
  /** What adding one is called. */
  addWords?: string;
  /** A selection that makes sense for it. */
  example?: string;
  /** Fields that a record with these values cannot have. */
  hidden?: (values: Record<string, Value>) => string[];
  /** What a reference in a form is narrowed to, by the field. */
  narrowed?: (field: { to?: string }, values: Record<string, Value>, record: AnyRecord | undefined) => Narrowed;
  /** Help beside a field of a new record. */
  help?: Record<string, ComponentType<HelpProps>>;
  /** Columns that a copy begins with, those that are no fields, and what copies of a name are called. */
  copies?: { columns: string[]; more: { name: string; title: string }[]; names: (name: string) => string };
  /** What goes along with a removal, if wanted. */
  contents?: string;
  /** Why a record has no history. */
  unchanged?: string;
};

/** By the device that they are on, or by the site of a device. */
export type Narrowed = { device?: string; siteOf?: string } | undefined;

export type HelpProps = { values: Record<string, Value>; onTake: (value: string) => void };

/** Parts of a sentence, without those that say nothing. */
export const joined = (parts: unknown[]): string =>
  parts.filter((part) => part !== null && part !== undefined && part !== '').join(' · ');
export const upper = (value: unknown): string | null => (typeof value === 'string' ? value.toUpperCase() : null);
