/** When a window opens, as somebody says it: `22:00`, which is the next one, or `2026-12-04 22:00`, by the clock of a place. */
import { fail, ok, type Parsed } from '../fault.ts';

const CLOCK = /^(?:(\d{4})-(\d\d)-(\d\d)[ T])?([01]\d|2[0-3]):([0-5]\d)$/;
const DAY_MS = 86_400_000;

/** How far the clock of a zone is ahead of UTC at a moment; milliseconds. */
function aheadAt(ms: number, zone: string): number {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
    hour: '2-digit',
    minute: '2-digit',
    second: '2-digit',
    hourCycle: 'h23',
  }).formatToParts(ms);
  const part = (type: string): number => Number(parts.find((one) => one.type === type)?.value ?? 0);
  const there = Date.UTC(part('year'), part('month') - 1, part('day'), part('hour'), part('minute'), part('second'));
  return there - Math.floor(ms / 1000) * 1000;
}

/** The moment at which the clock of the zone shows this. Where it is set forward over it, the one after the gap. */
function momentOf(shown: number, zone: string): number {
  const first = shown - aheadAt(shown, zone);
  return shown - aheadAt(first, zone);
}

/** Milliseconds since 1970. Also takes ISO 8601 with a zone of its own. */
export function openingAt(text: string, now: number, zone: string): Parsed<number, 'opening-time'> {
  const typed = text.trim();
  if (/^\d{4}-\d\d-\d\dT.*(Z|[+-]\d\d:\d\d)$/.test(typed) && !Number.isNaN(Date.parse(typed)))
    return ok(Date.parse(typed));
  const [, year, month, day, hour, minute] = CLOCK.exec(typed) ?? [];
  if (hour === undefined || minute === undefined) return fail('opening-time', { value: text });
  if (year !== undefined && month !== undefined && day !== undefined) {
    const date = Date.UTC(Number(year), Number(month) - 1, Number(day));
    // The 31st of a month that has none would be another day.
    if (new Date(date).toISOString().slice(0, 10) !== `${year}-${month}-${day}`)
      return fail('opening-time', { value: text });
    return ok(momentOf(date + (Number(hour) * 60 + Number(minute)) * 60_000, zone));
  }
  const today = Math.floor((now + aheadAt(now, zone)) / DAY_MS) * DAY_MS;
  const shown = today + (Number(hour) * 60 + Number(minute)) * 60_000;
  const at = momentOf(shown, zone);
  return ok(at >= now ? at : momentOf(shown + DAY_MS, zone));
}
