/** Quiet times: when nobody is told. Every day, on a day of the week, or once, by the clock of the place. */
import { fail, ok, type Parsed } from '../fault.ts';

const DAYS = ['sun', 'mon', 'tue', 'wed', 'thu', 'fri', 'sat'] as const;

export type QuietTime =
  /** `days`: 0 is Sunday; minutes of the day, the end before the beginning where it is on the next day. */
  | { kind: 'weekly'; days: readonly number[]; from: number; to: number }
  /** Instants in UTC, from an interval as ISO 8601 has it: begin/end. */
  | { kind: 'once'; from: number; to: number };

type Code = 'quiet-time';

const CLOCK = /^([01]\d|2[0-4]):([0-5]\d)$/;

function minutesOf(text: string): number | undefined {
  const [, hour, minute] = CLOCK.exec(text) ?? [];
  const minutes = hour === undefined ? NaN : Number(hour) * 60 + Number(minute);
  return minutes <= 24 * 60 ? minutes : undefined;
}

/** `daily 22:00-06:00`, `sat 20:00-23:30`, `mon,tue 01:00-02:00`, `2026-12-01T20:00/2026-12-02T04:00`. */
export function parseQuietTime(text: string): Parsed<QuietTime, Code> {
  const wrong = fail('quiet-time', { value: text });
  const [begin, end, ...rest] = text.trim().split('/');
  if (end !== undefined) {
    const [from, to] = [begin, end].map((one) =>
      Date.parse(/(Z|[+-]\d\d:\d\d)$/.test(one ?? '') ? (one ?? '') : `${one ?? ''}Z`),
    );
    if (from === undefined || to === undefined || rest.length > 0 || !(from < to)) return wrong;
    return ok({ kind: 'once', from, to });
  }
  const [, days = '', first = '', last = ''] = /^([a-z,]+) (\S+)-(\S+)$/.exec(text.trim().toLowerCase()) ?? [];
  const [from, to] = [minutesOf(first), minutesOf(last)];
  if (from === undefined || to === undefined || from === to) return wrong;
  const named =
    days === 'daily' ? DAYS.map((_, i) => i) : days.split(',').map((day) => (DAYS as readonly string[]).indexOf(day));
  return named.includes(-1) ? wrong : ok({ kind: 'weekly', days: named, from, to });
}

/** The day of the week and the minute of the day, by the clock of a time zone of the tz database. */
function clockAt(at: Date, zone: string): { day: number; minute: number } {
  const parts = new Intl.DateTimeFormat('en-GB', {
    timeZone: zone,
    weekday: 'short',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  }).formatToParts(at);
  const part = (type: string): string => parts.find((one) => one.type === type)?.value ?? '';
  return {
    day: (DAYS as readonly string[]).indexOf(part('weekday').toLowerCase()),
    minute: Number(part('hour')) * 60 + Number(part('minute')),
  };
}

export function isQuiet(times: readonly QuietTime[], at: Date, zone = 'UTC'): boolean {
  if (times.length === 0) return false;
  const { day, minute } = clockAt(at, zone);
  const before = (day + 6) % 7;
  return times.some((time) => {
    if (time.kind === 'once') return at.getTime() >= time.from && at.getTime() < time.to;
    const { days, from, to } = time;
    if (from < to) return days.includes(day) && minute >= from && minute < to;
    // Over midnight: the night belongs to the day on which it began.
    return (days.includes(day) && minute >= from) || (days.includes(before) && minute < to);
  });
}
