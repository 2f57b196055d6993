/** A moment of the database's clock, UTC, to the millisecond. In a statement, and in a text, it is as SQL writes it. */
export class Instant {
  readonly ms: number;

  constructor(ms: number) {
    this.ms = ms;
  }

  /** Of a time as the database, this clock, or the API has it. */
  static of(time: Date | string): Instant {
    if (time instanceof Date) return new Instant(time.getTime());
    return new Instant(Date.parse(time.includes('T') ? time : `${time.replace(' ', 'T')}Z`));
  }

  /** `2026-05-04 10:02:11.123` */
  get sql(): string {
    return this.iso.slice(0, -1).replace('T', ' ');
  }

  /** ISO 8601: `2026-05-04T10:02:11.123Z` */
  get iso(): string {
    return new Date(this.ms).toISOString();
  }

  get date(): Date {
    return new Date(this.ms);
  }

  plus(seconds: number): Instant {
    return new Instant(this.ms + seconds * 1000);
  }

  toString(): string {
    return this.sql;
  }

  toJSON(): string {
    return this.iso;
  }
}
