import { type ReactNode } from 'react';
import { type KindName } from '@zpine/contract/kinds';
import { ApplyPlan } from '../addressing/ApplyPlan.tsx';
import { LinkAction } from '../addressing/LinkAction.tsx';
import { PlanSteps } from '../addressing/PlanSteps.tsx';
import { Trace } from '../cables/Trace.tsx';
import { DialectSheet } from '../fleet/DialectSheet.tsx';
import { Differing } from '../hardware/Differing.tsx';
import { SheetButton } from '../hardware/SheetButton.tsx';
import { CopySite } from '../places/CopySite.tsx';
import { type AnyRecord } from '@zpine/contract/kind';

interface Props {
  kind: KindName;
  record: AnyRecord;
}

/** What some kinds show beside their fields. */
export function More({ kind, record }: Props) {
  if (kind === 'port') return <Trace port={record.key} />;
  if (kind === 'cable' && typeof record.from === 'string') return <Trace port={record.from} />;
  if (kind === 'interface' && typeof record.port === 'string') return <Trace port={record.port} />;
  if (kind === 'model') return <Differing model={record.key} />;
  if (kind === 'dialect') return <DialectSheet record={record} />;
  if (kind === 'siteplan') return <PlanSteps steps={record.steps} />;
  return null;
}

/** What can be done with some kinds beside editing. */
export function MoreActions({ kind, record }: Props) {
  if (kind === 'model') return <SheetButton model={record.key} />;
  if (kind === 'site') return <CopySite site={record} />;
  if (kind === 'interface' && record.mode !== 'access') return <LinkAction record={record} />;
  return null;
}

/** What is done most with some kinds: it stands for Edit as the one primary button. */
export const primaryOf = (kind: KindName, record: AnyRecord): ReactNode =>
  kind === 'siteplan' ? <ApplyPlan plan={record.key} /> : undefined;
