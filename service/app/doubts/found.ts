/** Rows that are doubtful: the first ones are kept, all are counted. */
import { type Doubtful } from '@zpine/contract/doctorRoutes';

export class Found {
  readonly rows: Doubtful[] = [];
  count = 0;
  private readonly limit: number;

  constructor(limit: number) {
    this.limit = limit;
  }

  add(row: () => Doubtful): void {
    this.count += 1;
    if (this.rows.length < this.limit) this.rows.push(row());
  }
}
