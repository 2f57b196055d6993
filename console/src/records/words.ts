/** What matters about a record, in one sentence; and where it belongs. */
import { kindOf, type KindName } from '@zpine/contract/kinds';
import type { AnyRecord } from '@zpine/contract/kind';
import { extrasOf } from '../kinds/registry.ts';
import { sectionOf } from '../shell/navigation.ts';
import { listPath, pathOf } from './paths.ts';

export const sentenceOf = (kind: KindName, record: AnyRecord): string =>
  extrasOf(kind).sentence?.(record) ?? kindOf(kind).about;

export function crumbsOf(kind: KindName, record: AnyRecord): [string, string | undefined][] {
  const k = kindOf(kind);
  const crumbs: [string, string | undefined][] = [];
  const section = sectionOf(kind);
  if (section) crumbs.push([section.title, section.to]);
  if (section?.kinds[0] !== kind) crumbs.push([k.titles, listPath(kind)]);
  const above = k.key.parts.find((part) => k.fields[part]?.type === 'ref' && part !== 'vrf');
  if (above && typeof record[above] === 'string')
    crumbs.push([record[above], pathOf(k.fields[above]?.to ?? '', record[above])]);
  crumbs.push([record.key, undefined]);
  return crumbs;
}
