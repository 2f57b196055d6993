/** Days as ISO 8601 writes them. */
import { fail, ok, type Parsed } from '../fault.ts';

const LENGTHS = [31, 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31];
const isLeap = (year: number): boolean => (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0;

/** `2027-03-31`, and nothing that no calendar has. */
export function parseDay(typed: string): Parsed<string, 'day-unknown'> {
  const text = typed.trim();
  const [, year = '', month = '', day = ''] = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text) ?? [];
  const days = (LENGTHS[Number(month) - 1] ?? 0) + (month === '02' && isLeap(Number(year)) ? 1 : 0);
  return Number(day) >= 1 && Number(day) <= days && Number(year) >= 1
    ? ok(text)
    : fail('day-unknown', { value: text.slice(0, 40) });
}
