/** The report of a batch, as a letter to whom it names, and as a notice. */
import { span } from '@zpine/core/text/span';
import type { Board } from '@zpine/contract/batchRoutes';
import type { Stored } from '@zpine/contract/kinds';
import type { Tx } from '../../store/tx.ts';
import { addNotices } from '../fleet/notices.ts';
import { devicesOf } from './rows.ts';

/** In one sentence: 8 of 10 serve. */
function reportLine({ items }: Board): string {
  const served = items.filter(({ standing }) => standing === 'serves').length;
  const without = items.filter(({ standing }) => standing === 'left out').length;
  const open = items.length - served - without;
  return [
    `${served} of ${items.length} serve`,
    ...(open > 0 ? [`${open} ${open === 1 ? 'does' : 'do'} not`] : []),
    ...(without > 0 ? [`${without} left out`] : []),
  ].join(', ');
}

function reportText(board: Board): string {
  const lines = [`${board.batch}: ${reportLine(board)}`, ''];
  if (board.opensAt !== null)
    lines.push(`from   ${minute(board.opensAt)}`, `until  ${minute(board.endedAt ?? '')}`, '');
  for (const row of board.items) {
    const took = row.standing === 'serves' && row.seconds !== null ? `in ${span(row.seconds)}` : '';
    lines.push([row.device, row.site?.toUpperCase() ?? '', row.standing, took].filter(Boolean).join('  '));
    if (row.why !== null) lines.push(`    ${row.why}`);
    if (row.remedy !== null) lines.push(`    ${row.remedy}`);
  }
  return `${lines.join('\n')}\n`;
}

const minute = (iso: string): string => `${iso.slice(0, 16).replace('T', ' ')} UTC`;

export async function writeReport(tx: Tx, batch: Stored<'batch'>, board: Board): Promise<void> {
  const words = `batch ${batch.key} ended: ${reportLine(board)}`;
  const now = await tx.now();
  if (batch.mail !== null && batch.mail.trim() !== '')
    await tx.insertRows('letter', [
      {
        at: now,
        mail_to: batch.mail,
        hooks: '[]',
        turn: 'other',
        cause: batch.key,
        subject: words.slice(0, 300),
        text: reportText(board),
        due_at: now,
      },
    ]);
  const [first] = await devicesOf(tx, batch.id);
  if (first) await addNotices(tx, first.id, () => [{ what: 'batch', text: words }]);
}
