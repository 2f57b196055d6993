/** Goes through a table by its ids, however large it is. */
import type { StepTools } from './steps.ts';

const AT_ONCE = 200;

/** `sql`: with the id behind which it goes on, and how many rows it gives. */
export async function eachBatch<T extends { id: number }>(
  { select }: StepTools,
  sql: string,
  work: (row: T) => Promise<unknown>,
): Promise<void> {
  for (let from = 0; ;) {
    const rows = await select<T>(sql, [from, AT_ONCE]);
    for (const row of rows) await work(row);
    if (rows.length < AT_ONCE) return;
    from = Number(rows.at(-1)?.id);
  }
}
