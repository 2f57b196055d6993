/** A run that is followed: what is shown of it, brought up to date with the rows that changed since. */
import type { ShownRun } from '@zpine/contract/fleetShapes';

/** `news` was asked for since the version of `shown`. */
export function upToDate(shown: ShownRun, news: ShownRun): ShownRun {
  const changed = new Map(news.rows.map((row) => [row.device, row]));
  return { ...news, rows: shown.rows.map((row) => changed.get(row.device) ?? row) };
}
