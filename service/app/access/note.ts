/** What happens to users, their sessions and tokens is history as everything else is; only administrators see it. */
import type { Value } from '@zpine/contract/fields';
import type { Tx } from '../../store/tx.ts';

export const noteUser = (
  tx: Tx,
  user: { id: number; name: string },
  after: Record<string, Value>,
  before: Record<string, Value> | null = {},
): Promise<void> =>
  tx.change({
    kind: 'user',
    id: user.id,
    key: user.name,
    // Versions are kept of records; a user has none.
    versionFrom: 1,
    versionTo: 1,
    before,
    after,
  });
