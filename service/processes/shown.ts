/** What is seen of a process from outside. */
import { readFileSync } from 'node:fs';
import type { ShownProcess } from '@zpine/contract/processes';

/** proc(5): the second figure of statm is the resident set, in pages. */
const PAGE_BYTES = 4096;

/** What a process holds of the memory; 0 where it is gone, or where the system does not tell. */
export function residentBytes(pid: number): number {
  try {
    return Number(readFileSync(`/proc/${pid}/statm`, 'utf8').split(' ')[1] ?? 0) * PAGE_BYTES;
  } catch {
    return 0;
  }
}

export const processHere = (name: string): ShownProcess => ({
  name,
  pid: process.pid,
  since: new Date(Date.now() - process.uptime() * 1000).toISOString(),
  memoryBytes: process.memoryUsage.rss(),
  starts: 0,
  lastEnd: null,
});
