/** An answer that is too large to be held: JSON as it is made. Only what reads may answer so: no unit of work is open meanwhile. */
export class Pieces {
  readonly json: AsyncIterable<string>;

  constructor(json: AsyncIterable<string>) {
    this.json = json;
  }
}
